// Package frame computes the boxes of a placement on its web page.
//
// A column width goes in; out come the outer box, the inner box the pages
// stand in, the scale, and the box of every page. The same formulas are given
// as CSS, with which a browser reserves the exact space without script (CSS
// container query units, css-contain-3). All lengths are CSS px, sheets are in
// points; scale is CSS px per point.
package frame

import (
	"math"

	"incipit/internal/core/setting"
)

// The reader's own measures, in CSS px. The style sheet of the reader states
// the same ones; a browser test holds the two together.
const (
	Toolbar   = 44.0           // height of the toolbar
	Gutter    = 12.0           // around and between rows of pages
	ForeEdge  = 28.0           // width of the strip beside the pages, height of it below them
	Narrow    = setting.Narrow // a frame narrower than that has the strip below the pages
	Caption   = 20.0           // line under the frame that opens it in its own window
	TrueScale = 4.0 / 3
)

// The bounds of the scale.
const (
	MinScale = TrueScale * setting.MinZoom / 100
	MaxScale = TrueScale * setting.MaxZoom / 100
	// LeastFit is how far fitting a page may go: a sheet of 14,400 points, the largest
	// there is (ISO 32000-2, annex C), shows whole in the smallest frame.
	LeastFit = TrueScale * 0.4 / 100
)

// HasForeEdge says whether a reader of these settings has the strip: only
// where there is something to move along.
func HasForeEdge(s setting.Settings, pages int) bool { return s.ForeEdge && s.Navigation && pages > 1 }

// Bar is the height that the toolbar takes from the pages: none when it only
// appears on approach, over them.
func Bar(s setting.Settings) float64 {
	if s.Toolbar && s.BarShown == setting.Always {
		return Toolbar
	}
	return 0
}

// around is what the frame itself takes of its width and height: edge is what
// the strip takes of one or the other, 0 without one.
func around(s setting.Settings, pages int) (width, height, edge float64) {
	width = 2*s.Border + 2*s.Padding
	if HasForeEdge(s, pages) {
		edge = ForeEdge
	}
	return width, width + Bar(s), edge
}

// Box is a placement at one column width.
type Box struct {
	Width, Height           float64 // outer
	InnerWidth, InnerHeight float64 // where the pages stand, gutters included
	Scale                   float64 // CSS px per point
}

// Layout computes a placement in a column, in a window of a height.
func Layout(s setting.Settings, p Pages, column, windowHeight float64) Box {
	b := Box{Width: wholeWidth(outerWidth(s, column))}
	w, h, edge := around(s, p.Count())
	if b.Width < Narrow {
		h += edge
	} else {
		w += edge
	}
	b.InnerWidth = math.Max(b.Width-w, 0)
	switch s.Height.Unit {
	case setting.Pixels:
		b.Height = s.Height.Value
	case setting.VH:
		b.Height = s.Height.Value / 100 * windowHeight
	default:
		b.Height = roomOf(s, p).at(outerWidth(s, column))
	}
	b.Height = wholeHeight(limited(s, b.Height))
	b.InnerHeight = math.Max(b.Height-h, 0)
	b.Scale = Scale(s.In(b.Width), p, b.InnerWidth, b.InnerHeight)
	return b
}

// limited keeps a height within its least and its most.
func limited(s setting.Settings, height float64) float64 {
	if s.MostHeight > 0 {
		height = math.Min(height, s.MostHeight)
	}
	return math.Max(height, s.LeastHeight)
}

// An inline frame's window is whole pixels: a frame of 640.5 px would leave its
// reader to guess which. So frames are whole pixels themselves, down in width
// and up in height, that page 1 is not cut. What is a hair from a whole number
// is that number, whoever computed it.
const hair = 0.013

func wholeWidth(w float64) float64  { return math.Floor(w + hair) }
func wholeHeight(h float64) float64 { return math.Ceil(h - hair) }

func outerWidth(s setting.Settings, column float64) float64 {
	w := s.Width.Value
	if s.Width.Unit == setting.Percent {
		w = column * s.Width.Value / 100
	}
	if s.MaxWidth > 0 {
		w = math.Min(w, s.MaxWidth)
	}
	// A minimum holds even in a narrower column: the frame then sticks out.
	return math.Max(math.Min(w, column), s.LeastWidth)
}

// Left is how far a frame of an outer width stands from the left of its column.
// One that is wider than its column sticks out at the right.
func Left(s setting.Settings, width, column float64) float64 {
	free := math.Max(column-width, 0)
	switch s.Align {
	case setting.Left:
		return 0
	case setting.Right:
		return free
	}
	return free / 2
}

// standing gives what a height of whole pages is made of: points that are
// scaled, and gutters that are not. One page is the first row. Rows of pages
// are the first rows where they stand below each other; among tiles, so many
// lines as tall as the first row; where they stand beside each other, one.
func standing(s setting.Settings, p Pages) (points, gaps float64) {
	rows := p.Rows(s)
	n := 1
	if s.Height.Unit == setting.Rows {
		n = int(s.Height.Value)
	}
	switch s.Flow {
	case setting.Across, setting.Turn:
		n = 1
	case setting.Tiles:
		return float64(n) * rows[0].Height, float64(n+1) * Gutter
	}
	n = min(n, len(rows))
	for _, r := range rows[:n] {
		points += r.Height
	}
	return points, float64(n+1) * Gutter
}

// heightScale is the scale at which the height of whole pages is measured. An
// opening at fit page would ask for the height it is to give, so it counts as
// fit width.
func heightScale(s setting.Settings, p Pages, inner float64) float64 {
	if s.Zoom.Kind == setting.FitPage {
		s.Zoom.Kind = setting.FitWidth // see above
	}
	return Scale(s, p, inner, 0)
}

// Scale is the scale at opening in an inner box.
func Scale(s setting.Settings, p Pages, innerWidth, innerHeight float64) float64 {
	widest, tallest := p.Extent(s)
	scale := (innerWidth - 2*Gutter) / widest
	switch s.Zoom.Kind {
	case setting.FitPage:
		scale = math.Min(scale, (innerHeight-2*Gutter)/tallest)
	case setting.TrueSize:
		scale = TrueScale
	case setting.ByNumber:
		scale = TrueScale * s.Zoom.Percent / 100
	}
	low, high := Bounds(s)
	return math.Min(math.Max(scale, low), high)
}

// Bounds are the least and the greatest scale at opening.
func Bounds(s setting.Settings) (low, high float64) {
	low, high = MinScale, MaxScale
	if s.Zoom.Kind == setting.FitWidth || s.Zoom.Kind == setting.FitPage {
		low = LeastFit
	}
	low = math.Max(low, TrueScale*s.LeastZoom/100)
	if s.MostZoom > 0 {
		high = math.Max(math.Min(high, TrueScale*s.MostZoom/100), low)
	}
	return low, high
}
