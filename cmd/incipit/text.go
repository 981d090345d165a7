package main

import (
	"cmp"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"html"
	"os"
	"strings"

	"incipit/internal/core/overlay"
	"incipit/internal/core/textflow"
	"incipit/internal/pdf"
)

// text prints the text of a page, a line a line of the page.
func text(args []string) error {
	var page int
	var asJSON, flow, dropped bool
	return onFile("text", args, func(f *flag.FlagSet) {
		f.IntVar(&page, "page", 1, "")
		f.BoolVar(&asJSON, "json", false, "")
		f.BoolVar(&flow, "flow", false, "")
		f.BoolVar(&dropped, "dropped", false, "")
	}, func(ctx context.Context, engine pdf.Engine, src pdf.Source) error {
		if flow || dropped {
			return printFlow(ctx, engine, src, dropped)
		}
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

// printFlow prints the text view of a whole document, as HTML; or what it leaves out,
// a line for each line, behind its page.
func printFlow(ctx context.Context, engine pdf.Engine, src pdf.Source, dropped bool) error {
	cover, err := engine.Cover(ctx, src)
	if err != nil {
		return err
	}
	sheets, err := engine.Sheets(ctx, src, 1, cover.Pages)
	if err != nil {
		return err
	}
	var pages []textflow.Page
	for i, s := range sheets {
		layer, err := engine.Layer(ctx, src, i+1)
		if err != nil {
			return err
		}
		pages = append(pages, textflow.Page{Number: i + 1, Label: s.Label, Width: s.Width, Height: s.Height, Runs: layer.Runs,
			Links: layer.Links, Blocks: layer.Blocks, Figures: layer.Figures})
	}
	facts, err := engine.Facts(ctx, src)
	if err != nil {
		return err
	}
	for _, h := range facts.Outline {
		if h.Page > 0 {
			pages[h.Page-1].Outline = append(pages[h.Page-1].Outline, textflow.Entry{Title: h.Title, Level: h.Level})
		}
	}
	labels := make([]string, len(sheets))
	for i, s := range sheets {
		labels[i] = s.Label
	}
	style := textflow.Learn(pages)
	if dropped {
		for _, p := range pages {
			for _, line := range style.Dropped(p) {
				fmt.Printf("%d\t%s\n", p.Number, line)
			}
		}
		return nil
	}
	style.Language = cmp.Or(textflow.Language(facts.Language), style.Language)
	_, err = fmt.Fprint(os.Stdout, textflow.HTML(textflow.Flow(pages, style), textflow.Setting{
		Language: style.Language,
		Printed:  func(number string) int { return style.PageOf(number, labels) },
		Image: func(page int) textflow.PageImage {
			return textflow.PageImage{Address: fmt.Sprintf("#page=%d", page), Width: sheets[page-1].Width, Height: sheets[page-1].Height}
		},
		Figure: func(page int) string { return fmt.Sprintf("Picture on page %d", page) },
		Mark:   func(page int) string { return fmt.Sprintf("[%s]", html.EscapeString(sheets[page-1].Label)) },
		To:     func(page int) string { return fmt.Sprintf("#t%d", page) },
		Blank:  func(int) string { return "no text" },
	}))
	return err
}
