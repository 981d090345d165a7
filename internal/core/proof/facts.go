// Package proof says what every reader will get of a placement before it is
// published.
//
// It takes a document's facts, settings and the screens of readers; it gives,
// for each screen, the boxes, what an eye can read, how much there is to
// scroll and to load, and glosses: findings that name what is, point at the
// spot, and carry the changes of settings that mend it. A change is only
// offered when proofing with it makes its gloss go, and whatever it makes worse
// is said with it. Lengths are CSS px unless said.
package proof

import (
	"fmt"
	"math"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/toolbar"
)

// Facts is what a proof needs to know of a document.
type Facts struct {
	Pages     frame.Pages
	Language  string
	FileBytes int64
	Headings  int // of the outline that lead to a page
	Layers    int // with a name
	// Untold is on how many pages the file's own structure leaves out too much of the
	// text to be followed.
	Untold int
	// Text says whether the file has text at all; Measured whether its type has
	// been measured yet; Sizes what came out.
	Text     bool
	Locked   bool // it asks for a password
	Measured bool
	Sizes    legible.Sizes
	// Images are the bytes of page 1's image by its width in device pixels, for
	// the widths that are served. Shell is the bytes of everything else that is
	// needed to read it: HTML, style and script, as sent.
	Images map[int]int64
	Shell  int64
}

// Holds is what the document has that tools work on.
func (f Facts) Holds() toolbar.Holds {
	return toolbar.Holds{Pages: f.Pages.Count(), Headings: f.Headings, Layers: f.Layers, Text: f.Text, Locked: f.Locked}
}

// Screen is one kind of reader: the width of the web page, of the column in
// it, and the height of the window, in CSS px; Density is device pixels per
// CSS px.
type Screen struct {
	Name    string  `json:"name"`
	Page    float64 `json:"page"`
	Column  float64 `json:"column"`
	Height  float64 `json:"height"`
	Density float64 `json:"density"`
}

// Site is a website's measure: the widest its column of text becomes, and the
// room it keeps at each side of a narrow screen.
type Site struct {
	Name   string  `json:"name"`
	Column float64 `json:"column"`
	Margin float64 `json:"margin"`
}

// Bounds of a column, and of a web page, in CSS px.
const (
	MinColumn, MaxColumn = 160, 2400
	MinPage, MaxPage     = 200, 2600
)

// ColumnIn is the column that a web page of a width gives.
func (s Site) ColumnIn(page float64) float64 {
	return math.Min(math.Max(math.Min(page-2*s.Margin, s.Column), MinColumn), MaxColumn)
}

// PageOf is the width of the narrowest web page that gives a column.
func (s Site) PageOf(column float64) float64 { return column + 2*s.Margin }

// phoneWidth is the widest web page that counts as a phone held upright.
const phoneWidth = 480

// phoneHeight is the height of its window.
const phoneHeight = 800

// Usual are the screens that most readers have: a phone held upright, a tablet
// held upright, a laptop and a wide screen, with the columns a site gives.
func Usual(site Site) []Screen {
	out := []Screen{
		{Name: "phone", Page: 360, Height: phoneHeight, Density: 3}, {Name: "tablet", Page: 820, Height: 1180, Density: 2},
		{Name: "laptop", Page: 1280, Height: 800, Density: 1}, {Name: "wide", Page: 1920, Height: 1080, Density: 1},
	}
	for i := range out {
		out[i].Column = site.ColumnIn(out[i].Page)
	}
	return out
}

// hereName is the name of a screen that is none of the usual ones: the one on
// the stage.
const hereName = "here"

// Nearest gives the usual screen that a web page of a width is most like.
func Nearest(site Site, page float64) Screen {
	all := Usual(site)
	best := all[0]
	for _, s := range all[1:] {
		if math.Abs(s.Page-page) < math.Abs(best.Page-page) {
			best = s
		}
	}
	if best.Page != page {
		best.Name = hereName
	}
	best.Page, best.Column = page, site.ColumnIn(page)
	return best
}

// Terms are what a house asks of its placements.
type Terms struct {
	Budget int64 // bytes until the first page can be read; 0 sets none
}

// Bounds of a window's height, in CSS px.
const (
	MinWindow, MaxWindow = 200, 4000
)

// ScreenAt is the screen of a reader whose column and window are given: the
// width of the page follows from the site, the density from the usual screen it
// is most like. It is an error when they are out of bounds.
func ScreenAt(site Site, column, window float64) (Screen, error) {
	if !(column >= MinColumn && column <= MaxColumn) {
		return Screen{}, fmt.Errorf("a column goes from %d to %d px", MinColumn, MaxColumn)
	}
	if !(window >= MinWindow && window <= MaxWindow) {
		return Screen{}, fmt.Errorf("a window is from %d to %d px tall", MinWindow, MaxWindow)
	}
	s := Nearest(site, site.PageOf(column))
	s.Column, s.Height = column, window
	return s, nil
}

// Bounds of what a house asks.
const (
	MostBudget = 100_000_000 // bytes
	MostSites  = 10
	MostMargin = 200 // CSS px
)

// CheckTerms says, in a sentence for the editor, what cannot stand in the terms
// and the sites of a house, or nothing.
func CheckTerms(t Terms, sites []Site) string {
	if t.Budget < 0 || t.Budget > MostBudget {
		return fmt.Sprintf("A budget goes from 0 (none) to %d MB.", MostBudget/1_000_000)
	}
	if len(sites) == 0 || len(sites) > MostSites {
		return fmt.Sprintf("There are from 1 to %d websites.", MostSites)
	}
	names := map[string]bool{}
	for _, s := range sites {
		switch {
		case s.Name == "" || len([]rune(s.Name)) > 60:
			return "Each website has a name of at most 60 characters."
		case names[s.Name]:
			return fmt.Sprintf("There are two websites named %q.", s.Name)
		case !(s.Column >= MinColumn && s.Column <= MaxColumn):
			return fmt.Sprintf("A column goes from %d to %d px.", MinColumn, MaxColumn)
		case !(s.Margin >= 0 && s.Margin <= MostMargin):
			return fmt.Sprintf("A margin goes from 0 to %d px.", MostMargin)
		}
		names[s.Name] = true
	}
	return ""
}
