package fine

import "image"

const (
	// sameLevels is how much a channel may differ that is drawn alike, of 255.
	sameLevels = 2
	// plainLevels is how much it differs at least where pages that were drawn alike were
	// changed: a compressed image is a little uneven about a change.
	plainLevels = 6
	// alike is the share of the pixels with something drawn about them that are the same at
	// least, where a page was not made anew.
	alike = 0.6
)

// exactly compares pages of which most is drawn pixel by pixel alike: what differs is what
// was changed, however pale. is says that they are such pages.
func exactly(a, b page, dpi float64) (areas []image.Rectangle, is bool) {
	if a.grey.w != b.grey.w || a.grey.h != b.grey.h {
		return nil, false
	}
	w, h := a.grey.w, a.grey.h
	differs := make([]bool, w*h)
	steep, also := a.grey.steepness(), b.grey.steepness()
	drawn, same, any := 0, 0, 0
	for y := range h {
		p, q := a.rgb.Pix[y*a.rgb.Stride:], b.rgb.Pix[y*b.rgb.Stride:]
		for x := range w {
			most := 0
			for c := range 3 {
				d := int(p[4*x+c]) - int(q[4*x+c])
				most = max(most, d, -d)
			}
			i := y*w + x
			if steep.p[i] > 8 || also.p[i] > 8 {
				drawn++
				if most <= sameLevels {
					same++
				}
			}
			if most > sameLevels {
				any++
			}
			differs[i] = most >= plainLevels
		}
	}
	switch {
	case any == 0:
		return nil, true
	case drawn == 0: // a blank page that has another colour, or something pale
		if float64(any) > (1-alike)*float64(w*h) {
			return nil, false
		}
	case float64(same) < alike*float64(drawn):
		return nil, false
	}
	return boxed(differs, w, h, dpi, func(r image.Rectangle) image.Rectangle { return r }), true
}
