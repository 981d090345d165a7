package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"strings"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/intake"
	"incipit/internal/pdf"
)

// proofed is the shape of `proof --json`. Lengths are CSS px; boxes of rows and
// pages start at the top left corner of the inner box, at opening.
type proofed struct {
	Frame      size          `json:"frame"`
	Inner      size          `json:"inner"`
	Scale      float64       `json:"scale"`   // CSS px per point
	Percent    float64       `json:"percent"` // of true size
	RowsInView int           `json:"rows_in_view"`
	Rows       []row         `json:"rows"`
	Type       measuredType  `json:"type"`
	View       proof.View    `json:"view"`
	Answers    proof.Answers `json:"answers"`
	Glosses    []proof.Gloss `json:"glosses"`
}

type size struct {
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
}

type row struct {
	Pages []int      `json:"pages"`
	Box   sheet.Rect `json:"box"`
}

type measuredType struct {
	legible.Sizes
	Sampled int `json:"sampled"` // pages that were measured
	Of      int `json:"of"`
}

// runProof proofs a file with settings at one column and window.
func runProof(args []string) error {
	var asJSON bool
	var settingsFile, viewport string
	var column float64
	return onFile("proof", args, func(f *flag.FlagSet) {
		f.BoolVar(&asJSON, "json", false, "")
		f.StringVar(&settingsFile, "settings", "", "")
		f.Float64Var(&column, "column", 0, "")
		f.StringVar(&viewport, "viewport", "1280x800", "")
	}, func(ctx context.Context, engine pdf.Engine, src pdf.Source) error {
		screen, err := screenOf(column, viewport)
		if err != nil {
			return badUse{err}
		}
		settings, err := readSettings(settingsFile)
		if err != nil {
			return badUse{err}
		}
		found, err := intake.Examine(ctx, engine, src, 2, nil)
		if err != nil {
			return err
		}
		if wrong := setting.Check(settings, len(found.Sheets)); len(wrong) > 0 {
			return badUse{fmt.Errorf("proof: the settings do not stand: %s: %s", wrong[0].Key, wrong[0].Message)}
		}
		measured, _, err := intake.MeasureType(ctx, engine, src, len(found.Sheets), intake.MostMeasured/2)
		if err != nil {
			return err
		}
		facts := proof.Facts{
			Pages: frame.PagesOf(found.Sheets), Language: found.Facts.Language, FileBytes: src.Size, Headings: found.Facts.Headings(),
			Text: found.Text, Measured: true, Sizes: measured.Sizes(),
		}
		out := proofOf(facts, settings, screen)
		out.Type.Sampled, out.Type.Of = len(measured.Pages), measured.Of
		if asJSON {
			to := json.NewEncoder(os.Stdout)
			to.SetEscapeHTML(false)
			return to.Encode(out)
		}
		sayProof(out)
		return nil
	})
}

func screenOf(column float64, viewport string) (proof.Screen, error) {
	s := proof.Screen{Name: "here", Column: column, Density: 1}
	if n, err := fmt.Sscanf(strings.ToLower(viewport), "%fx%f", &s.Page, &s.Height); err != nil || n != 2 || s.Page <= 0 || s.Height <= 0 {
		return s, fmt.Errorf("proof: a viewport is written like 390x844")
	}
	if column == 0 {
		s.Column = s.Page
	}
	if !(s.Column >= proof.MinColumn && s.Column <= proof.MaxColumn) {
		return s, fmt.Errorf("proof: a column goes from %d to %d px", proof.MinColumn, proof.MaxColumn)
	}
	return s, nil
}

// readSettings reads settings that differ from the product's defaults.
func readSettings(file string) (setting.Settings, error) {
	if file == "" {
		return setting.Default(), nil
	}
	b, err := os.ReadFile(file)
	if err != nil {
		return setting.Settings{}, fmt.Errorf("proof: read the settings: %w", err)
	}
	var p setting.Patch
	if err := json.NewDecoder(bytes.NewReader(b)).Decode(&p); err != nil {
		return setting.Settings{}, fmt.Errorf("proof: read the settings in %s: %w", file, err)
	}
	s, err := p.Over(setting.Default())
	if err != nil {
		return s, fmt.Errorf("proof: %w", err)
	}
	return s, nil
}

func proofOf(f proof.Facts, s setting.Settings, screen proof.Screen) proofed {
	v := proof.Run(f, s, proof.Terms{}, []proof.Screen{screen})[0]
	out := proofed{
		Frame: size{v.Box.Width, v.Box.Height}, Inner: size{v.Box.InnerWidth, v.Box.InnerHeight},
		Scale: v.Box.Scale, Percent: v.Percent, View: v, Glosses: v.Glosses, Rows: []row{},
		Type: measuredType{Sizes: f.Sizes}, Answers: proof.Answer(f, s, screen, screen),
	}
	for i, r := range f.Pages.Rows(s) {
		at := row{Box: v.Rows[i]}
		for k := range r.Count {
			at.Pages = append(at.Pages, r.First+k+1)
		}
		if v.Box.Shown(at.Box) > 0 {
			out.RowsInView++
		}
		out.Rows = append(out.Rows, at)
	}
	return out
}

func sayProof(p proofed) {
	say := func(name, format string, args ...any) { fmt.Printf("%-12s %s\n", name, fmt.Sprintf(format, args...)) }
	say("frame", "%.2f × %.2f px", p.Frame.Width, p.Frame.Height)
	say("inner", "%.2f × %.2f px", p.Inner.Width, p.Inner.Height)
	say("scale", "%.4f px per pt, %.1f %% of true size", p.Scale, p.Percent)
	say("rows", "%d, of which %d in view", len(p.Rows), p.RowsInView)
	for _, r := range p.Rows {
		say("row", "pages %v at %.2f, %.2f: %.2f × %.2f px", r.Pages, r.Box.X, r.Box.Y, r.Box.W, r.Box.H)
	}
	if p.Type.Known {
		say("type", "measured on %d of %d pages, %d characters", p.Type.Sampled, p.Type.Of, p.Type.Chars)
		say("body", "%.1f pt, x-height %.2f pt (%s): %.2f px, %.3f°, %s", p.Type.Body.Size, p.Type.Body.XHeight, p.Type.Body.How,
			p.View.Body.XHeight, p.View.Body.Angle, p.View.Body.Band)
		say("smallest", "%.1f pt, x-height %.2f pt (%s): %.2f px, %.3f°, %s", p.Type.Smallest.Size, p.Type.Smallest.XHeight,
			p.Type.Smallest.How, p.View.Smallest.XHeight, p.View.Smallest.Angle, p.View.Smallest.Band)
	} else {
		say("type", "cannot be measured: there is no text")
	}
	say("readable", "from a column of %.0f px on", p.Answers.ReadableFrom)
	say("comfortable", "from a column of %.0f px on", p.Answers.ComfortableFrom)
	say("one page", "%.2f px tall", p.Answers.OnePage)
	say("best zoom", "%.0f %%", p.Answers.BestZoom)
	say("on a phone", "%s: %s", p.Answers.OnPhone.Way, p.Answers.OnPhone.Why)
	for _, g := range p.Glosses {
		say(g.Level, "%s. %s", g.Title, g.Text)
		for _, f := range g.Fixes {
			say("", "→ %s. %s", f.Words, f.Cost)
		}
	}
}
