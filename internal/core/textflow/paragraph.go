package textflow

import (
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
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
func paragraphs(lines []line, style Style, links []overlay.Link, outline []Entry) []Block {
	var out []Block
	var last line
	plainUntil, looseUntil := 0, 0
	for i := 0; i < len(lines); i++ {
		l := lines[i]
		n, seen := 0, 0
		if i >= plainUntil {
			if n, seen = contentsAt(lines[i:], links); n == 0 {
				plainUntil = i + seen // what was no contents once is not looked at line by line
			}
		}
		if n > 0 {
			out = append(out, contentsOf(lines[i:i+n], links)...)
			i += n - 1
			last = line{}
			continue
		}
		if n := formulaAt(lines[i:]); n > 0 {
			var runs []overlay.Run
			for _, l := range lines[i : i+n] {
				runs = append(runs, l.runs()...)
			}
			box := boxOf(runs)
			out = append(out, Block{Kind: Formula, Text: wordsOf(runs, nil).text, Cut: box, box: box, size: l.size()})
			i += n - 1
			last = line{}
			continue
		}
		var grid []line
		if i >= looseUntil {
			if grid, seen = gridAt(lines[i:]); len(grid) == 0 {
				looseUntil = i + seen
			}
		}
		if len(grid) > 0 {
			out = append(out, Block{Kind: Table, Rows: cellsOf(grid, links), box: boxOf(lines[i].runs())})
			i += len(grid) - 1
			last = line{}
			continue
		}
		if n := tableAt(lines[i:]); n > 0 {
			out = append(out, Block{Kind: Table, Rows: cellsOf(lines[i:i+n], links), box: boxOf(lines[i].runs())})
			i += n - 1
			last = line{}
			continue
		}
		if n := codeAt(lines[i:]); n > 0 && !style.Fixed {
			out = append(out, Block{Kind: Code, Text: codeOf(lines[i : i+n]), box: boxOf(lines[i].runs())})
			i += n - 1
			last = line{}
			continue
		}
		whole := wordsOf(l.runs(), links)
		text := whole.text
		if text == "" {
			continue
		}
		b := Block{Kind: Paragraph, Text: text, Spans: whole.spans, size: l.size(), open: true, box: boxOf(l.runs()), indent: l.from() - l.left}
		small := style.Body > 0 && l.size() < noteSize*style.Body
		if entry, ok := entryFor(text, outline); ok && !small {
			b.Kind, b.Level = Heading, entry.Level
		} else if level := style.level(l.size()); level > 0 && l.whole() {
			b.Kind, b.Level = Heading, level
		} else if l.bold() && l.whole() && !style.Bold && (!style.Outlined || numberDepth(text) > 0 || plainWords(text)) &&
			utf8.RuneCountInString(text) < 90 && !strings.HasSuffix(text, ".") && !isCaption(text) {
			b.Kind, b.Level = Heading, min(len(style.Headings)+1, 6)
			if depth := numberDepth(text); depth > 0 {
				b.Level = min(depth, 6)
			}
		} else if marker, rest := markerOf(text); marker != "" && rest != "" && itemBegins(lines, i, marker) {
			rest := whole.without(rest)
			b.Kind, b.Marker, b.Text, b.Spans = Item, marker, rest.text, rest.spans
		}
		if b.Kind == Heading {
			b.Spans = leads(b.Spans)
		}
		noteBegins := small && len(b.Spans) > 0 && b.Spans[0].From == 0 && b.Spans[0].Raised
		if n := len(out); n > 0 && len(last.segments) > 0 && !noteBegins && !isCaption(b.Text) && continues(out[n-1], b, last, l, style.alike()) {
			out[n-1].extend(b)
			out[n-1].box = joined(out[n-1].box, b.box)
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

// plainWords says whether a text is a few words and nothing else, as a heading is
// that no outline names: Abstract, Contents.
func plainWords(text string) bool {
	return utf8.RuneCountInString(text) <= 30 && !strings.ContainsFunc(text, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.Is(unicode.M, r) && r != ' '
	})
}

// whole says whether a line has no gaps but that behind a number, as headings have
// none.
func (l line) whole() bool {
	return len(l.segments) == 1 || len(l.segments) == 2 && numberDepth(strings.TrimSpace(wordsOf(l.segments[0].runs, nil).text)+" ") > 0
}

// joined is the box around two.
func joined(a, b sheet.Rect) sheet.Rect {
	left, top := math.Min(a.X, b.X), math.Min(a.Y, b.Y)
	return sheet.Rect{X: left, Y: top, W: math.Max(a.X+a.W, b.X+b.W) - left, H: math.Max(a.Y+a.H, b.Y+b.H) - top}
}

const longestHeading = 160 // characters

// mostLeading is how far lines of one paragraph stand apart at most, in em, where
// there are too few to tell.
const mostLeading = 1.8

// mostHang is how far the lines of a paragraph are set in below its first, in em.
const mostHang = 8

// alike is how far the sizes of lines of one paragraph may differ, in parts of one.
func (s Style) alike() float64 {
	if s.Uneven {
		return 0.4
	}
	return 0.08
}

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
func continues(block, next Block, a, b line, uneven float64) bool {
	if next.Kind == Item || block.Kind != Paragraph && block.Kind != Heading && block.Kind != Item || block.Contents ||
		(block.Kind == Heading) != (next.Kind == Heading) {
		return false
	}
	if math.Abs(a.size()-b.size()) > uneven*a.size() || block.Kind == Heading && block.Level != next.Level {
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
		if b.from()-b.left < block.indent-0.3*b.size() {
			return false
		}
		return b.from()-b.left > block.indent+0.3*b.size() || block.indent <= 0.5*a.size() && unfinished(block.Text)
	}
	if a.to() > a.right-0.06*(a.right-a.left) && unfinished(block.Text) && b.from() < a.left+mostHang*a.size() {
		return true // it hangs
	}
	if b.from() > a.left+0.7*b.size() && a.from() <= a.left+0.7*a.size() && b.from()-a.from() < 6*b.size() {
		return false // an indent
	}
	width := a.right - a.left
	short := a.to() < a.right-0.22*width
	return !(short && !unfinished(a.plainText()))
}

// tableRows is how many lines of cells make a table; a longer one than the most is
// set as several.
const (
	tableRows     = 3
	mostTableRows = 300
)

// tableAt says how many lines, from the first one on, are rows of a table.
func tableAt(lines []line) int {
	n := 0
	for n < min(len(lines), mostTableRows) && len(lines[n].segments) >= 2 && !(n > 0 && lines[n].first) {
		if n > 0 && lines[n].base()-lines[n-1].base() > 4*lines[n].size() || holding(lines[:n+1]) < 2 && !even(lines[:n+1]) {
			break
		}
		n++
	}
	if n < tableRows {
		return 0
	}
	return n
}

// even says whether rows begin at one edge and have as many figures each: what stands
// at the ends of bars keeps to no column, and yet has its row.
func even(lines []line) bool {
	for _, l := range lines {
		if len(l.segments) != len(lines[0].segments) || math.Abs(l.from()-lines[0].from()) > 0.5*l.size() &&
			math.Abs(l.segments[0].to-lines[0].segments[0].to) > 0.5*l.size() {
			return false
		}
		for _, s := range l.segments[1:] {
			if text := wordsOf(s.runs, nil).text; strings.IndexFunc(text, unicode.IsDigit) < 0 || hasWord(text) {
				return false
			}
		}
	}
	return true
}

// holding says how many columns rows have that no cell crosses, and that have cells
// in three rows at least, where there are as many.
func holding(lines []line) int {
	columns := columnsOf(lines)
	n := 0
	for _, c := range columns {
		filled := 0
		for _, l := range lines {
			if slices.ContainsFunc(l.segments, func(s segment) bool { return s.from >= c.from && s.from <= c.to }) {
				filled++
			}
		}
		if filled >= min(tableRows, len(lines)) {
			n++
		}
	}
	return n
}

// extent is the place of a column across the page.
type extent struct{ from, to float64 }

// columnsOf finds the columns of rows: cells that stand over each other belong to
// one.
func columnsOf(lines []line) []extent {
	var spans []extent
	for _, l := range lines {
		for _, s := range l.segments {
			spans = append(spans, extent{s.from, s.to})
		}
	}
	slices.SortFunc(spans, func(a, b extent) int { return int(math.Copysign(1, a.from-b.from)) })
	var columns []extent
	for _, s := range spans {
		if n := len(columns); n > 0 && s.from < columns[n-1].to {
			columns[n-1].to = math.Max(columns[n-1].to, s.to)
			continue
		}
		columns = append(columns, s)
	}
	return columns
}

// cellsOf sets rows into their columns.
func cellsOf(lines []line, links []overlay.Link) [][]CellText {
	columns := columnsOf(lines)
	byPlace := !even(lines) || holding(lines) >= 2 && len(columns) == len(lines[0].segments)
	if !byPlace {
		columns = make([]extent, len(lines[0].segments))
	}
	out := make([][]CellText, len(lines))
	for i, l := range lines {
		out[i] = make([]CellText, len(columns))
		for k, s := range l.segments {
			at := slices.IndexFunc(columns, func(c extent) bool { return s.from >= c.from && s.from <= c.to })
			if !byPlace {
				at = k
			}
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
	// A first row of words over rows of figures is its head, and a bold one over
	// others.
	if len(out) > 1 && (figures(out[0]) == 0 && figures(out[1]) > 0 || lines[0].bold() && !lines[1].bold()) {
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
