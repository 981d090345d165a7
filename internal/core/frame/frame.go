// Package frame computes the boxes of a placement on its web page.
//
// A column width goes in; out come the outer box, the inner box the pages
// stand in, and the scale. The same formulas are given as CSS, with which a
// browser reserves the exact space without script (CSS container query units,
// css-contain-3). All lengths are CSS px, sheets are in points; scale is CSS px
// per point.
package frame

import (
	"fmt"
	"math"

	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
)

// The reader's own measures, in CSS px. The style sheet of the reader states
// the same ones; a browser test holds the two together.
const (
	Border    = 1.0  // hairline around the frame, on each side
	Toolbar   = 44.0 // height of the toolbar
	Gutter    = 12.0 // around and between pages
	ForeEdge  = 28.0 // width of the strip beside the pages
	Caption   = 20.0 // line under the frame that opens it in its own window
	TrueScale = 4.0 / 3
)

// The bounds of the scale.
const (
	MinScale = TrueScale * setting.MinZoom / 100
	MaxScale = TrueScale * setting.MaxZoom / 100
)

// Pages is what a layout needs to know of a document.
type Pages struct {
	Count   int
	First   sheet.Sheet
	Widest  float64 // points
	Tallest float64 // points
}

// PagesOf reads the sheets of an edition. An empty list gives one A4 sheet.
func PagesOf(sheets []sheet.Sheet) Pages {
	if len(sheets) == 0 {
		a4 := sheet.Sheet{Width: 595.28, Height: 841.89}
		return Pages{Count: 1, First: a4, Widest: a4.Width, Tallest: a4.Height}
	}
	w, h := sheet.Extent(sheets)
	return Pages{Count: len(sheets), First: sheets[0], Widest: w, Tallest: h}
}

// HasForeEdge says whether a reader of these settings has the strip: only
// where there is something to move along.
func HasForeEdge(s setting.Settings, pages int) bool { return s.Navigation && pages > 1 }

// around is what the frame itself takes of its width and height.
func around(s setting.Settings, pages int) (width, height float64) {
	width, height = 2*Border, 2*Border
	if HasForeEdge(s, pages) {
		width += ForeEdge
	}
	if s.Toolbar {
		height += Toolbar
	}
	return width, height
}

// Box is a placement at one column width.
type Box struct {
	Width, Height           float64 // outer
	InnerWidth, InnerHeight float64 // where the pages stand, gutters included
	Scale                   float64 // CSS px per point
}

// Layout computes a placement in a column, in a window of a height.
func Layout(s setting.Settings, p Pages, column, windowHeight float64) Box {
	b := Box{Width: outerWidth(s, column)}
	w, h := around(s, p.Count)
	b.InnerWidth = math.Max(b.Width-w, 0)
	switch s.Height.Unit {
	case setting.Pixels:
		b.Height = s.Height.Value
	case setting.VH:
		b.Height = s.Height.Value / 100 * windowHeight
	default:
		b.Height = h + 2*Gutter + p.First.Height*heightScale(s, p, b.InnerWidth)
	}
	b.InnerHeight = math.Max(b.Height-h, 0)
	b.Scale = Scale(s.Zoom, p, b.InnerWidth, b.InnerHeight)
	return b
}

func outerWidth(s setting.Settings, column float64) float64 {
	w := s.Width.Value
	if s.Width.Unit == setting.Percent {
		w = column * s.Width.Value / 100
	}
	if s.MaxWidth > 0 {
		w = math.Min(w, s.MaxWidth)
	}
	return math.Min(w, column)
}

// heightScale is the scale at which the height of one whole page is measured.
// An opening at fit page would ask for the height it is to give, so it counts
// as fit width.
func heightScale(s setting.Settings, p Pages, inner float64) float64 {
	opening := s.Zoom
	if opening.Kind == setting.FitPage {
		opening.Kind = setting.FitWidth // see above
	}
	return Scale(opening, p, inner, 0)
}

// Scale is the scale at opening in an inner box.
func Scale(z setting.Opening, p Pages, innerWidth, innerHeight float64) float64 {
	scale := (innerWidth - 2*Gutter) / p.Widest
	switch z.Kind {
	case setting.FitPage:
		scale = math.Min(scale, (innerHeight-2*Gutter)/p.Tallest)
	case setting.TrueSize:
		scale = TrueScale
	case setting.ByNumber:
		scale = TrueScale * z.Percent / 100
	}
	return math.Min(math.Max(scale, MinScale), MaxScale)
}

// Style is the outer box as CSS, for an element whose parent is a size
// container as wide as the column.
type Style struct {
	Width  string
	Height string
	Margin string
	// Fallback is a height in px for where styles are stripped: that at a
	// column of 640 px in a window of 800 px.
	Fallback int
}

// CSS gives the outer box as CSS.
func CSS(s setting.Settings, p Pages) Style {
	out := Style{Width: cssWidth(s), Height: cssHeight(s, p)}
	out.Margin = map[string]string{setting.Left: "0 auto 0 0", setting.Right: "0 0 0 auto"}[s.Align]
	if out.Margin == "" {
		out.Margin = "0 auto"
	}
	out.Fallback = int(math.Round(Layout(s, p, 640, 800).Height))
	return out
}

// cssWidth is outerWidth in CSS, 100cqw being the column.
func cssWidth(s setting.Settings) string {
	parts := "100cqw"
	switch {
	case s.Width.Unit == setting.Percent && s.Width.Value != 100:
		parts = number(s.Width.Value) + "cqw"
	case s.Width.Unit == setting.Pixels:
		parts += "," + number(s.Width.Value) + "px"
	}
	if s.MaxWidth > 0 {
		parts += "," + number(s.MaxWidth) + "px"
	}
	if parts == "100cqw" || !hasComma(parts) {
		return parts
	}
	return "min(" + parts + ")"
}

func hasComma(s string) bool {
	for _, r := range s {
		if r == ',' {
			return true
		}
	}
	return false
}

// cssHeight is the height of Layout in CSS.
func cssHeight(s setting.Settings, p Pages) string {
	switch s.Height.Unit {
	case setting.Pixels:
		return number(s.Height.Value) + "px"
	case setting.VH:
		return number(s.Height.Value) + "vh"
	}
	w, h := around(s, p.Count)
	fixed := h + 2*Gutter
	if s.Zoom.Kind == setting.TrueSize || s.Zoom.Kind == setting.ByNumber {
		return number(fixed+p.First.Height*heightScale(s, p, 0)) + "px"
	}
	// Bounded like Scale, in px of the page's own height.
	low, high := number(p.First.Height*MinScale)+"px", number(p.First.Height*MaxScale)+"px"
	grow := fmt.Sprintf("(%s - %spx)*%s", cssWidth(s), number(w+2*Gutter), number(p.First.Height/p.Widest))
	return fmt.Sprintf("calc(clamp(%s,%s,%s) + %spx)", low, grow, high, number(fixed))
}

// number writes a length with at most five decimals: far below a pixel even
// when it is multiplied by a wide column.
func number(v float64) string { return setting.Number(math.Round(v*1e5) / 1e5) }
