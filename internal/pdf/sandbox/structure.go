package sandbox

import (
	"github.com/klippa-app/go-pdfium/references"
	"github.com/klippa-app/go-pdfium/requests"

	"incipit/internal/core/overlay"
	"incipit/internal/pdf"
)

const (
	maxElements = 8_000 // of a page's structure; more are not followed
	maxNesting  = 48
)

// structure is what a tagged page says about its text (ISO 32000-2, 14.7): its
// blocks in reading order, and which marked content belongs to which.
type structure struct {
	blocks []overlay.Block
	of     map[int]int // marked content → its block, counted from 1
}

// kinds are the structure types that hold a block of text (ISO 32000-2, 14.8.4).
var kinds = map[string]overlay.BlockKind{
	"P": overlay.Paragraph, "H": overlay.Heading, "H1": overlay.Heading, "H2": overlay.Heading, "H3": overlay.Heading,
	"H4": overlay.Heading, "H5": overlay.Heading, "H6": overlay.Heading, "Title": overlay.Heading,
	"LI": overlay.Item, "LBody": overlay.Item, "Lbl": overlay.Item, "TOCI": overlay.Item,
	"TH": overlay.HeadCell, "TD": overlay.Cell, "Caption": overlay.Paragraph, "BlockQuote": overlay.Paragraph, "Note": overlay.Paragraph,
	"Figure": overlay.Picture, "Formula": overlay.Picture,
}

// structureOf reads a page's structure, or nothing where it has none.
func (d *document) structureOf(page requests.Page) structure {
	in := d.engine.instance
	s := structure{of: map[int]int{}}
	tree, err := in.FPDF_StructTree_GetForPage(&requests.FPDF_StructTree_GetForPage{Page: page})
	if err != nil {
		return s
	}
	defer func() { _, _ = in.FPDF_StructTree_Close(&requests.FPDF_StructTree_Close{StructTree: tree.StructTree}) }()
	count, err := in.FPDF_StructTree_CountChildren(&requests.FPDF_StructTree_CountChildren{StructTree: tree.StructTree})
	if err != nil {
		return s
	}
	w := &walk{d: d, s: &s}
	for i := range min(count.Count, maxElements) {
		child, err := in.FPDF_StructTree_GetChildAtIndex(&requests.FPDF_StructTree_GetChildAtIndex{StructTree: tree.StructTree, Index: i})
		if err == nil {
			w.element(child.StructElement, overlay.Block{}, 0, 0)
		}
	}
	return s
}

// walk goes through a structure tree, which may be damaged: it is bounded.
type walk struct {
	d            *document
	s            *structure
	seen         int
	rows, tables int
	items        int
}

