package textflow

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"incipit/internal/core/overlay"
)

// Style is what is known of a whole document: the size of its body text in
// points, whether that is bold, the larger sizes of its headings, and the lines
// that come back at the edges of its pages.
type Style struct {
	Body      float64   `json:"body"`
	Bold      bool      `json:"bold"`
	Fixed     bool      `json:"fixed,omitempty"`     // most of it has characters of one width
	Headings  []float64 `json:"headings"`            // the largest first
	Edges     []Edge    `json:"edges"`               // running heads and page numbers, by key
	Hyphened  []string  `json:"hyphened"`            // words divided at their own hyphen
	Untold    int       `json:"untold,omitempty"`    // pages whose structure is not followed
	Language  string    `json:"language,omitempty"`  // that its text is in, as far as that can be told
	Ornaments []string  `json:"ornaments,omitempty"` // pictures that come back at one place, by key
	Outlined  bool      `json:"outlined,omitempty"`  // its outline names its headings
	Uneven    bool      `json:"uneven,omitempty"`    // lines of many sizes, as a recognised scan has
	Printed   bool      `json:"printed,omitempty"`   // its pages have numbers printed on them
	Away      int       `json:"away,omitempty"`      // a printed number less the page's place in the file
}

// Edge is a line that comes back at the edge of pages. First is the first page
// that has it: a text view shows it there, and no more, so that no word is lost.
type Edge struct {
	Key   string `json:"key"`
	First int    `json:"first,omitempty"` // 0 for a number
}

// Learner learns a style from page after page.
type Learner struct {
	chars map[float64]int
	bold  map[float64]int
	fixed map[float64]int
	edges map[string]*seenAt

	untold int
	spoken map[string]int // letters of pages, by their language
	named  int            // entries of the outline

	figures map[string]int // pages, by the place of a figure
	words   map[string]bool
	cuts    map[[2]string]bool // words divided at line ends
}

// Most kinds of edge line, and of words, that are counted.
const (
	mostEdges = 20_000
	mostWords = 200_000
)

// NewLearner makes a learner.
func NewLearner() *Learner {
	return &Learner{chars: map[float64]int{}, bold: map[float64]int{}, fixed: map[float64]int{}, edges: map[string]*seenAt{},
		words: map[string]bool{}, figures: map[string]int{}, spoken: map[string]int{}, cuts: map[[2]string]bool{}}
}

// Learn gives the style of some pages.
func Learn(pages []Page) Style {
	l := NewLearner()
	for _, p := range pages {
		l.Add(p)
	}
	return l.Style()
}

func sizeOf(v float64) float64 { return math.Round(v*2) / 2 }

// Add learns from a page.
func (l *Learner) Add(p Page) {
	if Misses(p) {
		l.untold++
	}
	l.named += len(p.Outline)
	l.listen(p)
	seen := map[string]bool{}
	for _, f := range p.Figures {
		if key := figureKey(f); len(l.figures) < mostEdges || l.figures[key] > 0 {
			l.figures[key]++
		}
	}
	for i, r := range p.Runs {
		l.read(r.Text)
		if i+1 < len(p.Runs) && strings.HasSuffix(r.Text, soft) {
			l.cuts[[2]string{lastWord(strings.TrimSuffix(r.Text, soft)), firstWord(p.Runs[i+1].Text)}] = true
		}
		n := utf8.RuneCountInString(r.Text)
		l.chars[sizeOf(r.Size)] += n
		if r.Bold {
			l.bold[sizeOf(r.Size)] += n
		}
		if r.Fixed {
			l.fixed[sizeOf(r.Size)] += n
		}
	}
	for _, e := range edgeLines(p) {
		for _, key := range e.keys(p) {
			if seen[key] {
				continue
			}
			seen[key] = true
			if at := l.edges[key]; at != nil {
				at.pages++
			} else if len(l.edges) < mostEdges {
				l.edges[key] = &seenAt{pages: 1}
				if strings.ContainsFunc(e.text, unicode.IsLetter) && !isNumber(e.text) {
					l.edges[key].first = p.Number
				}
			}
		}
	}
}

