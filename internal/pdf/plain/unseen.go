package plain

import (
	"bytes"
	"cmp"
	_ "embed"
	"fmt"
	"maps"
	"math"
	"slices"
	"unicode"
	"unicode/utf16"

	"incipit/internal/core/scanned"
	"incipit/internal/core/sheet"
)

// glyphless is a font of one glyph without outlines, for text that is found and copied and
// not seen (text rendering mode 3; ISO 32000-2, 9.3.6). Files carry it, so that no program
// looks for another.
//
//go:embed unseen/glyphless.ttf
var glyphless []byte

// advance is how far each glyph of the font goes on, in thousandths of an em.
const advance = 500

const (
	mostCodes    = 60_000 // characters that one font has codes for
	codesInBlock = 100    // of a block of a CMap (Adobe Technical Note 5014, 1.4)
)

// unseen is the text that is added to pages.
type unseen struct {
	u     *update
	font  Ref
	codes map[rune]int
}

// texts adds lines to pages that have none. They are drawn before all else, so that they
// stand where the page begins to count, whatever its own content leaves behind.
func (u *update) texts(of map[int][]scanned.Line) error {
	if len(of) == 0 {
		return nil
	}
	t := &unseen{u: u, font: u.fresh(), codes: map[rune]int{}}
	leaves := u.f.order()
	done := map[Ref]bool{}
	for _, n := range slices.Sorted(maps.Keys(of)) {
		if n < 1 || n > len(leaves) {
			return fmt.Errorf("page %d: %w", n, ErrStarted)
		}
		ref, is := leaves[n-1].object.(Ref)
		page := u.f.dict(ref)
		if !is || page == nil {
			return fmt.Errorf("page %d: %w", n, ErrStarted)
		}
		if done[ref] { // one object may be several pages
			continue
		}
		done[ref] = true
		own := inheriting(page, leaves[n-1].above)
		fonts := maps.Clone(u.f.dict(u.f.dict(own["Resources"])["Font"]))
		if fonts == nil {
			fonts = Dict{}
		}
		name := Name("IncipitUnseen")
		for fonts[name] != nil {
			name += "_"
		}
		fonts[name] = t.font
		resources := maps.Clone(u.f.dict(own["Resources"]))
		if resources == nil {
			resources = Dict{}
		}
		resources["Font"] = fonts
		content, err := t.content(u.f.page(page, own), name, of[n])
		if err != nil {
			return err
		}
		stream := u.fresh()
		u.stream(stream, Dict{}, content)
		contents := []Value{stream}
		switch before := page["Contents"].(type) {
		case Ref:
			if many, is := u.f.resolved(before).([]Value); is {
				contents = append(contents, many...)
			} else {
				contents = append(contents, before)
			}
		case []Value:
			contents = append(contents, before...)
		}
		page = maps.Clone(page)
		page["Contents"], page["Resources"] = contents, resources
		u.object(ref, page)
	}
	t.end()
	return nil
}

// content draws lines: each word as wide as it is seen, and a space as wide as the gap behind
// it.
func (t *unseen) content(p Page, font Name, lines []scanned.Line) ([]byte, error) {
	crop := sheet.Crop{Left: p.Box[0], Bottom: p.Box[1], Right: p.Box[2], Top: p.Box[3], Unit: p.Unit}
	var b bytes.Buffer
	b.WriteString("q BT 3 Tr\n")
	for _, l := range lines {
		sin, cos := math.Sincos(l.Angle * math.Pi / 180)
		size := l.Size / crop.Points()
		show := func(text []rune, at, length float64) error {
			x, y := crop.FromSheet(p.Rotation, l.X+at*cos, l.Y+at*sin)
			x1, y1 := crop.FromSheet(p.Rotation, l.X+at*cos+cos, l.Y+at*sin+sin)
			dx, dy := (x1-x)*crop.Points(), (y1-y)*crop.Points()
			fmt.Fprintf(&b, "/%s %.3f Tf %.3f Tz %.5f %.5f %.5f %.5f %.3f %.3f Tm <", font, size, 100*length/(float64(len(text))*l.Size*advance/1000), dx, dy, -dy, dx, x, y)
			for _, c := range text {
				code, known := t.codes[c]
				if !known {
					if len(t.codes) >= mostCodes {
						return fmt.Errorf("more than %d characters: %w", mostCodes, ErrStarted)
					}
					code = len(t.codes) + 1
					t.codes[c] = code
				}
				fmt.Fprintf(&b, "%04X", code)
			}
			b.WriteString("> Tj\n")
			return nil
		}
		words := slices.SortedFunc(slices.Values(l.Words), func(a, c scanned.Word) int { return cmp.Compare(a.At, c.At) })
		for i, w := range words {
			if err := show(seen(w.Text), w.At, w.Length); err != nil {
				return nil, err
			}
			if i+1 < len(words) {
				end := w.At + w.Length
				if err := show([]rune{' '}, end, max(words[i+1].At-end, 0.05*l.Size)); err != nil {
					return nil, err
				}
			}
		}
	}
	b.WriteString("ET Q\n")
	return b.Bytes(), nil
}

