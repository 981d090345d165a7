// Package starter has named sets of settings for purposes, and chooses one for
// a document from its facts.
//
// A starter says only what matters to its purpose; everything else follows
// house style. The choice is a list of plain rules on pages, shape, type,
// contents and fields, tried in order, each with the reason it gives.
package starter

import (
	"fmt"
	"strings"

	"incipit/internal/core/legible"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/toolbar"
)

// Starter is one named set. Title and For are words for an editor.
type Starter struct {
	Name  string        `json:"name"`
	Title string        `json:"title"`
	For   string        `json:"for"`
	Set   setting.Patch `json:"set"`
}

// Low is the title within a sentence.
func (s Starter) Low() string { return strings.ToLower(s.Title[:1]) + s.Title[1:] }

func vh(v float64) setting.Length { return setting.Length{Value: v, Unit: setting.VH} }

var (
	fitWidth = setting.Opening{Kind: setting.FitWidth, Percent: 100}
	fitPage  = setting.Opening{Kind: setting.FitPage, Percent: 100}
	onePage  = setting.Length{Unit: setting.OnePage}
)

// All lists the starters.
func All() []Starter {
	return []Starter{
		{"manual", "A manual", "Long, read in parts: it scrolls in a tall frame, with the way about it at hand.",
			setting.PatchOf(setting.Flow, setting.Down, setting.Height, vh(85), setting.Zoom, fitWidth, setting.MaxWidth, 900,
				setting.Tools, toolbar.Set{toolbar.Contents, toolbar.Find, toolbar.Number, toolbar.Turn, toolbar.Zoom, toolbar.Overview, toolbar.Text,
					toolbar.FullScreen, toolbar.Download, toolbar.Print, toolbar.About})},
		{"report", "A report", "Read from front to back: page after page, each as wide as the column.",
			setting.PatchOf(setting.Flow, setting.Down, setting.Height, onePage, setting.MaxWidth, 820, setting.MostHeight, 900)},
		{"form", "A form to print", "Taken away and filled in: the file and the printout come first.",
			setting.PatchOf(setting.Flow, setting.Down, setting.Height, onePage, setting.MostHeight, 800, setting.Download, true, setting.Print,
				true,
				setting.Tools, toolbar.Set{toolbar.Print, toolbar.Download, toolbar.Zoom})},
		{"plan", "A map or plan", "Looked over as a whole, then closely: it opens whole, with zoom at hand.",
			setting.PatchOf(setting.Flow, setting.Turn, setting.Height, onePage, setting.MostHeight, 720, setting.Zoom, fitPage,
				setting.Tools, toolbar.Set{toolbar.Zoom, toolbar.FullScreen, toolbar.Layers, toolbar.Turn, toolbar.Pointer, toolbar.Find,
					toolbar.Rotate, toolbar.Download, toolbar.Print}, setting.Pointer, setting.Drag)},
		{"slides", "Slides", "Shown one at a time, whole, and turned.",
			setting.PatchOf(setting.Flow, setting.Turn, setting.Height, onePage, setting.Zoom, fitPage, setting.BarPlace, setting.Bottom,
				setting.Tools, toolbar.Set{toolbar.Turn, toolbar.Number, toolbar.Zoom, toolbar.Overview, toolbar.FullScreen})},
		{"menu", "A menu card", "Short, glanced at: every page stands open, the tools keep out of the way.",
			setting.PatchOf(setting.Flow, setting.Down, setting.Height, setting.Length{Value: 2, Unit: setting.Rows}, setting.MaxWidth, 640,
				setting.BarShown, setting.Approach,
				setting.Tools, toolbar.Set{toolbar.Zoom, toolbar.Text, toolbar.FullScreen})},
		{"leaflet", "A leaflet", "A few pages, turned like paper.",
			setting.PatchOf(setting.Flow, setting.Turn, setting.Height, onePage, setting.MaxWidth, 720,
				setting.Tools, toolbar.Set{toolbar.Turn, toolbar.Zoom, toolbar.Text, toolbar.FullScreen, toolbar.Print, toolbar.Download})},
	}
}

// Named gives a starter by its name.
func Named(name string) (Starter, bool) {
	for _, s := range All() {
		if s.Name == name {
			return s, true
		}
	}
	return Starter{}, false
}

// Facts is what the choice goes by.
type Facts struct {
	Sheets   []sheet.Sheet
	Sizes    legible.Sizes
	Headings int // in the outline
	Fields   int // of a form
	// What the file itself forbids to who has no owner's password (ISO 32000-2,
	// table 22).
	NoPrint, NoCopy bool
	Opening         Opening
}

// Forbidden gives the settings that follow from what a file forbids, and a sentence
// that says so, or "". The editor decides whether they stay.
func (f Facts) Forbidden() (setting.Patch, string) {
	switch {
	case f.NoPrint && f.NoCopy:
		return setting.PatchOf(setting.Print, false, setting.Copying, false),
			"The file forbids its readers to print and to copy: both are off to begin with."
	case f.NoPrint:
		return setting.PatchOf(setting.Print, false), "The file forbids its readers to print: printing is off to begin with."
	case f.NoCopy:
		return setting.PatchOf(setting.Copying, false), "The file forbids its readers to copy: copying is off to begin with."
	}
	return setting.Patch{}, ""
}

// Choice is a starter's name and the reason for it, a sentence.
type Choice struct {
	Name   string `json:"name"`
	Reason string `json:"reason"`
}

const (
	longDocument  = 16   // pages
	shortDocument = 4    // pages
	largeSide     = 1000 // points: longer than A4's side, shorter than A3's
	fineType      = 7.5  // points
	slideType     = 14   // points
)

// Choose picks a starter.
func Choose(f Facts) Choice {
	pages := len(f.Sheets)
	if pages == 0 {
		return Choice{"report", "Nothing is known of its pages yet."}
	}
	first := f.Sheets[0]
	landscape := first.Wide()
	many := func(n int, one, more string) string {
		if n == 1 {
			return "1 " + one
		}
		return fmt.Sprintf("%d %s", n, more)
	}
	count := many(pages, "page", "pages")
	switch {
	case f.Fields > 0:
		return Choice{"form", fmt.Sprintf("It has %s to fill in.", many(f.Fields, "field", "fields"))}
	case landscape && pages <= shortDocument && max(first.Width, first.Height) >= largeSide:
		return Choice{"plan", fmt.Sprintf("%s in landscape, %.0f × %.0f pt: larger than a desk sheet.", count, first.Width, first.Height)}
	case landscape && pages <= shortDocument && f.Sizes.Known && f.Sizes.Body.Size < fineType:
		return Choice{"plan", fmt.Sprintf("%s in landscape with fine type of %.1f pt: made to be looked over.", count, f.Sizes.Body.Size)}
	case landscape && pages > 1 && f.Sizes.Known && f.Sizes.Body.Size >= slideType:
		return Choice{"slides", fmt.Sprintf("%s in landscape with large type.", count)}
	case pages >= longDocument && f.Headings > 0:
		return Choice{"manual", fmt.Sprintf("%s with %s in its contents.", count, many(f.Headings, "heading", "headings"))}
	case pages >= longDocument:
		return Choice{"manual", fmt.Sprintf("%s: long enough to be read in parts.", count)}
	case pages <= 2 && f.Sizes.Known && f.Sizes.Running < 0.3:
		return Choice{"menu", fmt.Sprintf("%s of short lines.", count)}
	case pages <= shortDocument:
		return Choice{"leaflet", fmt.Sprintf("%s.", count)}
	}
	return Choice{"report", fmt.Sprintf("%s to be read from front to back.", count)}
}
