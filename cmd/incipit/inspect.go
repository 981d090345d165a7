package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"

	"incipit/internal/core/sheet"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// inspection is the shape of `inspect --json`.
type inspection struct {
	Pages  int           `json:"pages"`
	Sheets []sheet.Sheet `json:"sheets"`
	pdf.Facts
	Text   bool           `json:"text"`
	Unread library.Unread `json:"unread,omitzero"`
}

// inspect says what a PDF is.
func inspect(args []string) error {
	var asJSON bool
	return onFile("inspect", args, func(f *flag.FlagSet) { f.BoolVar(&asJSON, "json", false, "") },
		func(ctx context.Context, engine pdf.Engine, src pdf.Source) error {
			found, err := intake.Examine(ctx, engine, src, 2, nil)
			if err != nil {
				return err
			}
			if asJSON {
				out := json.NewEncoder(os.Stdout)
				out.SetEscapeHTML(false)
				return out.Encode(inspection{Pages: len(found.Sheets), Sheets: found.Sheets, Facts: found.Facts, Text: found.Text, Unread: found.Unread})
			}
			print(found)
			return nil
		})
}

func print(f intake.Found) {
	say := func(name string, format string, args ...any) {
		fmt.Printf("%-12s %s\n", name, fmt.Sprintf(format, args...))
	}
	yes := map[bool]string{true: "yes", false: "no"}
	say("title", "%s", f.Facts.Title)
	say("pages", "%d", len(f.Sheets))
	say("text", "%s", yes[f.Text])
	say("tagged", "%s", yes[f.Facts.Tagged])
	say("language", "%s", f.Facts.Language)
	say("encrypted", "%s", yes[f.Facts.Encrypted])
	say("may", "print %s, copy %s", yes[f.Facts.Permissions.Print], yes[f.Facts.Permissions.Copy])
	if u := f.Unread; u.Facts {
		say("unread", "what the file says of itself")
	}
	for what, pages := range map[string][]int{"size": f.Unread.Sizes, "form fields": f.Unread.Fields} {
		for _, page := range pages {
			say("unread", "the %s of page %d", what, page)
		}
	}
	for i, s := range f.Sheets {
		say("sheet", "%d (%s): %.2f × %.2f pt, turned %d°", i+1, s.Label, s.Width, s.Height, s.Rotation)
	}
	for _, h := range f.Facts.Outline {
		say("heading", "%*s%s → %d", 2*(h.Level-1), "", h.Title, h.Page)
	}
	for _, field := range f.Facts.Fields {
		say("field", "%s (%s) on page %d", field.Name, field.Type, field.Page)
	}
}