// Style gives what was learned.
func (l *Learner) Style() Style {
	s := Style{Headings: []float64{}, Edges: []Edge{}}
	most := 0
	for size, n := range l.chars {
		if n > most || n == most && size < s.Body {
			s.Body, most = size, n
		}
	}
	s.Bold, s.Fixed = 2*l.bold[s.Body] > most, 2*l.fixed[s.Body] > most
	near, all := 0, 0
	for size, n := range l.chars {
		all += n
		if math.Abs(size-s.Body) <= 0.06*s.Body+0.01 {
			near += n
		}
	}
	s.Uneven = all > 0 && 100*near < evenly*all && len(l.chars) > manySizes
	for size := range l.chars {
		if size >= s.stands()*s.Body {
			s.Headings = append(s.Headings, size)
		}
	}
	slices.SortFunc(s.Headings, func(a, b float64) int { return int(math.Copysign(1, b-a)) })
	if len(s.Headings) > 6 {
		s.Headings = s.Headings[:6]
	}
	for key, at := range l.edges {
		if at.pages >= edgePages {
			s.Edges = append(s.Edges, Edge{key, at.first})
		}
	}
	slices.SortFunc(s.Edges, func(a, b Edge) int { return strings.Compare(a.Key, b.Key) })
	s.Hyphened, s.Untold, s.Language = l.hyphened(), l.untold, l.language()
	s.Printed, s.Away = l.printed()
	s.Outlined = l.named >= manyEntries
	for key, pages := range l.figures {
		if pages >= edgePages {
			s.Ornaments = append(s.Ornaments, key)
		}
	}
	slices.Sort(s.Ornaments)
	s.Ornaments = s.Ornaments[:min(len(s.Ornaments), mostOrnaments)]
	return s
}

// A text is set evenly where so much of it, in hundredths, is of one size, or where
// it has no more sizes than that.
const (
	evenly    = 45
	manySizes = 8
)

// manyEntries is how many entries an outline has at least that names the headings
// of a document.
const manyEntries = 5

// stands is how much larger than the body text a heading is at least.
func (s Style) stands() float64 {
	if s.Uneven {
		return 1.6
	}
	return 1.12
}

// printed tells how the numbers that are printed on pages count, by what most of
// them do.
func (l *Learner) printed() (bool, int) {
	pages := map[int]int{}
	best := 0
	for key, at := range l.edges {
		_, rest, _ := strings.Cut(key, " ")
		last := strings.LastIndex(rest, " ")
		if last < 0 || !strings.Contains(rest[:last], "#") {
			continue
		}
		text := rest[:last]
		away, err := strconv.Atoi(rest[last+1:])
		if err != nil || strings.ContainsFunc(text, unicode.IsLetter) || at.pages < edgePages {
			continue
		}
		if pages[away] += at.pages; pages[away] > pages[best] {
			best = away
		}
	}
	return pages[best] > 0, best
}

// PageOf gives the page that a printed number names, or 0: by the labels of the
// file, where it has any, else as the numbers printed on its pages count.
func (s Style) PageOf(number string, labels []string) int {
	number = strings.TrimSpace(number)
	own := false
	for i, label := range labels {
		own = own || label != strconv.Itoa(i+1)
	}
	if own {
		return 1 + slices.IndexFunc(labels, func(l string) bool { return strings.EqualFold(l, number) })
	}
	n, err := strconv.Atoi(number)
	if err != nil {
		return 0
	}
	if s.Printed {
		n -= s.Away
	}
	if n < 1 || n > len(labels) {
		return 0
	}
	return n
}

// level is the level of a heading of a size, or 0 for body text.
func (s Style) level(size float64) int {
	if s.Body == 0 || size < s.stands()*s.Body {
		return 0
	}
	for i, h := range s.Headings {
		if sizeOf(size) >= h {
			return i + 1
		}
	}
	return len(s.Headings)
}

