package sandbox

import (
	"strings"
	"unicode/utf8"

	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/core/legible"
	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
)

// tightBoxes is how many flat letters of one size are measured on a page: their
// heights differ by hairs, and each costs a call.
const tightBoxes = 40

// typeOf measures the type of some pages. A damaged page has none.
func (d *document) typeOf(numbers []int) ([]legible.Page, error) {
	out := make([]legible.Page, 0, len(numbers))
	for _, n := range numbers {
		p, err := d.typeOn(n)
		if pdf.KindOf(err) == pdf.Damaged {
			p = legible.Page{Number: n, Bins: []legible.Bin{}}
		} else if err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, nil
}

func (d *document) typeOn(number int) (legible.Page, error) {
	page, err := d.page(number)
	if err != nil {
		return legible.Page{}, err
	}
	crop, rotation, err := d.boxOf(page, number)
	if err != nil {
		return legible.Page{}, err
	}
	var glyphs []overlay.Glyph
	var measured []legible.Glyph
	boxes := map[float64]int{}
	err = d.eachGlyph(page, crop, rotation, func(tp references.FPDF_TEXTPAGE, i int, g overlay.Glyph) {
		glyphs = append(glyphs, g)
		t := legible.Glyph{Rune: g.Rune, Size: g.Size}
		if size := legible.SizeOf(g.Size); legible.Flat(g.Rune) && boxes[size] < tightBoxes {
			if h := d.tightHeight(tp, i, g, crop, rotation); h > 0 {
				boxes[size]++
				t.Height = h
			}
		}
		measured = append(measured, t)
	})
	if err != nil {
		return legible.Page{}, err
	}
	p := legible.Measure(number, measured)
	for _, r := range overlay.Runs(glyphs) {
		if legible.Runs(r.Text) {
			p.Running += utf8.RuneCountInString(r.Text) - strings.Count(r.Text, " ")
		}
	}
	return p, nil
}

// tightHeight is the height of a glyph's ink across its baseline, in points, or
// 0 for baselines whose boxes do not tell it.
func (d *document) tightHeight(tp references.FPDF_TEXTPAGE, i int, g overlay.Glyph, crop sheet.Crop, rotation int) float64 {
	b, err := d.engine.instance.FPDFText_GetCharBox(&requests.FPDFText_GetCharBox{TextPage: tp, Index: i})
	if err != nil {
		return 0
	}
	box := crop.RectToSheet(rotation, b.Left, b.Bottom, b.Right, b.Top)
	switch g.Angle {
	case 0, 180:
		return box.H
	case 90, 270:
		return box.W
	}
	return 0
}
