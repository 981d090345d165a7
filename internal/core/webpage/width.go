package webpage

import (
	"fmt"
	"math"
)

// Split is how a row is divided into columns, as parts of its width.
type Split string

// The splits.
const (
	One        Split = "1"
	Halves     Split = "1-1"
	WideFirst  Split = "2-1"
	WideSecond Split = "1-2"
	Thirds     Split = "1-1-1"
)

// Splits are all of them.
func Splits() []Split { return []Split{One, Halves, WideFirst, WideSecond, Thirds} }

func (s Split) parts() []float64 {
	switch s {
	case Halves:
		return []float64{1, 1}
	case WideFirst:
		return []float64{2, 1}
	case WideSecond:
		return []float64{1, 2}
	case Thirds:
		return []float64{1, 1, 1}
	}
	return []float64{1}
}

// Count is the number of columns.
func (s Split) Count() int { return len(s.parts()) }

// Measures of a page, in CSS px. The style sheet of published pages has the
// same ones; a browser test holds the two together.
const (
	Widest  = 1080.0 // of the rows
	Margin  = 24.0   // at each side of the window
	Gap     = 32.0   // between columns
	Stacked = 760.0  // windows narrower than this have columns below each other
)

// Widths gives the width of each column of a row in a window.
func (s Split) Widths(window float64) []float64 {
	row := math.Max(math.Min(window-2*Margin, Widest), 0)
	parts := s.parts()
	out := make([]float64, len(parts))
	if window < Stacked {
		for i := range out {
			out[i] = row
		}
		return out
	}
	for i := range parts {
		out[i] = (row - s.gaps()) * s.share(i)
	}
	return out
}

func (s Split) gaps() float64 { return Gap * float64(s.Count()-1) }

// share is the part of a row, without its gaps, that a column has.
func (s Split) share(column int) float64 {
	sum := 0.0
	for _, p := range s.parts() {
		sum += p
	}
	return s.parts()[column] / sum
}

// Sizes gives the same width of one column as the sizes attribute of an image
// (HTML, 4.8.4.2.1), so that a browser fetches no more than it shows.
func (s Split) Sizes(column int) string {
	return fmt.Sprintf("(width < %gpx) calc(100vw - %gpx), (width < %gpx) calc((100vw - %gpx) * %.4f), %.0fpx",
		Stacked, 2*Margin, Widest+2*Margin, 2*Margin+s.gaps(), s.share(column), s.Widths(math.Inf(1))[column])
}
