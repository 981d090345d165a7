package library

import (
	"math"

	"incipit/internal/core/legible"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
)

// Opened is what was found of a file that asks for a password, while somebody gave that: it
// is kept nowhere, so nothing more is found later.
type Opened struct {
	Sheets      []sheet.Sheet   `json:"sheets"`
	Type        legible.Type    `json:"type"`
	Text        bool            `json:"text"`
	Permissions pdf.Permissions `json:"permissions"`
	Units       map[int]float64 `json:"units,omitempty"`
}

// Opened is what was found of an edition, nil for one that asks for no password.
func (e Edition) Opened() *Opened {
	if !e.Locked {
		return nil
	}
	return &Opened{e.AllSheets(), e.Type, e.HasText, e.Facts.Permissions, e.Facts.Units}
}

// Of has an edition be what was found.
func (o Opened) Of(e *Edition) {
	e.Locked, e.Measured = true, true
	e.Pages, e.PagesKnown, e.Sheets, e.Type, e.HasText = len(o.Sheets), len(o.Sheets), o.Sheets, o.Type, o.Text
	e.Facts = pdf.Facts{Encrypted: true, Permissions: o.Permissions, Units: o.Units, Outline: []pdf.Heading{}, Fields: []pdf.Field{}}
}

// Bounds of what somebody says was found: the sides of a page, in points, and how many sizes
// of type there are on one.
const (
	longestSide = 1e6
	mostSizes   = 10_000
	mostOpened  = 10_000 // pages
)

// Sound says, by its error, what of it no file can have.
func (o Opened) Sound() error {
	fits := func(v, most float64) bool { return v > 0 && v <= most && !math.IsNaN(v) }
	pages := len(o.Sheets)
	if pages == 0 || pages > mostOpened || len(o.Units) > pages || len(o.Type.Pages) > pages || o.Type.Of < 0 || o.Type.Of > pages {
		return pdf.Problemf(pdf.Damaged, "What is said of its pages is not that of a file.")
	}
	for n, s := range o.Sheets {
		unit, scaled := o.Units[n+1]
		if !fits(s.Width, longestSide) || !fits(s.Height, longestSide) || s.Rotation%90 != 0 || scaled && !fits(unit, longestSide) ||
			len(s.Label) > 100 {
			return pdf.Problemf(pdf.Damaged, "What is said of page %d is not that of a page.", n+1)
		}
	}
	for _, p := range o.Type.Pages {
		sized := p.Number >= 1 && p.Number <= len(o.Sheets) && len(p.Bins) <= mostSizes && p.Running >= 0
		for _, b := range p.Bins {
			sized = sized && fits(b.Size, longestSide) && b.Chars >= 0 && b.Caseless >= 0 && b.XHeight >= 0 && b.XHeight <= longestSide
		}
		if !sized {
			return pdf.Problemf(pdf.Damaged, "What is said of the type on page %d is not that of a page.", p.Number)
		}
	}
	return nil
}
