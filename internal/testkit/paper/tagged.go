package paper

import (
	"fmt"
	"strings"

	"incipit/internal/testkit/hostile"
)

// Tagged is a small document that offers people who do not see its pages all that they
// need; each of its members takes something away or puts something else in its place.
type Tagged struct {
	Title    string // "" is none
	Language string // "" is none
	Untagged bool
	Text     string   // of its first page
	Headings []int    // levels, in order
	Figures  []string // their alternative texts, "" is none
	Replaced bool     // figures have a replacement text instead of an alternative one
	NoHeads  bool     // its table has cells alone
	Fields   []string // what people are told of its form fields, "" is nothing
	Hidden   bool     // fields are hidden
	Scan     bool     // its second page is a picture without text
	Blank    bool     // its second page is empty
	Codes    bool     // its font has codes of its own and no map to Unicode
	Roles    bool     // its types have names of its own, which a map of roles explains
	Top      bool     // the language stands at the top of the structure instead
}

// Sound is one without a fault.
func Sound() Tagged {
	return Tagged{Title: "Counting waders at the north hide", Language: "en",
		Text:     "The marsh is open from sunrise to sunset. Please stay on the paths: the mud is deep and the tide comes in faster than a person can walk. The north hides flood on spring tides, so ask at the desk when their path closes. Dogs stay on leads between March and August.",
		Headings: []int{1, 2, 3, 2, 3}, Figures: []string{"A knot in flight"}, Fields: []string{"Date of the count", "Counter's name"}}
}

