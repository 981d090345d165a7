package sandbox

import (
	"math"
	"unicode"

	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/pdf/glyphname"
	"incipit/internal/pdf/plain"
)

// unknown stands for a letter of which nothing tells what it is.
const unknown = unicode.ReplacementChar

// divides is the engine's character for a hyphen that divides a word.
const divides = 2

// named looks characters up by the names that their glyphs have: where a font has
// no map to Unicode, the engine gives its codes, and where a name is for the private
// area, that.
type named struct {
	d     *document
	page  int
	tp    references.FPDF_TEXTPAGE
	fonts map[string][]*plain.Font // nil until one is asked for
	wild  bool                     // the last character was none that the engine knew
	lost  int                      // characters that stay unknown
	whole int                      // all
}

// text gives what the i-th character of the page is: itself, as nearly always. width
// is that of its glyph, in thousandths of an em.
func (n *named) text(i int, r rune, width float64) string {
	n.whole++
	if r >= 0xE000 && r <= 0xF8FF {
		if text := glyphname.Public(r); text != "" {
			return text
		}
		return string(r)
	}
	code := r > 0 && r < 0x20 && r != '\t' && r != '\n' && r != '\r' && r != divides || r >= 0x7F && r < 0xA0
	if !code && !(n.wild && r < 0x100) && r != 0 && r != unknown {
		return string(r)
	}
	if r == 0 || r == unknown || r > 0xFF {
		n.lost++
		return string(unknown)
	}
	in := n.d.engine.instance
	e, err := in.FPDFText_HasUnicodeMapError(&requests.FPDFText_HasUnicodeMapError{TextPage: n.tp, Index: i})
	if n.wild = err == nil && e.HasUnicodeMapError; !n.wild && !code {
		return string(r)
	}
	name := ""
	if info, err := in.FPDFText_GetFontInfo(&requests.FPDFText_GetFontInfo{TextPage: n.tp, Index: i}); err == nil {
		name = plain.Untagged(info.FontName)
	}
	if n.fonts == nil {
		n.fonts = map[string][]*plain.Font{}
		if f := n.d.objects(); f != nil {
			n.fonts = f.Fonts(n.page)
		}
	}
	if text := lookup(n.fonts[name], r, width); text != "" {
		return text
	}
	if !code {
		return string(r) // codes of letters are those letters, most of the time
	}
	n.lost++
	return string(unknown)
}

// lookup finds a code in fonts that have one name: the width of the glyph tells
// which of them it was. Where two that are as wide differ in what it is, neither is
// believed.
func lookup(fonts []*plain.Font, code rune, width float64) string {
	found, off := "", math.Inf(1)
	for _, f := range fonts {
		text := glyphname.Text(f.Names[code])
		if text == "" {
			continue
		}
		away := math.Abs(f.Widths[code] - width)
		switch {
		case away < off-0.5:
			found, off = text, away
		case away < off+0.5 && text != found:
			return ""
		}
	}
	return found
}
