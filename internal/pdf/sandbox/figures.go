package sandbox

import (
	"math"
	"slices"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/core/sheet"
)

const (
	mostObjects = 4000 // of a page that are looked at
	mostFigures = 40   // of a page
	leastSide   = 30.0 // points: smaller pictures are ornaments
	wholePage   = 0.8  // of a page's area: a larger picture is the page
	mostStrokes = 1500 // of drawings that are put together
	leastDrawn  = 6    // strokes that make a drawing
	apart       = 8.0  // points between the strokes of one drawing, at most
	mostPasses  = 8    // at putting them together
	shapeSide   = 20.0 // points: a shape has both sides as long
	boxCorners  = 5    // segments of a path that may be a box
)

// figures finds the pictures of a page, and its drawings: strokes that lie close
// together. A picture that covers nearly all of the page is none.
func (d *document) figures(page requests.Page, crop sheet.Crop, rotation int) []sheet.Rect {
	in := d.engine.instance
	count, err := in.FPDFPage_CountObjects(&requests.FPDFPage_CountObjects{Page: page})
	if err != nil {
		return nil
	}
	whole := sheet.New(crop, rotation, "")
	var pictures, strokes, shapes []sheet.Rect
	for i := range min(count.Count, mostObjects) {
		o, err := in.FPDFPage_GetObject(&requests.FPDFPage_GetObject{Page: page, Index: i})
		if err != nil {
			continue
		}
		kind, err := in.FPDFPageObj_GetType(&requests.FPDFPageObj_GetType{PageObject: o.PageObject})
		if err != nil || kind.Type == enums.FPDF_PAGEOBJ_TEXT {
			continue
		}
		b, err := in.FPDFPageObj_GetBounds(&requests.FPDFPageObj_GetBounds{PageObject: o.PageObject})
		if err != nil {
			continue
		}
		r := within(crop.RectToSheet(rotation, float64(b.Left), float64(b.Bottom), float64(b.Right), float64(b.Top)), whole)
		switch {
		case r.W <= 0 || r.H <= 0 || r.W*r.H > wholePage*whole.Width*whole.Height:
		case kind.Type == enums.FPDF_PAGEOBJ_PATH || kind.Type == enums.FPDF_PAGEOBJ_SHADING:
			if len(strokes) < mostStrokes {
				strokes = append(strokes, r)
				if r.W >= shapeSide && r.H >= shapeSide && (kind.Type == enums.FPDF_PAGEOBJ_SHADING || d.shaped(o.PageObject)) {
					shapes = append(shapes, r)
				}
			}
		default:
			pictures = append(pictures, r)
		}
	}
	out := slices.DeleteFunc(together(pictures, 2, 1), func(r sheet.Rect) bool { return r.W < leastSide || r.H < leastSide })
	for _, r := range together(strokes, apart, leastDrawn) {
		// Boxes and rules alone are a table or a form.
		drawn := slices.ContainsFunc(shapes, func(s sheet.Rect) bool {
			return s.X >= r.X-1 && s.Y >= r.Y-1 && s.X+s.W <= r.X+r.W+1 && s.Y+s.H <= r.Y+r.H+1
		})
		if drawn && r.W >= 1.5*leastSide && r.H >= 1.5*leastSide && r.W*r.H <= wholePage*whole.Width*whole.Height {
			out = append(out, r)
		}
	}
	out = slices.DeleteFunc(together(out, 0, 1), func(r sheet.Rect) bool { return r.W*r.H > wholePage*whole.Width*whole.Height })
	slices.SortFunc(out, func(a, b sheet.Rect) int {
		if math.Abs(a.Y-b.Y) > 1 {
			return int(math.Copysign(1, a.Y-b.Y))
		}
		return int(math.Copysign(1, a.X-b.X))
	})
	return out[:min(len(out), mostFigures)]
}

// shaped says whether a path is more than a box or a rule.
func (d *document) shaped(o references.FPDF_PAGEOBJECT) bool {
	in := d.engine.instance
	count, err := in.FPDFPath_CountSegments(&requests.FPDFPath_CountSegments{PageObject: o})
	if err != nil || count.Count > boxCorners {
		return err == nil
	}
	for i := range count.Count {
		s, err := in.FPDFPath_GetPathSegment(&requests.FPDFPath_GetPathSegment{PageObject: o, Index: i})
		if err != nil {
			return false
		}
		kind, err := in.FPDFPathSegment_GetType(&requests.FPDFPathSegment_GetType{PathSegment: s.PathSegment})
		if err == nil && kind.Type == enums.FPDF_SEGMENT_BEZIERTO {
			return true
		}
	}
	return false
}

func within(r sheet.Rect, s sheet.Sheet) sheet.Rect {
	left, top := math.Max(r.X, 0), math.Max(r.Y, 0)
	return sheet.Rect{X: left, Y: top, W: math.Min(r.X+r.W, s.Width) - left, H: math.Min(r.Y+r.H, s.Height) - top}
}

// together joins rectangles that lie no further apart than that, and gives those
// that so many of them make.
func together(rects []sheet.Rect, apart float64, least int) []sheet.Rect {
	type cluster struct {
		sheet.Rect
		n int
	}
	all := make([]cluster, len(rects))
	for i, r := range rects {
		all[i] = cluster{r, 1}
	}
	slices.SortFunc(all, func(a, b cluster) int { return int(math.Copysign(1, a.Y-b.Y)) })
	for pass, joined := 0, true; joined && pass < mostPasses; pass++ {
		joined = false
		for i := 0; i < len(all); i++ {
			for k := i + 1; k < len(all); k++ {
				a, b := all[i], all[k]
				if a.X > b.X+b.W+apart || b.X > a.X+a.W+apart || a.Y > b.Y+b.H+apart || b.Y > a.Y+a.H+apart {
					continue
				}
				left, top := math.Min(a.X, b.X), math.Min(a.Y, b.Y)
				all[i] = cluster{sheet.Rect{X: left, Y: top, W: math.Max(a.X+a.W, b.X+b.W) - left, H: math.Max(a.Y+a.H, b.Y+b.H) - top}, a.n + b.n}
				all[k] = all[len(all)-1]
				all, joined = all[:len(all)-1], true
				k--
			}
		}
	}
	var out []sheet.Rect
	for _, c := range all {
		if c.n >= least {
			out = append(out, c.Rect)
		}
	}
	return out
}
