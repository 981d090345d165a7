package office

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"incipit/internal/confined"
)

// Bounds of one conversion.
const (
	within     = 2 * time.Minute
	mostMemory = 4 << 30   // bytes of address space
	mostOutput = 500 << 20 // bytes of one file that it writes
	mostCPU    = 90        // seconds
)

// ErrMissing is given where LibreOffice is not installed, ErrUnconfined where no process can
// be confined, and ErrFailed where nothing came of a file.
var (
	ErrMissing    = confined.ErrMissing
	ErrUnconfined = confined.ErrUnconfined
	ErrFailed     = errors.New("nothing came of the file")
)

// Packages are what Debian's apt-get has to install for it.
const Packages = "libreoffice-writer-nogui libreoffice-calc-nogui libreoffice-impress-nogui bubblewrap"

// Converter makes PDFs. It is made by Find.
type Converter struct {
	room *confined.Room
	one  chan struct{} // a conversion takes a core and some hundred MB: one goes at a time
}

// Find looks for the programs that are needed, or gives ErrMissing.
func Find() (*Converter, error) {
	room, err := confined.Find("soffice", "office", confined.Bounds{Memory: mostMemory, File: mostOutput, CPU: mostCPU})
	if err != nil {
		return nil, err
	}
	room.Also = []string{"/etc/fonts", "/etc/libreoffice"}
	return &Converter{room: room, one: make(chan struct{}, 1)}, nil
}

// Convert makes a tagged PDF of a file at a path, and hands it to take while it is there.
func (c *Converter) Convert(ctx context.Context, path string, kind Kind, take func(pdf string) error) error {
	if err := c.room.Works(ctx); err != nil {
		return err
	}
	select {
	case c.one <- struct{}{}:
		defer func() { <-c.one }()
	case <-ctx.Done():
		return ctx.Err()
	}
	return c.room.Within(func(folder string) error { return c.convert(ctx, folder, path, kind, take) })
}

func (c *Converter) convert(ctx context.Context, folder, path string, kind Kind, take func(pdf string) error) error {
	in := "document." + string(kind) // what the file is called decides nothing
	if err := link(path, filepath.Join(folder, in)); err != nil {
		return fmt.Errorf("lay a file out to be converted: %w", err)
	}
	filter := map[Kind]string{Spreadsheet: "calc", WordSheet: "calc", Presentation: "impress", WordSlides: "impress"}[kind]
	if filter == "" {
		filter = "writer"
	}
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	var said bytes.Buffer
	cmd := c.room.Command(ctx, folder, "/usr/bin/soffice", "-env:UserInstallation=file:///tmp/profile", "--headless", "--norestore", "--nolockcheck", "--convert-to",
		"pdf:"+filter+`_pdf_Export:{"UseTaggedPDF":{"type":"boolean","value":"true"},"ExportBookmarks":{"type":"boolean","value":"true"}}`,
		"--outdir", "/work/made", "/work/"+in)
	cmd.Stdout, cmd.Stderr = &said, &said
	cmd.WaitDelay = 5 * time.Second
	err := cmd.Run()
	made := filepath.Join(folder, "made", "document.pdf")
	// It ends well also where it wrote nothing.
	if _, missing := os.Stat(made); missing != nil {
		return fmt.Errorf("%w: %w; it said: %.500s", ErrFailed, errors.Join(err, ctx.Err(), missing), said.String())
	}
	return take(made)
}

// link lays a file out under another name; across file systems it is copied.
func link(from, to string) error {
	if err := os.Link(from, to); err == nil {
		return nil
	}
	b, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, b, 0o600)
}