const (
	// edge is the part of a page's height, at its top and at its bottom, in which
	// running heads and page numbers stand.
	edge = 0.13
	// edgePages is on how many pages a line comes back at one height.
	edgePages = 3
	// mostOrnaments bounds the pictures that are known to come back.
	mostOrnaments = 500
	// mostRows bounds the lines at the edges of a page that are looked at.
	mostRows = 200
	// mostAway bounds how far a page's number may be from its place in the file.
	mostAway = 10_000
)

// edgeLine is a line there: its text and the runs it is made of. at is its height
// on the page, in twelfths of an inch from the edge that it is near.
type edgeLine struct {
	text string
	runs []int
	at   int
	size float64
}

// edgeLines gives the outermost lines of a page.
func edgeLines(p Page) []edgeLine {
	type row struct {
		y    float64
		runs []int
	}
	var rows []row
	for i, r := range p.Runs {
		b := r.Box(0, 0)
		if r.Angle != 0 || p.Height <= 0 || b.Y+b.H > edge*p.Height && b.Y < (1-edge)*p.Height {
			continue
		}
		at := slices.IndexFunc(rows, func(o row) bool {
			return math.Abs(o.y-r.Y) < 0.4*r.Size || r.Line > 0 && r.Line == p.Runs[o.runs[0]].Line
		})
		if at < 0 && len(rows) >= mostRows {
			continue // letters strewn about are no running heads
		}
		if at < 0 {
			rows = append(rows, row{y: r.Y})
			at = len(rows) - 1
		}
		rows[at].runs = append(rows[at].runs, i)
	}
	out := make([]edgeLine, len(rows))
	for i, row := range rows {
		slices.SortStableFunc(row.runs, func(a, b int) int { return cmp.Compare(p.Runs[a].X, p.Runs[b].X) })
		e := edgeLine{runs: row.runs, at: int(math.Round(row.y / 6))}
		if row.y > p.Height/2 {
			e.at = -int(math.Round((p.Height - row.y) / 6))
		}
		var texts []string
		for _, r := range row.runs {
			texts = append(texts, p.Runs[r].Text)
			e.size = math.Max(e.size, p.Runs[r].Size)
		}
		e.text = strings.Join(texts, " ")
		out[i] = e
	}
	return out
}

// keys are what an edge line of a page is known by on others: its text at its
// height; and its text but for a number that counts the pages, with how far that
// is from the page's place in the file.
func (e edgeLine) keys(p Page) []string {
	text := nameOf(e.text)
	if text == "" {
		return nil
	}
	out := []string{fmt.Sprintf("%d %s", e.at, text)}
	for _, n := range numbersIn(text) {
		if away := n.value - p.Number; away > -mostAway && away < mostAway {
			out = append(out, fmt.Sprintf("%d %s#%s %+d", e.at, text[:n.from], text[n.to:], away))
		}
	}
	return out
}

// nameOf gives a text without case and white.
func nameOf(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsSpace(r) {
			return -1
		}
		return unicode.ToLower(r)
	}, text)
}

// number is a number in a text, from byte from to byte to.
type number struct{ value, from, to int }

// numbersIn finds the numbers of a text: in digits of any script, and Roman or
// Chinese where they are all of it but stops.
func numbersIn(text string) []number {
	var out []number
	runes := []rune(text)
	at := make([]int, len(runes)+1)
	for i, r := range runes {
		at[i+1] = at[i] + utf8.RuneLen(r)
	}
	for i := 0; i < len(runes); {
		j, value := i, 0
		for j < len(runes) && unicode.IsDigit(runes[j]) {
			value = value*10 + digit(runes[j])
			j++
		}
		if j > i && j-i < 6 && len(out) < 8 {
			out = append(out, number{value, at[i], at[j]})
		}
		i = max(j, i+1)
	}
	if len(out) > 0 {
		return out
	}
	stops := func(r rune) bool { return !unicode.IsLetter(r) }
	bare := strings.TrimFunc(text, stops)
	value, ok := roman(bare)
	if !ok {
		value, ok = chinese(bare)
	}
	if from := strings.Index(text, bare); ok && bare != "" {
		return []number{{value, from, from + len(bare)}}
	}
	return nil
}

