package sandbox

import (
	"fmt"
	"math"
	"slices"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"

	"github.com/klippa-app/go-pdfium/enums"
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
)

func (d *document) hasText(page requests.Page) bool {
	in := d.engine.instance
	text, err := in.FPDFText_LoadPage(&requests.FPDFText_LoadPage{Page: page})
	if err != nil {
		return false
	}
	defer func() { _, _ = in.FPDFText_ClosePage(&requests.FPDFText_ClosePage{TextPage: text.TextPage}) }()
	count, err := in.FPDFText_CountChars(&requests.FPDFText_CountChars{TextPage: text.TextPage})
	return err == nil && count.Count > 0
}

func (d *document) layer(number int) (pdf.Layer, error) {
	page, err := d.page(number)
	if err != nil {
		return pdf.Layer{}, err
	}
	crop, rotation, err := d.boxOf(page, number)
	if err != nil {
		return pdf.Layer{}, err
	}
	s := d.structureOf(page)
	glyphs, err := d.glyphs(page, number, crop, rotation, s)
	if err != nil {
		return pdf.Layer{}, err
	}
	glyphs = append(glyphs, d.filled(page, crop, rotation)...)
	return pdf.Layer{Runs: overlay.Runs(glyphs), Links: d.linksOf(page, number, crop, rotation), Blocks: s.blocks,
		Figures: d.figures(page, crop, rotation)}, nil
}

// glyphs gives the characters of a page with their weight and their block.
// Both are asked for where a word begins: within one they do not change.
func (d *document) glyphs(page requests.Page, number int, crop sheet.Crop, rotation int, s structure) ([]overlay.Glyph, error) {
	var out []overlay.Glyph
	var last overlay.Glyph
	names := named{d: d, page: number}
	hidden := false
	err := d.eachGlyph(page, crop, rotation, func(tp references.FPDF_TEXTPAGE, i int, g overlay.Glyph) {
		names.tp = tp
		text := string(g.Rune)
		if !g.Made {
			text = names.text(i, g.Rune, 1000*g.Advance/g.Size)
		}
		g.Rune, _ = utf8.DecodeRuneInString(text)
		if unicode.IsSpace(g.Rune) || unicode.IsControl(g.Rune) {
			g.Font, g.Block = last.Font, last.Block
			out, last = append(out, g), overlay.Glyph{Rune: ' ', Font: last.Font, Block: last.Block}
			return
		}
		leans := g.Font.Italic
		if last.Size == 0 || math.Hypot(g.X-last.X, g.Y-last.Y) > 2.5*g.Size || leans && !last.Font.Italic {
			hidden = d.hidden(tp, i)
			g.Font = d.fontOf(tp, i)
			g.Font.Italic = g.Font.Italic || leans
			if len(s.of) > 0 {
				g.Block = d.blockOf(tp, i, s)
			}
			if g.Font.Unknown && !names.wild {
				names.wild = true
				text = names.text(i, g.Rune, 1000*g.Advance/g.Size)
			}
		} else {
			g.Font, g.Block = last.Font, last.Block
		}
		if hidden {
			last = g
			return
		}
		for _, r := range text { // one glyph for several letters has one place
			g.Rune = r
			out, last = append(out, g), g
		}
	})
	// A page of which next to nothing is known has no text.
	if 2*names.lost > names.whole {
		out = slices.DeleteFunc(out, func(g overlay.Glyph) bool { return g.Rune == unknown })
	}
	return out, err
}

// boldFrom is the weight of a font, as CSS counts it, that stands out in text.
const boldFrom = 600

// slanted is the shear of letters from which on they are slanted.
const slanted = 0.1

// Flags of a font (ISO 32000-2, table 121).
const (
	fixedPitch = 1 << 0
	italic     = 1 << 6
)

// fontOf says how the font of a character looks, and whether its characters are
// known: an engine gives the codes of a font that says nothing of them.
func (d *document) fontOf(tp references.FPDF_TEXTPAGE, i int) (f overlay.Font) {
	in := d.engine.instance
	if w, err := in.FPDFText_GetFontWeight(&requests.FPDFText_GetFontWeight{TextPage: tp, Index: i}); err == nil {
		f.Bold = w.FontWeight >= boldFrom
	}
	if info, err := in.FPDFText_GetFontInfo(&requests.FPDFText_GetFontInfo{TextPage: tp, Index: i}); err == nil {
		f.Fixed, f.Italic = info.Flags&fixedPitch != 0, info.Flags&italic != 0
	}
	if e, err := in.FPDFText_HasUnicodeMapError(&requests.FPDFText_HasUnicodeMapError{TextPage: tp, Index: i}); err == nil {
		f.Unknown = e.HasUnicodeMapError
	}
	return f
}

