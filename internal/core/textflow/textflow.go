// Package textflow re-sets the text of a document for narrow screens and for
// assistive technology: headings, paragraphs, lists and tables instead of lines
// at fixed places.
//
// Where a page is tagged (ISO 32000-2, 14.8) its own structure is followed.
// Elsewhere columns are found by the white between them, and lines are joined
// to paragraphs by their leading, indents and ends (after Breuel, Two geometric
// algorithms for layout analysis, DAS 2002, much simplified). Running heads and
// page numbers are dropped; where a page begins is kept. Lengths are points.
package textflow

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/rangetable"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
)

// Page is one page as the engine read it. Number counts from 1.
type Page struct {
	Number        int
	Label         string
	Width, Height float64
	Runs          []overlay.Run
	Links         []overlay.Link
	Blocks        []overlay.Block
	Figures       []sheet.Rect // pictures and drawings
	Outline       []Entry      // that leads to this page
}

// Kind is what a block is.
type Kind string

// The kinds of block.
const (
	Paragraph Kind = "paragraph"
	Heading   Kind = "heading"
	Item      Kind = "item"
	Table     Kind = "table"
	Picture   Kind = "picture"
	Code      Kind = "code"    // lines that are set as they stand
	Formula   Kind = "formula" // a displayed formula
	Note      Kind = "note"    // at the foot of a page
	Empty     Kind = "empty"   // a page without text
)

// Mark says that a page begins at a rune of a block's text.
type Mark struct {
	At   int
	Page int
}

// CellText is one cell of a table.
type CellText struct {
	Text  string
	Head  bool
	Spans []Span
}

// Block is a piece of the flow. Page is where it begins. Level is a heading's,
// from 1. Marker is what stands before an item or a note; Depth is how deep an item
// lies in lists, from 1, and Contents says that it is one of a table of contents.
// Cut is the part of the page that a picture or a formula is, in points; Text is
// then its alternative, and Caption its name.
type Block struct {
	Kind     Kind
	Page     int
	Level    int
	Language string
	Marker   string
	Depth    int
	Contents bool
	Cut      sheet.Rect
	Caption  *Block
	Text     string
	Spans    []Span
	Rows     [][]CellText
	Marks    []Mark

	size    float64
	indent  float64    // of an item's mark from the edge of its column, in points
	box     sheet.Rect // where it stands, as far as that is known
	note    int        // the number of a note on its page, from 1
	caption bool       // it has become the name of a figure
	open    bool       // a paragraph that may go on
	aside   bool       // a page's number, or a note: it interrupts nothing
}

// Flow sets pages, which follow each other, under a style that was learned
// from the whole document.
func Flow(pages []Page, style Style) []Block {
	var out []Block
	for _, p := range pages {
		kept := p
		var aside []overlay.Run
		kept.Runs, aside = style.parted(p)
		kept.Runs, _ = rubied(style.Settle(kept.Runs))
		var blocks []Block
		if tagged(kept) {
			blocks = fromTags(kept, style)
		} else {
			blocks = fromLines(kept, style)
		}
		if len(kept.Runs) > 0 || tagged(kept) { // a picture of a page is no figure on it
			blocks = among(blocks, style.shown(p.Figures))
		}
		noted(blocks, style.Body, p.Number)
		blocks = named(blocks)
		for _, b := range fromLines(Page{Number: p.Number, Width: p.Width, Height: p.Height, Runs: aside, Links: p.Links}, style) {
			b.Kind, b.Level, b.open, b.aside = Paragraph, 0, false, true
			blocks = append(blocks, b)
		}
		if len(blocks) == 0 {
			blocks = []Block{{Kind: Empty, Page: p.Number}}
		}
		out = attach(out, blocks, p.Number)
	}
	deepen(out)
	speak(out, style.Language)
	before := 0
	if len(pages) > 0 && pages[0].Number > 1 {
		before = Unsettled
	}
	settle(out, before)
	for i := range out {
		if c := out[i].Caption; c != nil {
			c.Spans = stands(c.Text, c.Spans)
		}
		out[i].Spans = stands(out[i].Text, out[i].Spans)
		for _, row := range out[i].Rows {
			for k := range row {
				row[k].Spans = stands(row[k].Text, row[k].Spans)
			}
		}
	}
	return out
}

