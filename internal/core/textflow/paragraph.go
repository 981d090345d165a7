package textflow

import (
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"incipit/internal/core/overlay"
)

// markers are what list items begin with.
var (
	bullet   = regexp.MustCompile(`^([•‣▪●○◦■□–—*·-])\s+`)
	numbered = regexp.MustCompile(`^(\(?(?:\d{1,3}|[a-z]|[ivx]{1,5})[.)])\s+`)
)

// markerOf parts an item's marker from its text.
func markerOf(text string) (marker, rest string) {
	for _, m := range []*regexp.Regexp{bullet, numbered} {
		if found := m.FindStringSubmatch(text); found != nil {
			return found[1], strings.TrimSpace(text[len(found[0]):])
		}
	}
	if utf8.RuneCountInString(text) == 1 && bullet.MatchString(text+" ") || numbered.MatchString(text+" ") && len(text) < 7 {
		return text, ""
	}
	return "", text
}

// paragraphs joins lines to blocks.
func paragraphs(lines []line, style Style, links []overlay.Link) []Block {
	var out []Block
	var last line
	for i := 0; i < len(lines); i++ {
		l := lines[i]
		if n := tableAt(lines[i:]); n > 0 {
			out = append(out, Block{Kind: Table, Rows: cellsOf(lines[i:i+n], links)})
			i += n - 1
			last = line{}
			continue
		}
		if n := codeAt(lines[i:]); n > 0 && !style.Fixed {
			out = append(out, Block{Kind: Code, Text: codeOf(lines[i : i+n])})
			i += n - 1
			last = line{}
			continue
		}
		whole := wordsOf(l.runs(), links)
		text := whole.text
		if text == "" {
			continue
		}
		b := Block{Kind: Paragraph, Text: text, Spans: whole.spans, size: l.size(), open: true}
		if level := style.level(l.size()); level > 0 {
			b.Kind, b.Level = Heading, level
		} else if l.bold() && !style.Bold && utf8.RuneCountInString(text) < 90 && !strings.HasSuffix(text, ".") {
			b.Kind, b.Level = Heading, min(len(style.Headings)+1, 6)
		} else if marker, rest := markerOf(text); marker != "" && rest != "" && itemBegins(lines, i, marker) {
			rest := whole.without(rest)
			b.Kind, b.Marker, b.Text, b.Spans = Item, marker, rest.text, rest.spans
		}
		if b.Kind == Heading {
			b.Spans = leads(b.Spans)
		}
		if n := len(out); n > 0 && len(last.segments) > 0 && continues(out[n-1], b, last, l) {
			out[n-1].extend(b)
		} else {
			out = append(out, b)
		}
		last = l
	}
	// So much large type is no heading.
	for i := range out {
		if out[i].Kind == Heading && utf8.RuneCountInString(out[i].Text) > longestHeading {
			out[i].Kind, out[i].Level = Paragraph, 0
		}
	}
	return out
}

const longestHeading = 160 // characters

// mostLeading is how far lines of one paragraph stand apart at most, in em, where
// there are too few to tell.
const mostLeading = 1.8

// itemBegins says whether a marker really is one: a bullet always, a number
// where a neighbour line has one too or the lines behind it are set in.
func itemBegins(lines []line, i int, marker string) bool {
	if bullet.MatchString(marker + " ") {
		return true
	}
	for _, j := range []int{i - 3, i - 2, i - 1, i + 1, i + 2, i + 3} {
		if j >= 0 && j < len(lines) {
			if m, rest := markerOf(lines[j].plainText()); m != "" && rest != "" && m != marker {
				return true
			}
		}
	}
	return false
}

// continues says whether a line belongs to the block that the line before it
// belongs to.
func continues(block, next Block, a, b line) bool {
	if next.Kind == Item || block.Kind == Table || block.Kind == Picture || (block.Kind == Heading) != (next.Kind == Heading) {
		return false
	}
	if math.Abs(a.size()-b.size()) > 0.08*a.size() || block.Kind == Heading && block.Level != next.Level {
		return false
	}
	if b.first {
		return block.Kind != Heading && unfinished(block.Text) && b.from()-b.left < 0.6*b.size()
	}
	step := b.base() - a.base()
	usual := a.leading
	if usual <= 0 || usual > 2.2*a.size() {
		usual = 1.4 * a.size()
	}
	if a.few && unfinished(block.Text) {
		usual = math.Max(usual, mostLeading*a.size())
	}
	if block.Kind == Heading {
		return step < 1.75*a.size()
	}
	if step > 1.22*usual || step <= 0 {
		return false
	}
	if block.Kind == Item {
		// The lines of an item hang.
		return b.from() > a.left+0.5*a.size() || a.from() <= a.left+0.5*a.size() && unfinished(block.Text)
	}
	if b.from() > a.left+0.7*b.size() && a.from() <= a.left+0.7*a.size() && b.from()-a.from() < 6*b.size() {
		return false // an indent
	}
	width := a.right - a.left
	short := a.to() < a.right-0.22*width
	return !(short && !unfinished(a.plainText()))
}

// tableRows is how many lines of cells make a table.
const tableRows = 3

// tableAt says how many lines, from the first one on, are rows of a table.
func tableAt(lines []line) int {
	n := 0
	for n < len(lines) && len(lines[n].segments) >= 2 && !(n > 0 && lines[n].first) {
		if n > 0 && lines[n].base()-lines[n-1].base() > 4*lines[n].size() {
			break
		}
		n++
	}
	if n < tableRows {
		return 0
	}
	return n
}

// cellsOf sets rows into columns: cells that stand over each other belong to
// one.
func cellsOf(lines []line, links []overlay.Link) [][]CellText {
	type span struct{ from, to float64 }
	var spans []span
	for _, l := range lines {
		for _, s := range l.segments {
			spans = append(spans, span{s.from, s.to})
		}
	}
	slices.SortFunc(spans, func(a, b span) int { return int(math.Copysign(1, a.from-b.from)) })
	var columns []span
	for _, s := range spans {
		if n := len(columns); n > 0 && s.from < columns[n-1].to {
			columns[n-1].to = math.Max(columns[n-1].to, s.to)
			continue
		}
		columns = append(columns, s)
	}
	out := make([][]CellText, len(lines))
	for i, l := range lines {
		out[i] = make([]CellText, len(columns))
		for _, s := range l.segments {
			at := slices.IndexFunc(columns, func(c span) bool { return s.from >= c.from && s.from <= c.to })
			cell := &out[i][max(at, 0)]
			gap := ""
			if cell.Text != "" {
				gap = " "
			}
			whole := said{cell.Text, cell.Spans}
			whole.add(gap, s.text(links))
			cell.Text, cell.Spans = whole.text, whole.spans
		}
	}
	// A first row of words over rows of figures is its head.
	if len(out) > 1 && figures(out[0]) == 0 && figures(out[1]) > 0 {
		for i := range out[0] {
			out[0][i].Head = true
		}
	}
	return out
}

func figures(row []CellText) int {
	n := 0
	for _, c := range row {
		if strings.IndexFunc(c.Text, unicode.IsDigit) >= 0 {
			n++
		}
	}
	return n
}
