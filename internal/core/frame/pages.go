package frame

import (
	"math"

	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
)

// Pages is what a layout needs to know of a document: its sheets, and the rows
// they stand in for each way of facing, so that a layout at one more width
// costs the same for two pages as for a thousand.
type Pages struct {
	Sheets               []sheet.Sheet
	single, pairs, cover spread
}

// spread is a document's rows under one way of facing. Lengths are points.
type spread struct {
	rows            []sheet.Row
	widest, tallest float64
}

func spreadOf(sheets []sheet.Sheet, f sheet.Facing) spread {
	s := spread{rows: sheet.Rows(sheets, f)}
	for _, r := range s.rows {
		s.widest, s.tallest = math.Max(s.widest, r.Width), math.Max(s.tallest, r.Height)
	}
	return s
}

// PagesOf reads the sheets of an edition. An empty list gives one A4 sheet.
func PagesOf(sheets []sheet.Sheet) Pages {
	if len(sheets) == 0 {
		sheets = []sheet.Sheet{{Width: 595.28, Height: 841.89, Label: "1"}}
	}
	return Pages{
		Sheets: sheets, single: spreadOf(sheets, sheet.Single),
		pairs: spreadOf(sheets, sheet.Pairs), cover: spreadOf(sheets, sheet.CoverThenPairs),
	}
}

// Count is the number of pages.
func (p Pages) Count() int { return len(p.Sheets) }

func (p Pages) spread(s setting.Settings) spread {
	switch s.Facing {
	case setting.Pairs:
		return p.pairs
	case setting.Cover:
		return p.cover
	}
	return p.single
}

// Rows are the rows the pages stand in under settings.
func (p Pages) Rows(s setting.Settings) []sheet.Row { return p.spread(s).rows }

// Extent is the width of the widest row and the height of the tallest one, in
// points.
func (p Pages) Extent(s setting.Settings) (widest, tallest float64) {
	in := p.spread(s)
	return in.widest, in.tallest
}