// eachGlyph gives every character of a page, in the order of the file, with
// its index in the text page it came from.
func (d *document) eachGlyph(page requests.Page, crop sheet.Crop, rotation int,
	give func(tp references.FPDF_TEXTPAGE, i int, g overlay.Glyph)) error {
	in := d.engine.instance
	text, err := in.FPDFText_LoadPage(&requests.FPDFText_LoadPage{Page: page})
	if err != nil {
		return fmt.Errorf("read text: %w", err)
	}
	tp := text.TextPage
	defer func() { _, _ = in.FPDFText_ClosePage(&requests.FPDFText_ClosePage{TextPage: tp}) }()
	count, err := in.FPDFText_CountChars(&requests.FPDFText_CountChars{TextPage: tp})
	if err != nil {
		return fmt.Errorf("count characters: %w", err)
	}
	var last struct {
		y, high             float64
		size, turned, shear float64
	}
	for i := range min(count.Count, pdf.MostLetters) {
		u, err := in.FPDFText_GetUnicode(&requests.FPDFText_GetUnicode{TextPage: tp, Index: i})
		if err != nil {
			continue
		}
		g := overlay.Glyph{Rune: rune(u.Unicode)}
		if utf16.IsSurrogate(g.Rune) { // the engine counts units of UTF-16
			if i+1 == count.Count || g.Rune >= 0xDC00 {
				continue
			}
			low, err := in.FPDFText_GetUnicode(&requests.FPDFText_GetUnicode{TextPage: tp, Index: i + 1})
			if err != nil {
				continue
			}
			g.Rune = utf16.DecodeRune(g.Rune, rune(low.Unicode))
		}
		if unicode.IsSpace(g.Rune) || unicode.IsControl(g.Rune) {
			made, err := in.FPDFText_IsGenerated(&requests.FPDFText_IsGenerated{TextPage: tp, Index: i})
			g.Made = err == nil && made.IsGenerated
			last.high = 0
		}
		if g.Made || g.Rune == '\n' || g.Rune == '\r' {
			give(tp, i, g) // it has no place of its own
			continue
		}
		origin, err := in.FPDFText_GetCharOrigin(&requests.FPDFText_GetCharOrigin{TextPage: tp, Index: i})
		if err != nil {
			continue
		}
		loose, err := in.FPDFText_GetLooseCharBox(&requests.FPDFText_GetLooseCharBox{TextPage: tp, Index: i})
		if err != nil {
			continue
		}
		g.X, g.Y = crop.ToSheet(rotation, origin.X, origin.Y)
		box := crop.RectToSheet(rotation, float64(loose.Rect.Left), float64(loose.Rect.Bottom), float64(loose.Rect.Right),
			float64(loose.Rect.Top))
		// Within a word, letters on one baseline whose boxes are as high as each other
		// are of one size and turn: each question takes its time.
		high := float64(loose.Rect.Top) - float64(loose.Rect.Bottom)
		if high <= 0 || last.high != high || last.y != origin.Y {
			last.size, last.turned, last.shear = d.stands(tp, i)
			last.y, last.high = origin.Y, high
		}
		size, turned, shear := last.size, last.turned, last.shear
		place(&g, box, math.Round(math.Mod(turned+float64(rotation)+720, 360)*10)/10)
		if upright := math.Mod(g.Angle, 90) == 0; upright && shear > 0 {
			// The box of a slanted letter is wider by as much as it leans.
			g.Advance = math.Max(g.Advance-shear*g.Size, 0.1*g.Advance)
			g.Font.Italic = shear > slanted
		}
		if size > 0 {
			g.Size = size * crop.Points()
		}
		give(tp, i, g)
	}
	return nil
}

// stands gives the size of a character in points, across its baseline, and the
// turn of the baseline in degrees clockwise, both in user space. Characters
// that the engine made up have neither: the size is then 0. The shear of a
// slanted font is no turn, so the baseline alone is asked; shear is how far it
// leans for its height.
func (d *document) stands(tp references.FPDF_TEXTPAGE, i int) (size, turned, shear float64) {
	in := d.engine.instance
	font, err := in.FPDFText_GetFontSize(&requests.FPDFText_GetFontSize{TextPage: tp, Index: i})
	if err != nil {
		return 0, 0, 0
	}
	got, err := in.FPDFText_GetMatrix(&requests.FPDFText_GetMatrix{TextPage: tp, Index: i})
	if err != nil {
		return 0, 0, 0
	}
	m := got.Matrix
	a, b, c, e := float64(m.A), float64(m.B), float64(m.C), float64(m.D)
	along := math.Hypot(a, b)
	area := math.Abs(a*e - b*c)
	if along == 0 || area == 0 {
		return 0, 0, 0
	}
	return font.FontSize * area / along, -math.Atan2(b, a) * 180 / math.Pi, math.Abs(a*c+b*e) / area
}