// seen gives a word's characters as they are seen from left to right, which is how the
// content of a page has them: those of a word that is read from the right the other way
// round, each with its marks behind it.
func seen(word string) []rune {
	text := []rune(word)
	if !slices.ContainsFunc(text, func(c rune) bool {
		return unicode.In(c, unicode.Arabic, unicode.Hebrew, unicode.Syriac, unicode.Thaana, unicode.Nko)
	}) {
		return text
	}
	var clusters [][]rune
	for _, c := range text {
		if unicode.Is(unicode.Mn, c) && len(clusters) > 0 {
			clusters[len(clusters)-1] = append(clusters[len(clusters)-1], c)
			continue
		}
		if n := len(clusters); unicode.IsDigit(c) && n > 0 && unicode.IsDigit(clusters[n-1][0]) { // figures keep their order
			clusters[n-1] = append(clusters[n-1], c)
			continue
		}
		clusters = append(clusters, []rune{c})
	}
	slices.Reverse(clusters)
	return slices.Concat(clusters...)
}

// end adds the font (9.7.4): all codes show its one glyph, and say which characters they are
// (9.10.3).
func (t *unseen) end() {
	u := t.u
	descendant, descriptor, program, glyphs, meaning := u.fresh(), u.fresh(), u.fresh(), u.fresh(), u.fresh()
	u.object(t.font, Dict{"Type": Name("Font"), "Subtype": Name("Type0"), "BaseFont": Name("GlyphLessFont"), "Encoding": Name("Identity-H"),
		"DescendantFonts": []Value{descendant}, "ToUnicode": meaning})
	u.object(descendant, Dict{"Type": Name("Font"), "Subtype": Name("CIDFontType2"), "BaseFont": Name("GlyphLessFont"), "DW": float64(advance),
		"CIDSystemInfo":  Dict{"Registry": Text("Adobe"), "Ordering": Text("Identity"), "Supplement": 0.0},
		"FontDescriptor": descriptor, "CIDToGIDMap": glyphs})
	u.object(descriptor, Dict{"Type": Name("FontDescriptor"), "FontName": Name("GlyphLessFont"), "Flags": 4.0, "ItalicAngle": 0.0, "Ascent": 1000.0,
		"Descent": -1.0, "CapHeight": 1000.0, "StemV": 80.0, "FontBBox": []Value{0.0, 0.0, float64(advance), 1000.0}, "FontFile2": program})
	u.stream(program, Dict{"Length1": float64(len(glyphless))}, glyphless)
	u.stream(glyphs, Dict{}, bytes.Repeat([]byte{0, 1}, len(t.codes)+1))

	var b bytes.Buffer
	b.WriteString("/CIDInit /ProcSet findresource begin\n12 dict begin\nbegincmap\n" +
		"/CIDSystemInfo << /Registry (Adobe) /Ordering (UCS) /Supplement 0 >> def\n/CMapName /Adobe-Identity-UCS def\n/CMapType 2 def\n" +
		"1 begincodespacerange\n<0000> <FFFF>\nendcodespacerange\n")
	byCode := slices.SortedFunc(maps.Keys(t.codes), func(a, c rune) int { return cmp.Compare(t.codes[a], t.codes[c]) })
	for block := range slices.Chunk(byCode, codesInBlock) {
		fmt.Fprintf(&b, "%d beginbfchar\n", len(block))
		for _, c := range block {
			fmt.Fprintf(&b, "<%04X> <", t.codes[c])
			for _, unit := range utf16.Encode([]rune{c}) {
				fmt.Fprintf(&b, "%04X", unit)
			}
			b.WriteString(">\n")
		}
		b.WriteString("endbfchar\n")
	}
	b.WriteString("endcmap\nCMapName currentdict /CMap defineresource pop\nend\nend\n")
	u.stream(meaning, Dict{}, b.Bytes())
}
