package textflow

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
)

// segment is a piece of text that stands by itself on its line. from and to are
// its ends along the line, base is its baseline, counted in the direction in
// which lines follow each other.
type segment struct {
	from, to, base float64
	size           float64
	bold           bool
	chars          int
	runs           []overlay.Run
}

func (s segment) text(links []overlay.Link) said { return wordsOf(s.runs, links) }

// take adds a segment that is read on from this one. Size and baseline are those
// of most of its text.
func (s *segment) take(o segment) {
	s.from, s.to = math.Min(s.from, o.from), math.Max(s.to, o.to)
	s.bold = s.bold && o.bold
	if o.chars > s.chars || o.chars == s.chars && o.size > s.size {
		s.size, s.base = o.size, o.base
	}
	s.chars += o.chars
	s.runs = append(s.runs, o.runs...)
}

// line is the segments that stand on one baseline, in reading order. left and
// right are the edges of its column; first says that a column begins with it.
type line struct {
	segments    []segment
	left, right float64
	leading     float64 // usual distance of lines in its column
	first       bool
	few         bool // lines: too few to tell what is usual
}

func (l line) from() float64 { return l.segments[0].from }
func (l line) to() float64   { return l.segments[len(l.segments)-1].to }
func (l line) base() float64 { return l.segments[0].base }
func (l line) size() float64 {
	best, n := 0.0, 0
	for _, s := range l.segments {
		if c := s.chars; c > n {
			best, n = s.size, c
		}
	}
	return best
}

func (l line) bold() bool {
	return !slices.ContainsFunc(l.segments, func(s segment) bool { return !s.bold })
}

func (l line) text() string { return wordsOf(l.runs(), nil).text }

func (l line) runs() []overlay.Run {
	var runs []overlay.Run
	for _, s := range l.segments {
		runs = append(runs, s.runs...)
	}
	return runs
}

// fromLines sets a page that has no structure. Text that is turned is set by
// itself, the direction that most of the text has first.
func fromLines(p Page, style Style) []Block {
	var out []Block
	for _, part := range byTurn(p.Runs) {
		out = append(out, paragraphs(arrange(segmentsOf(part.runs, part.turn), 0), style, p.Links, p.Outline)...)
	}
	return out
}

// turnedText is the text of a page that runs in one direction.
type turnedText struct {
	turn float64 // degrees clockwise, a multiple of 90
	runs []overlay.Run
}

// byTurn parts runs by their direction, the one that most of the text has
// first.
func byTurn(runs []overlay.Run) []turnedText {
	all := []turnedText{{turn: 0}, {turn: 90}, {turn: 180}, {turn: 270}}
	chars := map[float64]int{}
	for _, r := range runs {
		i := sheet.Turn(90*int(math.Round(r.Angle/90))) / 90
		all[i].runs = append(all[i].runs, r)
		chars[all[i].turn] += utf8.RuneCountInString(r.Text)
	}
	slices.SortStableFunc(all, func(a, b turnedText) int { return chars[b.turn] - chars[a.turn] })
	return slices.DeleteFunc(all, func(t turnedText) bool { return len(t.runs) == 0 })
}

// backward says whether most letters are written from right to left.
func backward(runs []overlay.Run) bool {
	n := 0
	for _, r := range runs {
		for _, c := range r.Text {
			switch {
			case unicode.In(c, unicode.Arabic, unicode.Hebrew, unicode.Syriac, unicode.Thaana):
				n++
			case unicode.IsLetter(c):
				n--
			}
		}
	}
	return n > 0
}

// cellGap is the distance between two runs of a line, in em, from which on they
// are cells of their own.
const cellGap = 1.4

