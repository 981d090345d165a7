package plain

import (
	"bytes"
	"slices"
	"strconv"
	"strings"
)

// Font is what a simple font says of its codes: the name of the glyph that a code
// stands for, or "", and its width, in thousandths of an em, or 0.
type Font struct {
	Names  [256]string
	Widths [256]float64
}

const (
	mostFonts = 400 // of a page, with what it draws
	mostForms = 200 // that a page draws, which have fonts of their own
)

// Untagged gives the name of a font without the tag of its subset (9.9.2).
func Untagged(name string) string {
	tag, rest, ok := strings.Cut(name, "+")
	if ok && len(tag) == 6 && strings.Trim(tag, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == "" {
		return rest
	}
	return name
}

// Fonts gives the simple fonts of a page, counted from 1, by their untagged names:
// one font may stand there several times, each with codes of its own. What a font
// file itself says is read where its dictionary does not (ISO 32000-2,
// 9.6.5).
func (f *File) Fonts(page int) map[string][]*Font {
	p, ok := f.Page(page)
	if !ok {
		return nil
	}
	out := map[string][]*Font{}
	f.eachFont(p.resources, func(d Dict) { f.font(d, out) })
	return out
}

// eachFont gives the fonts of resources, and of what is drawn with them, once each.
func (f *File) eachFont(resources Value, use func(Dict)) {
	fonts, forms := 0, 0
	seen := map[Ref]bool{}
	var walk func(v Value, depth int)
	walk = func(v Value, depth int) {
		resources := f.dict(v)
		for _, v := range f.dict(resources["Font"]) {
			ref, isRef := v.(Ref)
			if fonts >= mostFonts || isRef && seen[ref] {
				continue
			}
			seen[ref] = isRef
			fonts++
			use(f.dict(v))
		}
		for _, v := range f.dict(resources["XObject"]) {
			ref, isRef := v.(Ref)
			if depth > 8 || forms >= mostForms || !isRef || seen[ref] {
				continue
			}
			seen[ref] = true
			forms++
			if d := f.dict(v); f.resolved(d["Subtype"]) == Name("Form") {
				walk(d["Resources"], depth+1)
			}
		}
	}
	walk(resources, 0)
}

// font notes what a font says of its codes.
func (f *File) font(d Dict, out map[string][]*Font) {
	subtype, _ := f.resolved(d["Subtype"]).(Name)
	name, _ := f.resolved(d["BaseFont"]).(Name)
	if subtype == "Type0" || d == nil {
		return
	}
	var own Font
	encoding := f.dict(d["Encoding"])
	if _, named := f.resolved(d["Encoding"]).(Name); !named && encoding["BaseEncoding"] == nil {
		f.builtIn(f.dict(d["FontDescriptor"]), &own)
	}
	code := 0
	for _, v := range f.list(encoding["Differences"]) {
		switch v := f.resolved(v).(type) {
		case float64:
			code = int(v)
		case Name:
			if code >= 0 && code < len(own.Names) {
				own.Names[code] = string(v)
			}
			code++
		}
	}
	first, _ := f.number(d["FirstChar"])
	for i, v := range f.list(d["Widths"]) {
		if at := int(first) + i; first >= 0 && at < len(own.Widths) {
			own.Widths[at], _ = f.number(v)
		}
	}
	key := Untagged(string(name))
	out[key] = append(out[key], &own)
}

// mostProgram is how many bytes of a font file are looked through.
const mostProgram = 1 << 20

// program gives the bytes of a font file, or none.
func (f *File) program(v Value) []byte {
	ref, ok := v.(Ref)
	e := f.entries[int(ref)]
	if !ok || e.in > 0 || e.free || e.offset == 0 {
		return nil
	}
	_, b, err := f.streamAt(e.offset, int(ref))
	if err != nil {
		return nil
	}
	return b[:min(len(b), mostProgram)]
}

// builtIn reads the encoding that a font program has (ISO 32000-2, 9.6.2 and
// 9.9): a compact one, or one of Type 1 (Type 1 Font Format, 2.3), where it stands
// as "dup 27 /ff put" before what is encrypted.
func (f *File) builtIn(descriptor Dict, out *Font) {
	if b := f.program(descriptor["FontFile3"]); len(b) > 0 {
		compact{b}.builtIn(out)
		return
	}
	b := f.program(descriptor["FontFile"])
	if i := bytes.Index(b, []byte("eexec")); i >= 0 {
		b = b[:i]
	}
	i := bytes.Index(b, []byte("/Encoding"))
	if i < 0 {
		return
	}
	s := &scanner{b: b, at: i + len("/Encoding")}
	for s.at < len(s.b) {
		s.space()
		switch w := s.word(); w {
		case "dup":
			s.space()
			code, err := strconv.Atoi(s.word())
			s.space()
			if err != nil || s.at >= len(s.b) || s.b[s.at] != '/' {
				continue
			}
			s.at++
			if name := s.word(); code >= 0 && code < len(out.Names) {
				out.Names[code] = name
			}
		case "def", "readonly":
			return
		case "":
			s.at++ // a bracket or a slash
		}
	}
}

// Absent gives the names of a page's fonts that the file does not hold (ISO 32000-2, 9.9), in
// order: whoever shows the page takes others in their place.
func (f *File) Absent(page int) []string {
	p, ok := f.Page(page)
	if !ok {
		return nil
	}
	var out []string
	f.eachFont(p.resources, func(d Dict) {
		if d == nil || f.resolved(d["Subtype"]) == Name("Type3") { // which is drawn
			return
		}
		name, _ := f.resolved(d["BaseFont"]).(Name)
		for _, below := range f.list(d["DescendantFonts"]) {
			d = f.dict(below)
		}
		descriptor := f.dict(d["FontDescriptor"])
		if descriptor["FontFile"] == nil && descriptor["FontFile2"] == nil && descriptor["FontFile3"] == nil && name != "" {
			out = append(out, Untagged(string(name)))
		}
	})
	slices.Sort(out)
	return slices.Compact(out)
}