// place sets angle, size and advance from the glyph's loose box, whose height
// is that of the font's line. Only quarter turns have boxes that can be told
// apart; for other angles the diagonal bounds the advance.
func place(g *overlay.Glyph, box sheet.Rect, angle float64) {
	g.Angle = angle
	if angle >= 359.5 || angle < 0.5 {
		g.Angle = 0
	}
	switch math.Mod(g.Angle, 180) {
	case 0:
		g.Size, g.Advance = box.H, box.W
	case 90:
		g.Size, g.Advance = box.W, box.H
	default:
		a := g.Angle * math.Pi / 180
		s, c := math.Abs(math.Sin(a)), math.Abs(math.Cos(a))
		// box = advance along the baseline and size across it, turned.
		if k := c*c - s*s; math.Abs(k) > 0.2 {
			g.Advance = math.Abs((box.W*c - box.H*s) / k)
			g.Size = math.Abs((box.H*c - box.W*s) / k)
		} else {
			g.Size, g.Advance = math.Hypot(box.W, box.H)/2, math.Hypot(box.W, box.H)/2
		}
	}
}

// linksOf lists the links of a page that a reader may follow: out of the file's
// objects, or else by the engine's much slower calls.
func (d *document) linksOf(page requests.Page, number int, crop sheet.Crop, rotation int) []overlay.Link {
	if f := d.objects(); f != nil {
		return d.linked(f, number, crop, rotation)
	}
	return d.links(page, crop, rotation)
}

// links lists the links of a page by the engine.
func (d *document) links(page requests.Page, crop sheet.Crop, rotation int) []overlay.Link {
	in := d.engine.instance
	out := []overlay.Link{}
	for start := 0; len(out) < pdf.MostLinks; {
		next, err := in.FPDFLink_Enumerate(&requests.FPDFLink_Enumerate{Page: page, StartPos: start})
		if err != nil || next.Link == nil || next.NextStartPos == nil || *next.NextStartPos <= start {
			return out
		}
		start = *next.NextStartPos
		link, ok := d.link(*next.Link)
		if !ok {
			continue
		}
		r, err := in.FPDFLink_GetAnnotRect(&requests.FPDFLink_GetAnnotRect{Link: *next.Link})
		if err != nil || r.Rect == nil {
			continue
		}
		link.Box = crop.RectToSheet(rotation, float64(r.Rect.Left), float64(r.Rect.Bottom), float64(r.Rect.Right), float64(r.Rect.Top))
		out = append(out, link)
	}
	return out
}

func (d *document) link(ref references.FPDF_LINK) (overlay.Link, bool) {
	in := d.engine.instance
	if dest, err := in.FPDFLink_GetDest(&requests.FPDFLink_GetDest{Document: d.ref, Link: ref}); err == nil && dest.Dest != nil {
		n := d.destPage(*dest.Dest)
		return overlay.Link{Kind: overlay.ToPage, Page: n}, n > 0
	}
	action, err := in.FPDFLink_GetAction(&requests.FPDFLink_GetAction{Link: ref})
	if err != nil || action.Action == nil {
		return overlay.Link{}, false
	}
	kind, err := in.FPDFAction_GetType(&requests.FPDFAction_GetType{Action: *action.Action})
	if err != nil {
		return overlay.Link{}, false
	}
	switch kind.Type {
	case enums.FPDF_ACTION_ACTION_GOTO:
		dest, err := in.FPDFAction_GetDest(&requests.FPDFAction_GetDest{Document: d.ref, Action: *action.Action})
		if err != nil || dest.Dest == nil {
			return overlay.Link{}, false
		}
		n := d.destPage(*dest.Dest)
		return overlay.Link{Kind: overlay.ToPage, Page: n}, n > 0
	case enums.FPDF_ACTION_ACTION_URI:
		uri, err := in.FPDFAction_GetURIPath(&requests.FPDFAction_GetURIPath{Document: d.ref, Action: *action.Action})
		if err != nil || uri.URIPath == nil || len(*uri.URIPath) > pdf.MostAddress || !overlay.SafeAddress(*uri.URIPath) {
			return overlay.Link{}, false
		}
		return overlay.Link{Kind: overlay.ToWeb, Address: *uri.URIPath}, true
	}
	return overlay.Link{}, false
}
