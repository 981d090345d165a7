package sheet

import "math"

// Row is what stands side by side as one: a sheet, or two that face each other
// without a gap. First is the index of its first sheet, Count 1 or 2. Width
// and Height are points.
type Row struct {
	First, Count  int
	Width, Height float64
}

// Facing says which sheets stand in one row.
type Facing int

// The ways of facing.
const (
	Single         Facing = iota
	Pairs                 // 1 and 2, 3 and 4
	CoverThenPairs        // 1 alone, 2 and 3
)

// Rows puts sheets into rows, in their own order.
func Rows(sheets []Sheet, facing Facing) []Row {
	out := make([]Row, 0, len(sheets))
	for i := 0; i < len(sheets); {
		r := Row{First: i, Count: 1, Width: sheets[i].Width, Height: sheets[i].Height}
		alone := facing == Single || (facing == CoverThenPairs && i == 0)
		if !alone && i+1 < len(sheets) {
			r.Count = 2
			r.Width += sheets[i+1].Width
			r.Height = math.Max(r.Height, sheets[i+1].Height)
		}
		out = append(out, r)
		i += r.Count
	}
	return out
}