// digit is the value of a decimal digit: those of a script follow each other.
func digit(r rune) int {
	n := 0
	for n < 9 && unicode.IsDigit(r-1) && r-1 != 0x0669 && r-1 != 0x06EF {
		r--
		n++
	}
	return n
}

// seenAt is on how many pages an edge line was seen, and the first of them.
type seenAt struct{ pages, first int }

// isNumber says whether a text is a page number and nothing else.
func isNumber(text string) bool {
	bare := strings.TrimFunc(nameOf(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	n := numbersIn(bare)
	return len(n) == 1 && n[0].from == 0 && n[0].to == len(bare)
}

// roman reads a Roman numeral.
func roman(text string) (int, bool) {
	values := map[rune]int{'i': 1, 'v': 5, 'x': 10, 'l': 50, 'c': 100, 'd': 500, 'm': 1000}
	sum, last := 0, 0
	for _, r := range text {
		v := values[r]
		if v == 0 || len(text) > 9 {
			return 0, false
		}
		if sum += v; v > last {
			sum -= 2 * last
		}
		last = v
	}
	return sum, text != ""
}

// chinese reads a number below a hundred, or one written digit by digit.
func chinese(text string) (int, bool) {
	digits := map[rune]int{'〇': 0, '零': 0, '一': 1, '二': 2, '三': 3, '四': 4, '五': 5, '六': 6, '七': 7, '八': 8, '九': 9}
	sum, ones := 0, 0
	for i, r := range []rune(text) {
		switch v, ok := digits[r]; {
		case i > 5 || !ok && r != '十':
			return 0, false
		case ok:
			ones = ones*10 + v
		default:
			sum, ones = sum+10*max(ones, 1), 0
		}
	}
	return sum + ones, text != ""
}

// edgeRuns says which runs of a page are running heads or its number: lines that
// come back at one height, as they are or counting, on three pages or more, and
// were shown before.
func (s Style) edgeRuns(p Page) map[int]bool {
	drop := map[int]bool{}
	for _, e := range edgeLines(p) {
		if e.size > 1.6*s.Body && s.Body > 0 {
			continue // a heading
		}
		if slices.ContainsFunc(e.keys(p), func(key string) bool {
			at, known := slices.BinarySearchFunc(s.Edges, key, func(e Edge, key string) int { return strings.Compare(e.Key, key) })
			return known && s.Edges[at].First != p.Number
		}) {
			for _, r := range e.runs {
				drop[r] = true
			}
		}
	}
	return drop
}

// Dropped lists the lines of a page that its text view leaves out.
func (s Style) Dropped(p Page) []string {
	drop := s.edgeRuns(p)
	var out []string
	for _, e := range edgeLines(p) {
		if drop[e.runs[0]] {
			out = append(out, e.text)
		}
	}
	return out
}

// parted gives the runs of a page that are neither running heads nor its own
// number, and those that could be its number, but for that too few pages tell.
func (s Style) parted(p Page) (kept, aside []overlay.Run) {
	drop := s.edgeRuns(p)
	numbers := map[int]bool{}
	for _, e := range edgeLines(p) {
		if isNumber(e.text) && !drop[e.runs[0]] && (s.Body == 0 || e.size < 1.2*s.Body) {
			for _, r := range e.runs {
				numbers[r] = true
			}
		}
	}
	for i, r := range p.Runs {
		switch {
		case drop[i]:
		case numbers[i]:
			aside = append(aside, r)
		default:
			kept = append(kept, r)
		}
	}
	return kept, aside
}
