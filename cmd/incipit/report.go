package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"incipit/internal/core/report"
	"incipit/internal/intake"
	"incipit/internal/pdf"
)

// reportBudget is what reporting on a file may take, and reportReading after how long no
// further page is begun: what is known by then is told.
const (
	reportBudget  = 58 * time.Second
	reportReading = 45 * time.Second
)

// reportOnFile says what is wrong with a file for people who do not see its pages.
func reportOnFile(args []string) error {
	var asJSON bool
	return onFiles("report", args, 1, reportBudget, func(f *flag.FlagSet) { f.BoolVar(&asJSON, "json", false, "") },
		func(ctx context.Context, engine pdf.Engine, src []pdf.Source) error {
			d, err := intake.ToReport(ctx, engine, src[0], filepath.Base(src[0].ID), 3, reportReading)
			if err != nil {
				return err
			}
			if d.Unread > 0 {
				fmt.Fprintf(os.Stderr, "%d of %d pages were not read: that would have taken longer than %s\n", d.Unread, len(d.Pages), reportReading)
			}
			r := report.Of(d)
			if asJSON {
				return json.NewEncoder(os.Stdout).Encode(r)
			}
			for _, f := range r.Findings {
				where := "document"
				if f.Page > 0 {
					where = fmt.Sprintf("page %d", f.Page)
				}
				fmt.Printf("%s: %s [%s]\n", where, f.Sentence, f.Clause)
			}
			if len(r.Findings) == 0 {
				fmt.Println("nothing was found that a program can tell")
			}
			return nil
		})
}
