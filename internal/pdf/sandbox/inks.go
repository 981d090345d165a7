package sandbox

import (
	"fmt"
	"math"
	"unicode"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/core/contrast"
	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
)

// opaque is the least opacity, of 255, at which a text has the colour that it is drawn in.
const opaque = 250

// inks gives the text of a page, a word at a time: within one the colour is that of its
// first letter. Words that lie aslant are left out.
func (d *document) inks(number int) ([]contrast.Ink, error) {
	page, err := d.page(number)
	if err != nil {
		return nil, err
	}
	crop, rotation, err := d.boxOf(page, number)
	if err != nil {
		return nil, err
	}
	var out []contrast.Ink
	var last overlay.Glyph
	open := false
	err = d.eachGlyph(page, crop, rotation, func(tp references.FPDF_TEXTPAGE, i int, g overlay.Glyph) {
		if unicode.IsSpace(g.Rune) || unicode.IsControl(g.Rune) || math.Mod(g.Angle, 90) != 0 || g.Size <= 0 {
			open = false
			return
		}
		if !open || math.Hypot(g.X-last.X, g.Y-last.Y) > 2.5*g.Size || g.Size != last.Size {
			colour, ok := d.inkOf(tp, i)
			if last, open = g, ok && !d.hidden(tp, i); !open {
				return
			}
			out = append(out, contrast.Ink{Size: g.Size, Bold: d.fontOf(tp, i).Bold, Colour: colour})
		}
		last = g
		ink := &out[len(out)-1]
		box := overlay.Run{X: g.X, Y: g.Y, Length: g.Advance, Size: g.Size, Angle: g.Angle}.Box(0, 0)
		if ink.Letters++; ink.Letters == 1 {
			ink.Box = box
			return
		}
		ink.Box = around(ink.Box, box)
	})
	return out, err
}

func around(a, b sheet.Rect) sheet.Rect {
	x, y := math.Min(a.X, b.X), math.Min(a.Y, b.Y)
	return sheet.Rect{X: x, Y: y, W: math.Max(a.X+a.W, b.X+b.W) - x, H: math.Max(a.Y+a.H, b.Y+b.H) - y}
}

// inkOf gives the colour of a letter that is filled with one, and hides what is behind it.
func (d *document) inkOf(tp references.FPDF_TEXTPAGE, i int) (string, bool) {
	in := d.engine.instance
	o, err := in.FPDFText_GetTextObject(&requests.FPDFText_GetTextObject{TextPage: tp, Index: i})
	if err != nil {
		return "", false
	}
	mode, err := in.FPDFTextObj_GetTextRenderMode(&requests.FPDFTextObj_GetTextRenderMode{PageObject: o.TextObject})
	if err != nil || mode.TextRenderMode != enums.FPDF_TEXTRENDERMODE_FILL {
		return "", false
	}
	c, err := in.FPDFText_GetFillColor(&requests.FPDFText_GetFillColor{TextPage: tp, Index: i})
	if err != nil || c.A < opaque {
		return "", false
	}
	return fmt.Sprintf("#%02x%02x%02x", min(c.R, 255), min(c.G, 255), min(c.B, 255)), true
}
