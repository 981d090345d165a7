package textflow

import (
	"math"
	"slices"
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
	Headings  []float64 `json:"headings"` // the largest first
	Furniture []string  `json:"furniture"`
	Hyphened  []string  `json:"hyphened"` // words divided at their own hyphen
}

// Learner learns a style from page after page.
type Learner struct {
	chars map[float64]int
	bold  map[float64]int
	edges map[string]int
	pages int
	words map[string]bool
	cuts  map[[2]string]bool // words divided at line ends
}

// Most kinds of edge line, and of words, that are counted.
const (
	mostEdges = 20_000
	mostWords = 200_000
)

// NewLearner makes a learner.
func NewLearner() *Learner {
	return &Learner{chars: map[float64]int{}, bold: map[float64]int{}, edges: map[string]int{}, words: map[string]bool{}, cuts: map[[2]string]bool{}}
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
	l.pages++
	seen := map[string]bool{}
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
	}
	for _, e := range edgeLines(p) {
		if name := nameOf(e.text); name != "" && !seen[name] && len(l.edges) < mostEdges {
			seen[name] = true
			l.edges[name]++
		}
	}
}

// Style gives what was learned.
func (l *Learner) Style() Style {
	s := Style{Headings: []float64{}, Furniture: []string{}}
	most := 0
	for size, n := range l.chars {
		if n > most || n == most && size < s.Body {
			s.Body, most = size, n
		}
	}
	s.Bold = 2*l.bold[s.Body] > most
	for size := range l.chars {
		if size >= 1.12*s.Body {
			s.Headings = append(s.Headings, size)
		}
	}
	slices.SortFunc(s.Headings, func(a, b float64) int { return int(math.Copysign(1, b-a)) })
	if len(s.Headings) > 6 {
		s.Headings = s.Headings[:6]
	}
	for name, n := range l.edges {
		if n >= 2 && (n >= 3 || l.pages <= 8) {
			s.Furniture = append(s.Furniture, name)
		}
	}
	slices.Sort(s.Furniture)
	s.Hyphened = l.hyphened()
	return s
}

// level is the level of a heading of a size, or 0 for body text.
func (s Style) level(size float64) int {
	if s.Body == 0 || size < 1.12*s.Body {
		return 0
	}
	for i, h := range s.Headings {
		if sizeOf(size) >= h {
			return i + 1
		}
	}
	return len(s.Headings)
}

// edge is the part of a page's height, at its top and at its bottom, in which
// running heads and page numbers stand.
const edge = 0.13

// edgeLine is a line there: its text and the runs it is made of.
type edgeLine struct {
	text string
	runs []int
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
		at := slices.IndexFunc(rows, func(o row) bool { return math.Abs(o.y-r.Y) < 0.4*r.Size })
		if at < 0 {
			rows = append(rows, row{y: r.Y})
			at = len(rows) - 1
		}
		rows[at].runs = append(rows[at].runs, i)
	}
	out := make([]edgeLine, len(rows))
	for i, row := range rows {
		slices.SortStableFunc(row.runs, func(a, b int) int { return int(math.Copysign(1, p.Runs[a].X-p.Runs[b].X)) })
		var texts []string
		for _, r := range row.runs {
			texts = append(texts, p.Runs[r].Text)
		}
		out[i] = edgeLine{strings.Join(texts, " "), row.runs}
	}
	return out
}

// nameOf makes edge lines that differ by a number alone the same.
func nameOf(text string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(text) {
		switch {
		case unicode.IsDigit(r):
			if !strings.HasSuffix(b.String(), "#") {
				b.WriteByte('#')
			}
		case !unicode.IsSpace(r):
			b.WriteRune(r)
		}
	}
	return b.String()
}

// withoutFurniture gives the runs of a page that are neither running heads nor
// its own number.
func (s Style) withoutFurniture(p Page) []overlay.Run {
	drop := map[int]bool{}
	for _, e := range edgeLines(p) {
		text := strings.Trim(e.text, " –—-·|[]()")
		number := strings.EqualFold(text, p.Label) || isNumber(text)
		if _, known := slices.BinarySearch(s.Furniture, nameOf(e.text)); known || number {
			for _, r := range e.runs {
				drop[r] = true
			}
		}
	}
	out := make([]overlay.Run, 0, len(p.Runs))
	for i, r := range p.Runs {
		if !drop[i] {
			out = append(out, r)
		}
	}
	return out
}

// isNumber says whether a text is a page number, in digits, Roman or Chinese.
func isNumber(text string) bool {
	if text == "" || utf8.RuneCountInString(text) > 6 {
		return false
	}
	for _, set := range []string{"0123456789٠١٢٣٤٥٦٧٨٩", "ivxlcdm", "IVXLCDM", "一二三四五六七八九十百〇"} {
		if strings.Trim(text, set) == "" {
			return true
		}
	}
	return false
}
