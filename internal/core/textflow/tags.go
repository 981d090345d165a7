package textflow

import (
	"math"
	"strings"
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
	for i, b := range p.Blocks {
		text := join(runs[i+1])
		block := Block{Kind: Paragraph, Language: b.Language, Text: text, size: sizeIn(runs[i+1]), open: true}
		switch b.Kind {
		case overlay.Picture:
			if b.Alternative == "" {
				break
			}
			block.Kind, block.Text, block.open = Picture, b.Alternative, false
			if text != "" { // what can be read in it is not lost
				out = append(out, block)
				block = Block{Kind: Paragraph, Language: b.Language, Text: text, size: sizeIn(runs[i+1])}
			}
		case overlay.Heading:
			block.Kind, block.Level = Heading, max(b.Level, 1)
		}
		if block.Text == "" && b.Table == 0 {
			continue
		}
		switch {
		case b.Table > 0 && b.Row > 0:
			cell := CellText{text, b.Kind == overlay.HeadCell}
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
			head, gap := divided(last.Text, text)
			last.Text = head + gap + text
			if last.Marker == "" {
				last.Marker, last.Text = markerOf(last.Text)
			}
			continue
		case b.Kind == overlay.Item:
			block.Kind = Item
			block.Marker, block.Text = markerOf(text)
			if block.Text == "" {
				block.Text, block.Marker = block.Marker, ""
			}
			lastItem = b.ItemOf
		}
		lastTable = 0
		out = append(out, block)
	}
	if len(outside) > 0 {
		out = append(out, fromLines(Page{Number: p.Number, Label: p.Label, Width: p.Width, Height: p.Height, Runs: outside}, style)...)
	}
	return out
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

// join puts runs together to one text.
func join(runs []overlay.Run) string {
	var b strings.Builder
	for i, r := range runs {
		text := r.Text
		if i+1 < len(runs) {
			gap := overlay.Joint(r, runs[i+1])
			if runs[i+1].Angle == r.Angle && beside(r, runs[i+1]) {
				gap = ""
			}
			text = strings.TrimRight(text, string(overlay.SoftHyphen)) + gap
		}
		b.WriteString(text)
	}
	return strings.TrimSpace(b.String())
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
