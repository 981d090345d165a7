// Package fine compares two images of one page so finely that a changed digit is found, and
// tells what was changed from what another scan or another print makes of the same page.
//
// The two are laid over each other first (coarsely over turns and shifts, then by Gauss and
// Newton on a pyramid; Lucas and Kanade, An iterative image registration technique, 1981;
// Baker and Matthews, Lucas-Kanade 20 years on, 2004). Then both are low-passed: the amount
// of ink of a place survives blur, other sampling and small shifts, and not ink that was
// added or lost. What differs is held against the noise of this very pair, by how much
// texture there is. All sizes are in points, so that no resolution matters.
package fine

import (
	"image"

	"incipit/internal/core/sheet"
)

// DPI is the resolution that pages are compared at, pixels an inch.
const DPI = 110

// MostPixels bounds the images that are compared, and leastDPI is what a large page must
// have of resolution so that it can be called the same.
const (
	MostPixels = 2_000_000
	leastDPI   = 80
)

// Verdict is what became of a page.
type Verdict string

// What becomes of a page. Same looks the same, pixel by pixel. Anew was scanned, printed or
// laid out anew, and nothing of it was changed. Changed has places that differ. Unsure was
// made anew, too roughly to say that nothing was changed.
const (
	Same    Verdict = "same"
	Anew    Verdict = "anew"
	Changed Verdict = "changed"
	Unsure  Verdict = "unsure"
)

// Result is a verdict with its places, in fractions of the new page's width and height from
// its top left corner. A ground of another colour all over is one place: the whole page.
type Result struct {
	Verdict Verdict      `json:"verdict"`
	Areas   []sheet.Rect `json:"areas,omitempty"`
	// Exact says that most of the page is drawn pixel by pixel as it was.
	Exact bool `json:"exact,omitempty"`
}

// Pages compares two images of a page that were drawn at one resolution, dots an inch.
func Pages(before, after image.Image, dpi float64) Result {
	a, b := read(before), read(after)
	if areas, is := exactly(a, b, dpi); is {
		r := settled(areas, b, Same)
		r.Exact = true
		return r
	}
	w := registered(a.grey, b.grey, dpi)
	d := differing(a, b, w, dpi)
	areas := d.areas()
	switch {
	case len(areas) > 0:
		return settled(areas, b, Changed)
	case d.rough || d.specks || dpi < leastDPI:
		return Result{Verdict: Unsure}
	}
	return Result{Verdict: Anew}
}

// settled gives places as fractions; none is what else is to be said.
func settled(areas []image.Rectangle, b page, none Verdict) Result {
	if len(areas) == 0 {
		return Result{Verdict: none}
	}
	r := Result{Verdict: Changed}
	w, h := float64(b.grey.w), float64(b.grey.h)
	for _, a := range areas {
		r.Areas = append(r.Areas, sheet.Rect{X: float64(a.Min.X) / w, Y: float64(a.Min.Y) / h, W: float64(a.Dx()) / w, H: float64(a.Dy()) / h})
	}
	return r
}