// element follows one element: in is the block it lies in, at its number, or 0.
func (w *walk) element(e references.FPDF_STRUCTELEMENT, in overlay.Block, at, depth int) {
	if w.seen++; w.seen > maxElements || depth > maxNesting {
		return
	}
	p := w.d.engine.instance
	name := ""
	if t, err := p.FPDF_StructElement_GetType(&requests.FPDF_StructElement_GetType{StructElement: e}); err == nil {
		name = t.Type
	}
	if l, err := p.FPDF_StructElement_GetLang(&requests.FPDF_StructElement_GetLang{StructElement: e}); err == nil && l.Lang != "" {
		in.Language = pdf.Cut(l.Lang, pdf.MostLanguage)
		at = 0
	}
	switch name {
	case "Table":
		w.tables++
		in.Table, at = w.tables, 0
	case "TR":
		w.rows++
		in.Row, at = w.rows, 0
	case "L", "TOC":
		in.Depth++
	case "LI", "TOCI":
		w.items++
		in.ItemOf, at = w.items, 0
	}
	if kind, ok := kinds[name]; ok {
		inItem := in.Kind == overlay.Item && (kind == overlay.Paragraph || kind == overlay.Item)
		inCell := (in.Kind == overlay.Cell || in.Kind == overlay.HeadCell) && kind == overlay.Paragraph
		if !inItem && !inCell {
			in.Kind, in.Level, at = kind, 0, 0
			if kind == overlay.Heading {
				in.Level = 1
				if len(name) == 2 {
					in.Level = int(name[1] - '0')
				}
			}
		} else if inItem && kind == overlay.Paragraph {
			at = 0
		}
		if kind == overlay.Picture {
			if a, err := p.FPDF_StructElement_GetAltText(&requests.FPDF_StructElement_GetAltText{StructElement: e}); err == nil {
				in.Alternative = pdf.Cut(a.AltText, pdf.MostWords)
			}
			if in.Alternative != "" {
				w.s.blocks = append(w.s.blocks, in)
				at = len(w.s.blocks)
			}
		}
	} else if name != "Span" && name != "Link" && name != "Reference" && name != "Quote" && name != "Code" && name != "Em" &&
		name != "Strong" && name != "Annot" && in.Kind == "" {
		at = 0
	}
	children, err := p.FPDF_StructElement_CountChildren(&requests.FPDF_StructElement_CountChildren{StructElement: e})
	if err != nil {
		return
	}
	for i := range min(children.Count, maxElements) {
		if child, err := p.FPDF_StructElement_GetChildAtIndex(&requests.FPDF_StructElement_GetChildAtIndex{StructElement: e,
			Index: i}); err == nil {
			before := len(w.s.blocks)
			w.element(child.StructElement, in, at, depth+1)
			// A block that another one interrupted goes on behind it.
			if len(w.s.blocks) > before && !w.inline(before, at) {
				at = 0
			}
			if at == 0 && len(w.s.blocks) == before+1 && sameBlock(w.s.blocks[before], in) {
				at = before + 1
			}
			continue
		}
		mark, err := p.FPDF_StructElement_GetChildMarkedContentID(&requests.FPDF_StructElement_GetChildMarkedContentID{StructElement: e,
			Index: i})
		if err != nil || mark.ChildMarkedContentID < 0 {
			continue
		}
		if at == 0 {
			block := in
			if block.Kind == "" {
				block.Kind = overlay.Paragraph
			}
			w.s.blocks = append(w.s.blocks, block)
			at = len(w.s.blocks)
		}
		w.s.of[mark.ChildMarkedContentID] = at
	}
}

// inline says that what came since before belongs to the block at.
func (w *walk) inline(before, at int) bool { return at > 0 && before == len(w.s.blocks) }

// sameBlock says that a child's block is the parent's own: an inline element
// began it.
func sameBlock(child, parent overlay.Block) bool {
	if parent.Kind == "" {
		return false
	}
	return child == parent
}

// blockOf gives the block of a character, overlay.Decoration, or 0.
func (d *document) blockOf(tp references.FPDF_TEXTPAGE, i int, s structure) int {
	in := d.engine.instance
	o, err := in.FPDFText_GetTextObject(&requests.FPDFText_GetTextObject{TextPage: tp, Index: i})
	if err != nil {
		return 0
	}
	m, err := in.FPDFPageObj_GetMarkedContentID(&requests.FPDFPageObj_GetMarkedContentID{PageObject: o.TextObject})
	if err == nil && m.MarkedContentID >= 0 {
		if at, ok := s.of[m.MarkedContentID]; ok {
			return at
		}
	}
	marks, err := in.FPDFPageObj_CountMarks(&requests.FPDFPageObj_CountMarks{PageObject: o.TextObject})
	if err != nil {
		return 0
	}
	for k := range min(marks.Count, maxNesting) {
		mark, err := in.FPDFPageObj_GetMark(&requests.FPDFPageObj_GetMark{PageObject: o.TextObject, Index: uint64(k)})
		if err != nil {
			continue
		}
		if name, err := in.FPDFPageObjMark_GetName(&requests.FPDFPageObjMark_GetName{PageObjectMark: mark.Mark}); err == nil &&
			name.Name == "Artifact" {
			return overlay.Decoration
		}
	}
	return 0
}