// segmentsOf joins runs that stand close together on one line.
func segmentsOf(runs []overlay.Run, turn float64) []segment {
	all := make([]segment, 0, len(runs))
	for i, r := range runs {
		s := segment{size: r.Size, bold: r.Bold, runs: []overlay.Run{r}, chars: utf8.RuneCountInString(r.Text)}
		switch turn {
		case 90:
			s.from, s.base = r.Y, -r.X
		case 180:
			s.from, s.base = -r.X, -r.Y
		case 270:
			s.from, s.base = -r.Y, r.X
		default:
			s.from, s.base = r.X, r.Y
		}
		s.to = s.from + r.Length
		if n := len(all); n > 0 && r.Line > 0 && runs[i-1].Line == r.Line {
			all[n-1].take(s)
			continue
		}
		all = append(all, s)
	}
	if backward(runs) {
		for i := range all {
			all[i].from, all[i].to = -all[i].to, -all[i].from
		}
	}
	slices.SortStableFunc(all, func(a, b segment) int {
		if math.Abs(a.base-b.base) > 0.3*math.Min(a.size, b.size) {
			return int(math.Copysign(1, a.base-b.base))
		}
		return int(math.Copysign(1, a.from-b.from))
	})
	var out []segment
	for _, s := range all {
		if n := len(out); n > 0 {
			last := &out[n-1]
			gap := s.from - last.to
			if math.Abs(s.base-last.base) < 0.35*math.Max(s.size, last.size) && gap < cellGap*math.Max(s.size, last.size) && gap > -last.size {
				last.take(s)
				continue
			}
		}
		out = append(out, s)
	}
	return out
}

const (
	mostColumns  = 4  // deep; more are read across
	columnLines  = 4  // lines that a column has at least
	columnLetter = 16 // letters that its lines have on average
)

// arrange gives the lines of a region in reading order: column by column, where
// there are any, between the lines that run across them.
func arrange(segments []segment, depth int) []line {
	low, high, ok := gutter(segments)
	if depth >= mostColumns || !ok {
		return linesOf(segments)
	}
	across, rest := crossing(segments, low, high)
	slices.SortStableFunc(across, func(a, b segment) int { return cmp.Compare(a.base, b.base) })
	// Lines that run across, those together that have no column text between them.
	var groups [][]segment
	for i, a := range across {
		if i == 0 || between(segments, across[i-1], a, low, high) {
			groups = append(groups, nil)
		}
		groups[len(groups)-1] = append(groups[len(groups)-1], a)
	}
	// Every other segment stands beside such a line, or in a column above or below.
	type band struct{ left, right []segment }
	bands := make([]band, len(groups)+1)
	for _, s := range rest {
		at, besides := 0, false
		for i, g := range groups {
			if slices.ContainsFunc(g, func(a segment) bool { return math.Abs(a.base-s.base) <= 0.3*math.Max(a.size, s.size) }) {
				groups[i], besides = append(groups[i], s), true
				break
			}
			if g[0].base < s.base {
				at = i + 1
			}
		}
		switch {
		case besides:
		case s.to <= low:
			bands[at].left = append(bands[at].left, s)
		default:
			bands[at].right = append(bands[at].right, s)
		}
	}
	var out []line
	for i, b := range bands {
		for _, column := range [][]segment{b.left, b.right} {
			if len(column) > 0 {
				out = append(out, arrange(column, depth+1)...)
			}
		}
		if i < len(groups) {
			out = append(out, linesOf(groups[i])...)
		}
	}
	return out
}

// crossing parts segments into the lines that run across a gutter, with the short
// last line of a paragraph of such, and the rest.
func crossing(segments []segment, low, high float64) (out, beside []segment) {
	var rest []segment
	for _, s := range segments {
		if s.from < high && s.to > low {
			out = append(out, s)
		} else {
			rest = append(rest, s)
		}
	}
	for _, s := range rest {
		last := slices.ContainsFunc(out, func(a segment) bool {
			step := s.base - a.base
			return step > 0 && step < 1.6*s.size && math.Abs(s.from-a.from) < 0.5*s.size && math.Abs(s.size-a.size) < 0.05*s.size
		})
		alone := !slices.ContainsFunc(rest, func(o segment) bool { return o.from >= high && math.Abs(o.base-s.base) < 0.5*s.size })
		if last && alone && s.to <= low {
			out = append(out, s)
		} else {
			beside = append(beside, s)
		}
	}
	return out, beside
}

// between says whether a column has text between two lines that run across.
func between(segments []segment, a, b segment, low, high float64) bool {
	return slices.ContainsFunc(segments, func(s segment) bool {
		return s.base > a.base+0.3*a.size && s.base < b.base-0.3*b.size && (s.to <= low || s.from >= high)
	})
}

