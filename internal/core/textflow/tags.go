package textflow

import (
	"math"
	"unicode/utf8"

	"incipit/internal/core/overlay"
)

// believed is the part of a page's words that its structure must hold to be
// followed, in hundredths. Words that the file itself calls decoration are not
// counted.
const believed = 98

// tagged says whether a page's structure can be followed.
func tagged(p Page) bool {
	in, all := 0, 0
	for _, r := range p.Runs {
		if r.Block == overlay.Decoration {
			continue
		}
		n := utf8.RuneCountInString(r.Text)
		all += n
		if r.Block > 0 && r.Block <= len(p.Blocks) {
			in += n
		}
	}
	return all > 0 && 100*in >= believed*all || all == 0 && len(p.Blocks) > 0
}

// Misses says that a page has a structure that leaves out too much of its text to
// be followed.
func Misses(p Page) bool { return len(p.Blocks) > 0 && !tagged(p) }

// fromTags sets a tagged page: its blocks in the order of its structure, and
// behind them what stands outside it.
func fromTags(p Page, style Style) []Block {
	runs := make([][]overlay.Run, len(p.Blocks)+1)
	var outside []overlay.Run
	for _, r := range p.Runs {
		if r.Block > 0 && r.Block <= len(p.Blocks) {
			runs[r.Block] = append(runs[r.Block], r)
		} else {
			outside = append(outside, r)
		}
	}
	var out []Block
	lastItem, lastTable, lastRow := 0, 0, 0
	left := math.Inf(1)
	for _, r := range p.Runs {
		left = math.Min(left, r.X)
	}
	for i, b := range p.Blocks {
		whole := wordsOf(runs[i+1], p.Links)
		text := whole.text
		block := Block{Kind: Paragraph, Language: b.Language, Text: text, Spans: whole.spans, size: sizeIn(runs[i+1]), open: true,
			box: boxOf(runs[i+1])}
		switch b.Kind {
		case overlay.Picture:
			if b.Alternative == "" {
				break
			}
			block.Kind, block.Text, block.Spans, block.open = Picture, b.Alternative, nil, false
			if text != "" { // what can be read in it is not lost
				out = append(out, block)
				block = Block{Kind: Paragraph, Language: b.Language, Text: text, Spans: whole.spans, size: sizeIn(runs[i+1])}
			}
		case overlay.Paragraph:
			if lines := linesIn(runs[i+1]); len(lines) > 1 && codeAt(lines) == len(lines) && !style.Fixed {
				block.Kind, block.Text, block.Spans, block.open = Code, codeOf(lines), nil, false
			} else if n := len(lines); n > 0 {
				for k := range lines {
					lines[k].left = left
				}
				if formulaAt(lines) == n {
					block.Kind, block.Spans, block.Cut, block.open = Formula, nil, block.box, false
				}
			}
		case overlay.Heading:
			block.Kind, block.Level, block.Spans = Heading, max(b.Level, 1), leads(block.Spans)
		}
		if block.Text == "" && b.Table == 0 {
			continue
		}
		switch {
		case b.Table > 0 && b.Row > 0:
			cell := CellText{text, b.Kind == overlay.HeadCell, whole.spans}
			if b.Table != lastTable {
				out = append(out, Block{Kind: Table, Language: b.Language})
				lastTable, lastRow = b.Table, 0
			}
			t := &out[len(out)-1]
			if t.Kind != Table {
				out = append(out, Block{Kind: Table, Language: b.Language})
				t = &out[len(out)-1]
			}
			if b.Row != lastRow {
				t.Rows = append(t.Rows, nil)
				lastRow = b.Row
			}
			t.Rows[len(t.Rows)-1] = append(t.Rows[len(t.Rows)-1], cell)
			continue
		case b.Table > 0 && text == "":
			continue
		case b.ItemOf > 0 && b.ItemOf == lastItem && len(out) > 0 && out[len(out)-1].Kind == Item:
			last := &out[len(out)-1]
			last.extend(block)
			if asContents(last); !last.Contents && last.Marker == "" {
				last.mark()
			}
			continue
		case b.Kind == overlay.Item:
			block.Kind, block.Depth = Item, b.Depth
			if asContents(&block); block.Contents {
				lastItem = b.ItemOf
				break
			}
			if block.mark(); block.Text == "" {
				block.Text, block.Marker = block.Marker, ""
			}
			lastItem = b.ItemOf
		}
		lastTable = 0
		out = append(out, block)
	}
	pointing(out)
	if len(outside) > 0 {
		out = append(out, fromLines(Page{Number: p.Number, Label: p.Label, Width: p.Width, Height: p.Height, Runs: outside, Links: p.Links},
			style)...)
	}
	return out
}

// linesIn gives the lines of some runs that are set upright.
func linesIn(runs []overlay.Run) []line {
	for _, r := range runs {
		if r.Angle != 0 || r.Upright {
			return nil
		}
	}
	return linesOf(segmentsOf(runs, 0))
}

// sizeIn is the size of most of the text in some runs.
func sizeIn(runs []overlay.Run) float64 {
	n := map[float64]int{}
	best := 0.0
	for _, r := range runs {
		if n[r.Size] += utf8.RuneCountInString(r.Text); n[r.Size] > n[best] {
			best = r.Size
		}
	}
	return best
}

// mark parts an item's marker from its text.
func (b *Block) mark() {
	marker, rest := markerOf(b.Text)
	whole := said{b.Text, b.Spans}.without(rest)
	b.Marker, b.Text, b.Spans = marker, whole.text, whole.spans
}

// beside says whether a run goes on right where another one ends: a word whose
// letters are of two sizes or weights.
func beside(a, b overlay.Run) bool {
	if a.Break || math.Abs(b.Y-a.Y) > 0.5*a.Size || a.Angle != 0 {
		return false
	}
	gap := b.X - a.X - a.Length
	if b.X < a.X {
		gap = a.X - b.X - b.Length
	}
	return math.Abs(gap) < 0.1*math.Min(a.Size, b.Size)
}