// attach puts the blocks of a page behind those of the pages before it. A
// paragraph that was cut by the end of the page goes on.
func attach(out, blocks []Block, page int) []Block {
	for i := range blocks {
		blocks[i].Page = page
	}
	n := len(out)
	for n > 0 && out[n-1].aside {
		n--
	}
	if n > 0 && goesOn(out[n-1], blocks[0]) {
		last := &out[n-1]
		at := last.extend(blocks[0])
		last.Marks = append(last.Marks, Mark{at, page})
		last.open = blocks[0].open
		blocks = blocks[1:]
		return append(out, blocks...)
	}
	blocks[0].Marks = append([]Mark{{0, page}}, blocks[0].Marks...)
	return append(out, blocks...)
}

// extend puts the text of another block behind this one, and gives the rune that it
// begins at.
func (b *Block) extend(next Block) int {
	text, gap := divided(b.Text, next.Text)
	whole := said{text, b.Spans}
	whole.add(gap, said{next.Text, next.Spans})
	b.Text, b.Spans = whole.text, whole.spans
	return utf8.RuneCountInString(text + gap)
}

// divided gives a text without the hyphen that divides its last word, and what
// stands before the text that goes on.
func divided(text, next string) (string, string) {
	a, b := overlay.Run{Text: text, Break: true}, overlay.Run{Text: next}
	return strings.TrimRight(text, string(overlay.SoftHyphen)), overlay.Joint(a, b)
}

// goesOn says whether a block is the rest of the one before.
func goesOn(a, b Block) bool {
	if a.Kind != Paragraph && a.Kind != Item || b.Kind != Paragraph || a.Language != b.Language {
		return false
	}
	if a.size > 0 && b.size > 0 && (b.size > 1.08*a.size || a.size > 1.08*b.size) {
		return false
	}
	if len(a.Text) == 0 || len(a.Text) > mostParagraph {
		return false
	}
	end, start := a.Text, b.Text
	for i := max(len(end)-aboutJoin, 0); ; i++ {
		if utf8.RuneStart(end[i]) {
			end = end[i:]
			break
		}
	}
	return a.open && unfinished(end) && scriptOf(end) == scriptOf(start[:min(len(start), aboutJoin)])
}

const (
	mostParagraph = 100_000 // bytes, beyond which no more is taken into it from the next page
	aboutJoin     = 400     // bytes on either side of a join that tell its script
)

// scripts are those that paragraphs are told apart by; Japanese is written in three.
var scripts = []*unicode.RangeTable{unicode.Latin, unicode.Cyrillic, unicode.Greek, unicode.Arabic, unicode.Hebrew, unicode.Devanagari,
	unicode.Thai, unicode.Hangul,
	rangetable.Merge(unicode.Han, unicode.Hiragana, unicode.Katakana)}

// scriptOf gives the script that most letters of a text are in, by its place in that
// list, or -1.
func scriptOf(text string) int {
	counts := make([]int, len(scripts))
	best := -1
	for _, r := range text {
		for i, s := range scripts {
			if unicode.Is(s, r) {
				if counts[i]++; best < 0 || counts[i] > counts[best] {
					best = i
				}
				break
			}
		}
	}
	return best
}

// unfinished says whether a text stops in the middle of a sentence.
func unfinished(text string) bool {
	end, size := utf8.DecodeLastRuneInString(strings.TrimRight(text, " ”’\"')»」』）"))
	return size > 0 && !strings.ContainsRune(".!?…:;。！？．؟۔।॥", end)
}
