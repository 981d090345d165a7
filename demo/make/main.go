// Make writes the demo's PDFs anew: go run ./demo/make. The files it makes are
// kept in the repository, so that nobody needs to run it to use the demo.
//
// Pages are written as HTML and printed by Chromium; what HTML has no word for
// (page labels, form fields, a page turned by /Rotate) is added by amend. It
// needs chromium-headless-shell, and for the leaflet and for the pages of
// scripts.pdf, with which the reading of pages is tested, the Debian packages
// fonts-noto-core, fonts-ipaexfont and fonts-nanum.
package main

import (
	"context"
	"fmt"
	"log"
	"os"
	"path/filepath"
)

func main() {
	log.SetFlags(0)
	if err := run(context.Background(), filepath.Join("demo", "pdf")); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, dir string) error {
	b, err := openBrowser(ctx)
	if err != nil {
		return err
	}
	defer b.close()
	for _, d := range []struct {
		name string
		make func(*browser) ([]byte, error)
	}{
		{"tide-table.pdf", tideTable}, {"volunteer-handbook.pdf", handbook}, {"trail-map.pdf", trailMap},
		{"survey-form.pdf", surveyForm}, {"leaflet-welcome.pdf", leaflet}, {"annual-report.pdf", report},
		{"logbook-1953.pdf", logbook}, {"survey-paper.pdf", paper}, {"spring-notes.pdf", notes},
	} {
		if len(os.Args) > 1 && os.Args[1] != d.name {
			continue
		}
		made, err := d.make(b)
		if err != nil {
			return fmt.Errorf("make %s: %w", d.name, err)
		}
		if err := os.WriteFile(filepath.Join(dir, d.name), made, 0o644); err != nil {
			return fmt.Errorf("write %s: %w", d.name, err)
		}
		fmt.Printf("%-24s %7d bytes\n", d.name, len(made))
	}
	// What tests read.
	tests := filepath.Join("internal", "intake", "testdata")
	if len(os.Args) == 1 || os.Args[1] == "kinds.pdf" {
		made, err := kinds(b)
		if err != nil {
			return fmt.Errorf("make kinds.pdf: %w", err)
		}
		if err := os.WriteFile(filepath.Join(tests, "kinds.pdf"), made, 0o644); err != nil {
			return fmt.Errorf("write kinds.pdf: %w", err)
		}
	}
	if len(os.Args) == 1 || os.Args[1] == "scripts.pdf" {
		return scripts(b, tests)
	}
	return nil
}
