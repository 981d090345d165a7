package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"strings"

	"incipit/internal/core/overlay"
	"incipit/internal/pdf"
)

// text prints the text of a page, a line a line of the page.
func text(args []string) error {
	var page int
	var asJSON bool
	return onFile("text", args, func(f *flag.FlagSet) {
		f.IntVar(&page, "page", 1, "")
		f.BoolVar(&asJSON, "json", false, "")
	}, func(ctx context.Context, engine pdf.Engine, src pdf.Source) error {
		layer, err := engine.Layer(ctx, src, page)
		if err != nil {
			return err
		}
		if asJSON {
			return json.NewEncoder(os.Stdout).Encode(map[string]any{"page": page, "text": overlay.Plain(layer.Runs)})
		}
		_, err = fmt.Fprintln(os.Stdout, strings.TrimRight(overlay.Plain(layer.Runs), "\n"))
		return err
	})
}
