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
	single, pairs, cover facing
}

// facing is the rows under one way of facing: in proportion, and each as large as
// fits the width, or the whole, of what the largest ones take.
type facing struct{ same, wide, whole spread }

// spread is a document's rows. Lengths are points; where each row is as large as fits,
// they are points times the factor of the row, so that one scale holds for all.
type spread struct {
	rows            []sheet.Row
	factors         []float64 // nil where all are 1
	widest, tallest float64
}

func spreadOf(rows []sheet.Row) spread {
	s := spread{rows: rows}
	for _, r := range s.rows {
		s.widest, s.tallest = math.Max(s.widest, r.Width), math.Max(s.tallest, r.Height)
	}
	return s
}

// fitted gives the rows so many times as large as each may be within the widest, and
// with whole within the tallest too.
func (s spread) fitted(whole bool) spread {
	rows, factors := make([]sheet.Row, len(s.rows)), make([]float64, len(s.rows))
	for i, r := range s.rows {
		f := s.widest / r.Width
		if whole {
			f = math.Min(f, s.tallest/r.Height)
		}
		factors[i] = f
		r.Width, r.Height = r.Width*f, r.Height*f
		rows[i] = r
	}
	out := spreadOf(rows)
	out.factors = factors
	return out
}

func facingOf(sheets []sheet.Sheet, f sheet.Facing) facing {
	same := spreadOf(sheet.Rows(sheets, f))
	return facing{same, same.fitted(false), same.fitted(true)}
}

// PagesOf reads the sheets of an edition. An empty list gives one A4 sheet.
func PagesOf(sheets []sheet.Sheet) Pages {
	if len(sheets) == 0 {
		sheets = []sheet.Sheet{{Width: 595.28, Height: 841.89, Label: "1"}}
	}
	return Pages{
		Sheets: sheets, single: facingOf(sheets, sheet.Single),
		pairs: facingOf(sheets, sheet.Pairs), cover: facingOf(sheets, sheet.CoverThenPairs),
	}
}

// Count is the number of pages.
func (p Pages) Count() int { return len(p.Sheets) }

func (p Pages) spread(s setting.Settings) spread {
	f := p.single
	switch s.Facing {
	case setting.Pairs:
		f = p.pairs
	case setting.Cover:
		f = p.cover
	}
	switch {
	case s.RowScale == setting.EachRow && s.Zoom.Kind == setting.FitWidth:
		return f.wide
	case s.RowScale == setting.EachRow && s.Zoom.Kind == setting.FitPage:
		return f.whole
	}
	return f.same
}

// Factor is how many times as large a row stands as the scale says: 1, but where each
// is as large as fits.
func (p Pages) Factor(s setting.Settings, row int) float64 {
	if f := p.spread(s).factors; row < len(f) {
		return f[row]
	}
	return 1
}

// Rows are the rows the pages stand in under settings, times their factors.
func (p Pages) Rows(s setting.Settings) []sheet.Row { return p.spread(s).rows }

// Extent is the width of the widest row and the height of the tallest one, in
// points, times their factors.
func (p Pages) Extent(s setting.Settings) (widest, tallest float64) {
	in := p.spread(s)
	return in.widest, in.tallest
}
