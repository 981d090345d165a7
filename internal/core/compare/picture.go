package compare

import (
	"image"
	"image/draw"
	"math"
	"slices"
)

// Cells is how many cells a small picture has in each direction.
const Cells = 64

// Width is how wide a page is drawn that a small picture is made of, px.
const Width = 6 * Cells

// Picture is a page seen small: the mean colour of Cells × Cells cells, row by row, each
// red, green and blue from 0 to 255. An empty one is not known.
type Picture []uint8

// Small makes a picture of an image of a page.
func Small(m image.Image) Picture {
	of, is := m.(*image.RGBA)
	if !is {
		of = image.NewRGBA(m.Bounds())
		draw.Draw(of, of.Bounds(), m, m.Bounds().Min, draw.Src)
	}
	b := of.Bounds()
	out := make(Picture, 0, Cells*Cells*3)
	for y := range Cells {
		// At least a pixel each, also of images that are smaller than this.
		top := y * b.Dy() / Cells
		bottom := max((y+1)*b.Dy()/Cells, top+1)
		for x := range Cells {
			left := x * b.Dx() / Cells
			right := max((x+1)*b.Dx()/Cells, left+1)
			var sum [3]int
			for py := top; py < bottom; py++ {
				row := of.Pix[py*of.Stride+4*left : py*of.Stride+4*right]
				for i := 0; i < len(row); i += 4 {
					sum[0], sum[1], sum[2] = sum[0]+int(row[i]), sum[1]+int(row[i+1]), sum[2]+int(row[i+2])
				}
			}
			n := (bottom - top) * (right - left)
			out = append(out, uint8(sum[0]/n), uint8(sum[1]/n), uint8(sum[2]/n)) //nolint:gosec // means of bytes
		}
	}
	return out
}

// grey gives how dark the cells are, from 0 to 1 less their mean; nil where it is not known.
func (p Picture) grey() []float32 {
	if len(p) != Cells*Cells*3 {
		return nil
	}
	var mean float32
	out := make([]float32, Cells*Cells)
	for i := range out {
		out[i] = 1 - (0.2126*float32(p[3*i])+0.7152*float32(p[3*i+1])+0.0722*float32(p[3*i+2]))/255
		mean += out[i]
	}
	mean /= float32(len(out))
	for i := range out {
		out[i] -= mean
	}
	return out
}

// turned gives cells turned by quarters, clockwise.
func turned(grey []float32, quarters int) []float32 {
	for range quarters {
		out := make([]float32, len(grey))
		for y := range Cells {
			for x := range Cells {
				out[x*Cells+Cells-1-y] = grey[y*Cells+x]
			}
		}
		grey = out
	}
	return grey
}

// looks says how alike two pages look, from 0 to 1: the correlation of how dark they are.
// Two empty pages look alike. Where pages have to be known by it, they are looked at turned,
// too.
func looks(p, q page, alsoTurned bool) float64 {
	if p.dark == nil || q.dark == nil {
		return 0
	}
	best := correlation(p.dark, q.dark)
	for t := 1; t < 4 && best < 0.9 && alsoTurned; t++ {
		best = max(best, 0.97*correlation(turned(p.dark, t), q.dark))
	}
	return max(best, 0)
}

func correlation(a, b []float32) float64 {
	var ab, aa, bb float64
	for i := range a {
		x, y := float64(a[i]), float64(b[i])
		ab, aa, bb = ab+x*y, aa+x*x, bb+y*y
	}
	const empty = 1e-3
	switch {
	case aa < empty && bb < empty:
		return 1
	case aa < empty || bb < empty:
		return 0
	}
	return ab / math.Sqrt(aa*bb)
}

// What is seen as a difference: a cell whose colour is another one by as much, in one of
// red, green and blue, of 255.
const seen = 10

// looksAs says whether nothing visible differs between two pages: size, words and colours.
func (p page) looksAs(q page) bool {
	if !sized(p.Sheet, q.Sheet) || !slices.Equal(p.Words, q.Words) {
		return false
	}
	if p.Unseen || q.Unseen {
		return true // as far as is known, see Comparison.Unseen
	}
	if len(p.Picture) != len(q.Picture) {
		return false
	}
	for i := range p.Picture {
		if d := int(p.Picture[i]) - int(q.Picture[i]); d > seen || d < -seen {
			return false
		}
	}
	return true
}

// edges is how much of a page's height at its top and at its bottom holds running heads.
const edges = Cells / 8

// looksWithin says whether two pages look the same between their edges.
func (p page) looksWithin(q page) bool {
	if !sized(p.Sheet, q.Sheet) || len(p.Picture) != Cells*Cells*3 || len(q.Picture) != len(p.Picture) {
		return p.Unseen || q.Unseen
	}
	for i := edges * Cells * 3; i < (Cells-edges)*Cells*3; i++ {
		if d := int(p.Picture[i]) - int(q.Picture[i]); d > seen || d < -seen {
			return false
		}
	}
	return true
}

// sighted are pages by a quarter of their sight.
type sighted map[uint64][]int

type sightings struct{ parts [4]sighted }

// sights sorts pages by how they look: four quarters of a sight each, of which pages that
// look alike have one in common.
func sights(pages []page) sightings {
	var s sightings
	for k := range s.parts {
		s.parts[k] = sighted{}
	}
	for i, p := range pages {
		if p.dark == nil {
			continue
		}
		h := sight(p.dark)
		for k := range s.parts {
			key := h >> (16 * k) & 0xffff
			s.parts[k][key] = append(s.parts[k][key], i)
		}
	}
	return s
}

// mostAlike bounds how many pages of one look are gone through.
const mostAlike = 64

func (s sightings) near(q page) []int {
	if q.dark == nil || len(q.Words) >= fewWords {
		return nil
	}
	found := map[int]bool{}
	for t := range 4 {
		h := sight(turned(q.dark, t))
		for k := range s.parts {
			in := s.parts[k][h>>(16*k)&0xffff]
			for _, i := range in[:min(len(in), mostAlike)] {
				found[i] = true
			}
		}
	}
	out := make([]int, 0, len(found))
	for i := range found {
		out = append(out, i)
	}
	slices.Sort(out)
	return out
}

// sight is a page seen very small: for each of 8 × 8 parts whether it is darker than the
// mean.
func sight(grey []float32) uint64 {
	var h uint64
	const part = Cells / 8
	for y := range 8 {
		for x := range 8 {
			var sum float32
			for py := range part {
				for px := range part {
					sum += grey[(y*part+py)*Cells+x*part+px]
				}
			}
			if sum > 0 {
				h |= 1 << (8*y + x)
			}
		}
	}
	return h
}

// blank says whether nothing is to be seen on a page: one colour all over.
func blank(p Page) bool {
	for i := 3; i < len(p.Picture); i++ {
		if d := int(p.Picture[i]) - int(p.Picture[i%3]); d > 2 || d < -2 {
			return false
		}
	}
	return len(p.Picture) > 0
}