// gutter finds the white between two columns of text: where hardly a line runs
// across, and enough lines of running text end before and begin behind it.
func gutter(segments []segment) (low, high float64, ok bool) {
	if len(segments) < 2*columnLines {
		return 0, 0, false
	}
	left, right := math.Inf(1), math.Inf(-1)
	for _, s := range segments {
		left, right = math.Min(left, s.from), math.Max(right, s.to)
	}
	n := int(right-left) + 1
	if n < 20 || n > 20_000 {
		return 0, 0, false
	}
	cover := make([]int, n)
	size := 0.0
	for _, s := range segments {
		size += s.size / float64(len(segments))
		for i := max(int(s.from-left), 0); i < min(int(math.Ceil(s.to-left)), n); i++ {
			cover[i]++
		}
	}
	few := len(segments) / 6
	bestWidth := 0
	for i := n / 8; i < n*7/8; {
		j := i
		for j < n*7/8 && cover[j] <= few {
			j++
		}
		if j-i > bestWidth && float64(j-i) >= 0.9*size {
			// The barest part of it.
			least := slices.Min(cover[i:j])
			a := i + slices.Index(cover[i:j], least)
			b := a
			for b < j && cover[b] == least {
				b++
			}
			if l, h := left+float64(a), left+float64(b); twoColumns(segments, l, h) {
				bestWidth, low, high, ok = j-i, l, h, true
			}
		}
		i = j + 1
	}
	return low, high, ok
}

// twoColumns says whether running text stands on both sides of a gutter.
func twoColumns(segments []segment, low, high float64) bool {
	var lines, letters [2]int
	for _, s := range segments {
		switch {
		case s.to <= low+0.5:
			lines[0]++
			letters[0] += s.chars
		case s.from >= high-0.5:
			lines[1]++
			letters[1] += s.chars
		}
	}
	columns := true
	for i := range lines {
		columns = columns && lines[i] >= columnLines && letters[i] >= columnLetter*lines[i]
	}
	if columns {
		return true
	}
	// Notes in the margin of running text keep to no line of it.
	for i := range lines {
		if lines[i] >= columnLines && letters[i] >= textLetters*lines[i] && lines[1-i] > 0 && besides(segments, low, high) {
			return true
		}
	}
	return false
}

// textLetters is how many letters the lines of running text have on average that
// has notes beside it.
const textLetters = 25

// besides says whether what stands on the two sides of a gutter keeps to lines or
// sizes of its own: no cells of a table do.
func besides(segments []segment, low, high float64) bool {
	var sides [2][]segment
	for _, s := range segments {
		switch {
		case s.to <= low+0.5:
			sides[0] = append(sides[0], s)
		case s.from >= high-0.5:
			sides[1] = append(sides[1], s)
		default:
			return false
		}
	}
	few, many := sides[0], sides[1]
	if len(few) > len(many) {
		few, many = many, few
	}
	own := 0
	for _, s := range few {
		level := slices.ContainsFunc(many, func(o segment) bool {
			return math.Abs(o.base-s.base) < 0.05*s.size && math.Abs(o.size-s.size) < 0.05*s.size
		})
		if !level {
			own++
		}
	}
	return 2*own > len(few)
}

// fewLeading is the distance of lines, in em, where there are too few to tell.
const fewLeading = 1.5

// linesOf groups the segments of one column into lines.
func linesOf(segments []segment) []line {
	slices.SortStableFunc(segments, func(a, b segment) int {
		if math.Abs(a.base-b.base) > 0.35*math.Min(a.size, b.size) {
			return int(math.Copysign(1, a.base-b.base))
		}
		return int(math.Copysign(1, a.from-b.from))
	})
	var out []line
	left, right := math.Inf(1), math.Inf(-1)
	for _, s := range segments {
		left, right = math.Min(left, s.from), math.Max(right, s.to)
		if n := len(out); n > 0 && math.Abs(out[n-1].base()-s.base) <= 0.35*math.Max(s.size, out[n-1].segments[0].size) {
			out[n-1].segments = append(out[n-1].segments, s)
			continue
		}
		out = append(out, line{segments: []segment{s}})
	}
	var steps []float64
	for i := 1; i < len(out); i++ {
		steps = append(steps, out[i].base()-out[i-1].base())
	}
	slices.Sort(steps)
	leading := 0.0
	if len(steps) > 0 {
		leading = steps[len(steps)/3]
	}
	few := len(steps) > 0 && len(steps) < 3 // to tell what is usual
	if few {
		leading = math.Min(leading, fewLeading*out[0].size())
	}
	for i := range out {
		out[i].left, out[i].right, out[i].leading, out[i].first, out[i].few = left, right, leading, i == 0, few
	}
	return out
}

// plainText is the text of a line without the space around it.
func (l line) plainText() string { return strings.TrimSpace(l.text()) }
