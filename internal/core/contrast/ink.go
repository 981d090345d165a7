package contrast

import (
	"cmp"
	"fmt"
	"image"
	"image/color"
	"math"
	"slices"

	"incipit/internal/core/sheet"
)

// Ink is a piece of text in one colour on a sheet: where it stands, its size in points, and
// how many letters it has.
type Ink struct {
	Box     sheet.Rect
	Size    float64
	Bold    bool
	Colour  string
	Letters int
}

// Large text reads with less contrast (WCAG 2.2, "large scale"): from 18 points on, bold from
// 14.
const (
	largeFrom     = 18
	largeBoldFrom = 14
)

// Needs is the ratio that text has to have.
func (i Ink) Needs() float64 {
	if i.Size >= largeFrom || i.Bold && i.Size >= largeBoldFrom {
		return Control
	}
	return Text
}

const (
	even     = 24  // levels of 255 by which what is behind a text may vary
	evenPart = 0.8 // part of what is seen around a text that has to be even
	hidden   = 1.1 // contrast below which a text is not meant to be seen
	shown    = 0.3 // part of the way to its colour that some pixel of a text has to go
)

// On measures how a text stands out from what is around it in a picture of its page,
// perPoint pixels to a point. ok is false where that cannot be told: over a photograph, or
// where the text itself is not to be seen.
func (i Ink) On(page image.Image, perPoint float64) (ratio float64, ok bool) {
	b := page.Bounds()
	const around = 2 // px
	box := image.Rect(int(math.Floor(i.Box.X*perPoint)), int(math.Floor(i.Box.Y*perPoint)), int(math.Ceil((i.Box.X+i.Box.W)*perPoint)),
		int(math.Ceil((i.Box.Y+i.Box.H)*perPoint))).Add(b.Min)
	ring := box.Inset(-around).Intersect(b)
	if inside := box.Intersect(b); inside.Dx() < 3 || inside.Dy() < 3 || inside.Dx()*inside.Dy() < box.Dx()*box.Dy()/2 {
		return 0, false
	}
	var seen [][3]float64
	for y := ring.Min.Y; y < ring.Max.Y; y++ {
		for x := ring.Min.X; x < ring.Max.X; x++ {
			if y < box.Min.Y || y >= box.Max.Y || x < box.Min.X || x >= box.Max.X {
				seen = append(seen, levels(page.At(x, y)))
			}
		}
	}
	if len(seen) < 8 {
		return 0, false
	}
	var behind [3]float64
	for c := range behind {
		slices.SortFunc(seen, func(a, b [3]float64) int { return cmp.Compare(a[c], b[c]) })
		behind[c] = seen[len(seen)/2][c]
	}
	alike := 0
	for _, p := range seen {
		if math.Abs(p[0]-behind[0]) <= even && math.Abs(p[1]-behind[1]) <= even && math.Abs(p[2]-behind[2]) <= even {
			alike++
		}
	}
	if float64(alike) < evenPart*float64(len(seen)) {
		return 0, false
	}
	ground := fmt.Sprintf("#%02x%02x%02x", int(behind[0]), int(behind[1]), int(behind[2]))
	if ratio = Ratio(i.Colour, ground); ratio < hidden || !drawn(page, box.Intersect(b), behind, channels(i.Colour)) {
		return 0, false
	}
	return ratio, true
}

// drawn says whether some pixel goes from what is behind a text towards its colour, and no
// other way.
func drawn(page image.Image, box image.Rectangle, behind, ink [3]float64) bool {
	var way [3]float64
	length := 0.0
	for c := range way {
		way[c] = ink[c] - behind[c]
		length += way[c] * way[c]
	}
	for y := box.Min.Y; y < box.Max.Y; y++ {
		for x := box.Min.X; x < box.Max.X; x++ {
			p := levels(page.At(x, y))
			far := 0.0
			for c := range way {
				far += (p[c] - behind[c]) * way[c]
			}
			if far /= length; far < shown {
				continue
			}
			aside := 0.0
			for c := range way {
				d := p[c] - behind[c] - far*way[c]
				aside += d * d
			}
			if far <= 1.3 && aside <= even*even {
				return true
			}
		}
	}
	return false
}

func levels(c color.Color) [3]float64 {
	r, g, b, _ := c.RGBA()
	return [3]float64{float64(r >> 8), float64(g >> 8), float64(b >> 8)}
}
