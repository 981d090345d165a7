package frame

import (
	"math"

	"incipit/internal/core/setting"
)

// room is a height of whole pages as it follows from the width of a frame: so many
// times the width and so many CSS px, in figures that are short enough to be read in
// a piece of code. With a strip there are two such lines, for where it stands beside
// the pages and below them; between them the height does not change with the width,
// so that it never falls where a frame grows:
//
//	min(max(factor·W + beside, step), factor·W + below)
//
// Frames narrower than Narrow may have a least height of their own. A factor of 0 is a height that does not follow the width, and has a step.
type room struct {
	factor        float64
	beside, below float64 // CSS px
	edge          float64 // of the strip, CSS px; 0 without one
	step          float64 // CSS px
	narrow        float64 // at least, in narrow frames, CSS px
	least, most   float64 // what the bounds of the scale make of it, without the strip
}

// spare is what a height of whole pages has more than it needs: a frame that browsers
// set between pixels may have one less.
const spare = 1.0

// Columns at which the bounds of the scale are looked at: narrower and wider ones
// are on no page.
const (
	leastColumn = 120.0
	mostColumn  = 4000.0
)

func roomOf(s setting.Settings, p Pages) room {
	w, h, edge := around(s, p.Count())
	points, gaps := standing(s, p)
	fixed := h + gaps
	narrow := 0.0
	if s.NarrowZoom > s.LeastZoom {
		small := s.In(0)
		narrow = math.Ceil(fixed + edge + spare + points*heightScale(small, p, 0))
	}
	if s.Zoom.Kind == setting.TrueSize || s.Zoom.Kind == setting.ByNumber {
		return room{beside: math.Ceil(fixed + points*heightScale(s, p, 0) - hair), edge: edge, narrow: narrow, most: math.Inf(1)}
	}
	widest, _ := p.Extent(s)
	low, high := Bounds(s)
	r := room{edge: edge, narrow: narrow, most: math.Inf(1)}
	r.factor = math.Ceil(points/widest*1e4-1e-6) / 1e4
	line := func(taken, more float64) float64 {
		return math.Ceil(fixed + spare + more - (w+2*Gutter+taken)*points/widest) // never less than it needs
	}
	r.beside, r.below = line(edge, 0), line(0, edge)
	if widest*low > leastColumn-w-2*Gutter {
		r.least = math.Ceil(fixed + spare + points*low)
	}
	if widest*high < mostColumn-w-2*Gutter {
		r.most = math.Ceil(fixed + spare + points*high)
	}
	r.step = math.Round(math.Min(r.factor*Narrow+r.below, r.most+edge))
	return r
}

// at is the height at a width of the frame, which need not be whole.
func (r room) at(width float64) float64 {
	least, narrow := r.least, math.Floor(width+hair) < Narrow
	if narrow {
		least = math.Max(least, r.narrow)
	}
	if r.factor == 0 {
		if narrow {
			return math.Max(r.beside+r.edge, least)
		}
		return r.beside
	}
	beside, below := math.Min(r.factor*width+r.beside, r.most), math.Min(r.factor*width+r.below, r.most+r.edge)
	h := below
	if r.edge > 0 {
		h = math.Max(beside, math.Min(r.step, below))
	}
	return math.Max(h, least)
}