// PDF writes it.
func (d Tagged) PDF() []byte {
	var objects []string
	add := func(format string, args ...any) int {
		objects = append(objects, fmt.Sprintf(format, args...))
		return len(objects)
	}
	set := func(n int, format string, args ...any) { objects[n-1] = fmt.Sprintf(format, args...) }
	catalog, pages, first, second, font, tree, document, table := add(""), add(""), add(""), add(""), add(""), add(""), add(""), add("")
	kind := func(name string) string {
		if d.Roles {
			return "Own" + name
		}
		return name
	}
	// The contents of page 1: one marked content for each element.
	var content strings.Builder
	var kids, entries []string
	y, marks := 800, 0
	mark := func(name, shown string) int {
		fmt.Fprintf(&content, "/%s <</MCID %d>> BDC BT /F 11 Tf 40 %d Td %s Tj ET EMC\n", name, marks, y, d.shown(shown))
		y -= 16
		marks++
		return marks - 1
	}
	var owners []string // of each marked content
	element := func(name, more, shown string, in int) int {
		n := add("<</Type /StructElem /S /%s /P %d 0 R /Pg %d 0 R /K %d %s>>", kind(name), in, first, mark(name, shown), more)
		owners = append(owners, fmt.Sprint(n, " 0 R"))
		return n
	}
	for i, level := range d.Headings {
		kids = append(kids, fmt.Sprint(element(fmt.Sprint("H", level), "", fmt.Sprint("Part ", i+1), document), " 0 R"))
	}
	for line := range lines(d.Text, 80) {
		kids = append(kids, fmt.Sprint(element("P", "", line, document), " 0 R"))
	}
	for _, alternative := range d.Figures {
		more := ""
		if alternative != "" {
			more = fmt.Sprintf("/%s (%s)", map[bool]string{false: "Alt", true: "ActualText"}[d.Replaced], alternative)
		}
		kids = append(kids, fmt.Sprint(element("Figure", more, "~", document), " 0 R"))
	}
	var rows []string
	for r := range 3 {
		var cells []string
		row := add("")
		for c := range 2 {
			name := "TD"
			if r == 0 && !d.NoHeads {
				name = "TH"
			}
			cells = append(cells, fmt.Sprint(element(name, "", fmt.Sprint("Cell ", r, " ", c), row), " 0 R"))
		}
		set(row, "<</Type /StructElem /S /%s /P %d 0 R /K [%s]>>", kind("TR"), table, strings.Join(cells, " "))
		rows = append(rows, fmt.Sprint(row, " 0 R"))
	}
	set(table, "<</Type /StructElem /S /%s /P %d 0 R /K [%s]>>", kind("Table"), document, strings.Join(rows, " "))
	kids = append(kids, fmt.Sprint(table, " 0 R"))
	var widgets []string
	for i, told := range d.Fields {
		more := ""
		if told != "" {
			more = fmt.Sprintf("/TU (%s)", told)
		}
		flags := 4
		if d.Hidden {
			flags = 2
		}
		widgets = append(widgets, fmt.Sprint(add("<</Type /Annot /Subtype /Widget /FT /Tx /T (field%d) /F %d /Rect [300 %d 400 %d] /P %d 0 R %s>>",
			i, flags, 40+30*i, 60+30*i, first, more), " 0 R"))
	}
	if len(widgets) > 0 {
		entries = append(entries, fmt.Sprintf("/AcroForm <</Fields [%s]>>", strings.Join(widgets, " ")))
	}
	language := ""
	if d.Language != "" {
		language = fmt.Sprintf("/Lang (%s)", d.Language)
	}
	top := ""
	if d.Top {
		language, top = "", language
	}
	set(document, "<</Type /StructElem /S /%s /P %d 0 R %s /K [%s]>>", kind("Document"), tree, top, strings.Join(kids, " "))
	roles := ""
	if d.Roles {
		for _, name := range []string{"H1", "H2", "H3", "H4", "H5", "H6", "P", "Figure", "Table", "TR", "TH", "TD", "Document"} {
			roles += fmt.Sprintf("/Own%s /Own%sX /Own%sX /%s ", name, name, name, name)
		}
		roles = "/RoleMap <<" + roles + ">>"
	}
	if !d.Untagged {
		entries = append(entries, fmt.Sprintf("/MarkInfo <</Marked true>> /StructTreeRoot %d 0 R", tree))
	}
	if d.Title != "" {
		xmp := `<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:title><rdf:Alt><rdf:li xml:lang="x-default">` +
			d.Title + `</rdf:li></rdf:Alt></dc:title></rdf:Description></rdf:RDF></x:xmpmeta>`
		entries = append(entries, fmt.Sprintf("/Metadata %d 0 R", add("%s", hostile.Stream("/Type /Metadata /Subtype /XML", xmp))))
	}
	shown := add("%s", hostile.Stream("", content.String()))
	seen := ""
	switch {
	case d.Scan:
		seen = "0.4 g 20 20 400 600 re f 0.8 g 60 60 100 200 re f"
	case !d.Blank:
		seen = "BT /F 11 Tf 40 800 Td " + d.shown("The second page tells of the tides.") + " Tj ET"
	}
	also := add("%s", hostile.Stream("", seen))
	const page = "<</Type /Page /Parent %d 0 R /MediaBox [0 0 595 842] /Contents %d 0 R /Resources <</Font <</F %d 0 R>>>> /Annots [%s] /StructParents %d>>"
	set(catalog, "<</Type /Catalog /Pages %d 0 R %s %s>>", pages, language, strings.Join(entries, " "))
	set(pages, "<</Type /Pages /Kids [%d 0 R %d 0 R] /Count 2>>", first, second)
	set(first, page, pages, shown, font, strings.Join(widgets, " "), 0)
	set(second, page, pages, also, font, "", 1)
	set(font, "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica /Encoding /WinAnsiEncoding>>")
	if d.Codes {
		below := add("<</Type /Font /Subtype /CIDFontType2 /BaseFont /Sedge /CIDSystemInfo <</Registry (Adobe) /Ordering (Identity) /Supplement 0>> /DW 500 /FontDescriptor <</Type /FontDescriptor /FontName /Sedge /Flags 4 /Ascent 800 /Descent -200 /CapHeight 700 /ItalicAngle 0 /StemV 80 /FontBBox [0 -200 1000 800]>>>>")
		set(font, "<</Type /Font /Subtype /Type0 /BaseFont /Sedge /Encoding /Identity-H /DescendantFonts [%d 0 R]>>", below)
	}
	set(tree, "<</Type /StructTreeRoot /K %d 0 R /ParentTree <</Nums [0 [%s]]>> %s>>", document, strings.Join(owners, " "), roles)
	return hostile.Build(objects...)
}

// shown is a text as its font has it.
func (d Tagged) shown(text string) string {
	if !d.Codes {
		return "(" + strings.NewReplacer("(", `\(`, ")", `\)`).Replace(text) + ")"
	}
	var b strings.Builder
	for _, c := range text {
		fmt.Fprintf(&b, "%04X", 0x100+c%0x60)
	}
	return "<" + b.String() + ">"
}

// lines breaks a text.
func lines(text string, most int) func(func(string) bool) {
	return func(yield func(string) bool) {
		line := ""
		for _, word := range strings.Fields(text) {
			if len(line)+len(word) > most {
				if !yield(line) {
					return
				}
				line = ""
			}
			line = strings.TrimPrefix(line+" "+word, " ")
		}
		if line != "" {
			yield(line)
		}
	}
}
