package frame

import (
	"math"

	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
)

// Standing is where the pages stand at opening, before anybody has scrolled.
// Boxes are CSS px from the top left corner of the inner box; those of Pages
// are in page order, those of Rows in the order of Pages.Rows. Width and Height
// are how far the content reaches, gutters included; for turned pages that is
// the largest row, since each row has a view of its own.
type Standing struct {
	Rows, Pages   []sheet.Rect
	Width, Height float64
}

// Place computes the box of every row and page.
func Place(s setting.Settings, p Pages, b Box) Standing {
	rows := p.Rows(s)
	out := Standing{Rows: make([]sheet.Rect, len(rows)), Pages: make([]sheet.Rect, p.Count())}
	for i, r := range rows {
		out.Rows[i] = sheet.Rect{W: laidOut(r.Width * b.Scale), H: laidOut(r.Height * b.Scale)}
	}
	switch s.Flow {
	case setting.Across:
		out.across(b)
	case setting.Turn:
		out.turned(b, s.Order == setting.FromRight)
	case setting.Tiles:
		out.tiled(b)
	default:
		out.down(b)
	}
	backward := s.Order == setting.FromRight
	if backward && (s.Flow == setting.Across || s.Flow == setting.Tiles) {
		for i := range out.Rows {
			out.Rows[i].X = b.InnerWidth - out.Rows[i].X - out.Rows[i].W
		}
	}
	factors := p.spread(s).factors
	for i, r := range rows {
		scale := b.Scale
		if i < len(factors) {
			scale *= factors[i]
		}
		out.face(p.Sheets, r, out.Rows[i], scale, backward)
	}
	return out
}

// layoutUnit is the unit that browsers lay out in, 1/64 px: longer lengths are
// cut to it, which adds up over a thousand pages; what sticks out by less still
// fits.
const layoutUnit = 1.0 / 64

func laidOut(v float64) float64 { return math.Floor(v/layoutUnit) * layoutUnit }

// centred is where something of a size stands in the middle of a room, but
// never closer to its start than the gutter.
func centred(room, size float64) float64 { return math.Max(Gutter, (room-size)/2) }

func (o *Standing) reach(r sheet.Rect) {
	o.Width, o.Height = math.Max(o.Width, r.X+r.W+Gutter), math.Max(o.Height, r.Y+r.H+Gutter)
}

func (o *Standing) down(b Box) {
	y := Gutter
	for i := range o.Rows {
		r := &o.Rows[i]
		r.X, r.Y = centred(b.InnerWidth, r.W), y
		y += r.H + Gutter
		o.reach(*r)
	}
}

func (o *Standing) across(b Box) {
	x := Gutter
	for i := range o.Rows {
		r := &o.Rows[i]
		r.X, r.Y = x, centred(b.InnerHeight, r.H)
		x += r.W + Gutter
		o.reach(*r)
	}
}

func (o *Standing) turned(b Box, backward bool) {
	step := b.InnerWidth
	if backward {
		step = -step
	}
	for i := range o.Rows {
		r := &o.Rows[i]
		r.X, r.Y = centred(b.InnerWidth, r.W), centred(b.InnerHeight, r.H)
		o.reach(*r)
		r.X += float64(i) * step
	}
}

func (o *Standing) tiled(b Box) {
	room := b.InnerWidth - 2*Gutter
	y := Gutter
	for first := 0; first < len(o.Rows); {
		n, width, height := 1, o.Rows[first].W, o.Rows[first].H
		for first+n < len(o.Rows) && width+Gutter+o.Rows[first+n].W <= room+layoutUnit {
			width += Gutter + o.Rows[first+n].W
			height = math.Max(height, o.Rows[first+n].H)
			n++
		}
		x := centred(b.InnerWidth, width)
		for i := first; i < first+n; i++ {
			r := &o.Rows[i]
			r.X, r.Y = x, y+(height-r.H)/2
			x += r.W + Gutter
			o.reach(*r)
		}
		y += height + Gutter
		first += n
	}
}

// Abreast is how many rows stand in the first line of tiles.
func (o Standing) Abreast() int {
	n := 1
	for n < len(o.Rows) && o.Rows[n].Y < o.Rows[0].Y+o.Rows[0].H {
		n++
	}
	return n
}

// face sets the pages of one row side by side, in the middle of its height.
func (o *Standing) face(sheets []sheet.Sheet, r sheet.Row, at sheet.Rect, scale float64, backward bool) {
	x := at.X
	for k := range r.Count {
		i := r.First + k
		if backward {
			i = r.First + r.Count - 1 - k
		}
		w, h := laidOut(sheets[i].Width*scale), laidOut(sheets[i].Height*scale)
		o.Pages[i] = sheet.Rect{X: x, Y: at.Y + (at.H-h)/2, W: w, H: h}
		x += w
	}
}

// Shown is the part of a box that shows in the inner box at opening, from 0
// to 1.
func (b Box) Shown(r sheet.Rect) float64 {
	w := math.Min(r.X+r.W, b.InnerWidth) - math.Max(r.X, 0)
	h := math.Min(r.Y+r.H, b.InnerHeight) - math.Max(r.Y, 0)
	if w <= 0 || h <= 0 || r.W <= 0 || r.H <= 0 {
		return 0
	}
	return w * h / (r.W * r.H)
}

// Column is the narrowest column in which a frame is as wide as it was found to
// be: the inverse of the width of Layout. Where a frame is as wide as it ever
// gets, its column may be wider.
func Column(s setting.Settings, width float64) float64 {
	if s.Width.Unit == setting.Percent && width > s.LeastWidth {
		return width * 100 / s.Width.Value
	}
	return width
}
