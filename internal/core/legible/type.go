package legible

import (
	"cmp"
	"math"
	"slices"
	"unicode"
)

// Glyph is one character as an engine measures it. Size is its em size in
// points as it stands on the sheet; Height is that of its tight box across the
// baseline, in points, or 0 where it was not asked for.
type Glyph struct {
	Rune   rune
	Size   float64
	Height float64
}

// Flat says whether a letter's height is the x-height: lower case without
// ascender, descender or dot.
func Flat(r rune) bool {
	switch r {
	case 'a', 'c', 'e', 'm', 'n', 'o', 'r', 's', 'u', 'v', 'w', 'x', 'z':
		return true
	}
	return false
}

// Bin is the type of one size on a page: how many characters, and their
// x-height in points, 0 where no flat letter tells it. Caseless counts the
// characters of scripts that have no lower case.
type Bin struct {
	Size     float64 `json:"size"` // points, to a tenth
	Chars    int     `json:"chars"`
	Caseless int     `json:"caseless,omitempty"`
	XHeight  float64 `json:"x_height,omitempty"`
}

// Page is the measured type of one page, smallest size first. Running counts
// the characters that stand in long lines, as running text does and tables and
// plans do not.
type Page struct {
	Number  int   `json:"page"`
	Bins    []Bin `json:"bins"`
	Running int   `json:"running"`
}

// Runs says whether a line is one of running text: long, and of letters most
// of all. Rows of a table are long too, but of figures.
func Runs(line string) bool {
	letters, all := 0, 0
	for _, r := range line {
		if !unicode.IsSpace(r) {
			all++
		}
		if unicode.IsLetter(r) {
			letters++
		}
	}
	return all >= longLine && letters*3 >= all*2
}

const longLine = 30 // characters without space

// SizeOf rounds an em size to the tenth of a point that bins are kept at.
func SizeOf(size float64) float64 { return math.Round(size*10) / 10 }

// Measure makes the histogram of one page. Space is no character here.
func Measure(number int, glyphs []Glyph) Page {
	counts := map[float64]*Bin{}
	heights := map[float64][]float64{}
	for _, g := range glyphs {
		size := SizeOf(g.Size)
		if size <= 0 || unicode.IsSpace(g.Rune) || unicode.IsControl(g.Rune) {
			continue
		}
		bin := counts[size]
		if bin == nil {
			bin = &Bin{Size: size}
			counts[size] = bin
		}
		bin.Chars++
		if unicode.IsLetter(g.Rune) && !unicode.IsLower(g.Rune) && !unicode.IsUpper(g.Rune) {
			bin.Caseless++
		}
		if Flat(g.Rune) && g.Height > 0 {
			heights[size] = append(heights[size], g.Height)
		}
	}
	p := Page{Number: number, Bins: []Bin{}}
	for size, bin := range counts {
		if h := heights[size]; len(h) > 0 {
			// Round letters reach over the line at both ends: the lower quartile is
			// nearer to the flat ones, which set the height.
			slices.Sort(h)
			bin.XHeight = math.Round(h[len(h)/4]*1000) / 1000
		}
		p.Bins = append(p.Bins, *bin)
	}
	slices.SortFunc(p.Bins, func(a, b Bin) int { return cmp.Compare(a.Size, b.Size) })
	return p
}

// Type is the measured type of an edition: of every page, or of a fair sample
// of pages spread evenly over it. Of is how many pages there are.
type Type struct {
	Pages []Page `json:"pages"`
	Of    int    `json:"of"`
}

// Sample lists the pages to measure so that at most most are: all, or pages at
// even distances, the middle of each stretch.
func Sample(pages, most int) []int {
	n := min(pages, most)
	out := make([]int, n)
	for i := range out {
		out[i] = (2*i+1)*pages/(2*n) + 1
	}
	return out
}

// How an x-height was found.
const (
	Measured = "measured" // from flat letters of this size
	Likened  = "likened"  // from flat letters of other sizes, in proportion
	Halved   = "halved"   // half the size: the script has no case, or nothing was measured
)

// Text is text of one size. Size and XHeight are points.
type Text struct {
	Size    float64 `json:"size"`
	XHeight float64 `json:"x_height"`
	How     string  `json:"how"`
}

// Sizes are a document's two sizes that count. Known is false where there is
// no text to measure.
type Sizes struct {
	Known    bool `json:"known"`
	Body     Text `json:"body"`     // the size with most characters
	Smallest Text `json:"smallest"` // the 5th percentile by characters
	Chars    int  `json:"chars"`
	// Running is the share of characters in long lines, from 0 to 1.
	Running float64 `json:"running"`
}

// smallestShare is the share of characters that may be smaller than the
// smallest text that counts.
const smallestShare = 0.05

// Sizes sums the type up.
func (t Type) Sizes() Sizes {
	bins := t.bins()
	var s Sizes
	var measured, of float64
	for _, b := range bins {
		s.Chars += b.Chars
		if b.XHeight > 0 {
			measured, of = measured+b.XHeight*float64(b.Chars), of+b.Size*float64(b.Chars)
		}
	}
	if s.Chars == 0 {
		return s
	}
	s.Known = true
	running := 0
	for _, p := range t.Pages {
		running += p.Running
	}
	s.Running = float64(running) / float64(s.Chars)
	ratio := 0.0
	if of > 0 {
		ratio = measured / of
	}
	body := slices.MaxFunc(bins, func(a, b Bin) int { return cmp.Compare(a.Chars, b.Chars) })
	s.Body = textOf(body, ratio)
	below := 0
	for _, b := range bins {
		below += b.Chars
		if float64(below) >= smallestShare*float64(s.Chars) {
			s.Smallest = textOf(b, ratio)
			break
		}
	}
	return s
}

// bins merges the pages, smallest size first; an x-height is the mean of the
// pages', weighted by characters.
func (t Type) bins() []Bin {
	type sum struct {
		Bin
		heights float64
		of      int
	}
	all := map[float64]*sum{}
	for _, p := range t.Pages {
		for _, b := range p.Bins {
			s := all[b.Size]
			if s == nil {
				s = &sum{Bin: Bin{Size: b.Size}}
				all[b.Size] = s
			}
			s.Chars += b.Chars
			s.Caseless += b.Caseless
			if b.XHeight > 0 {
				s.heights += b.XHeight * float64(b.Chars)
				s.of += b.Chars
			}
		}
	}
	out := make([]Bin, 0, len(all))
	for _, s := range all {
		if s.of > 0 {
			s.XHeight = s.heights / float64(s.of)
		}
		out = append(out, s.Bin)
	}
	slices.SortFunc(out, func(a, b Bin) int { return cmp.Compare(a.Size, b.Size) })
	return out
}

func textOf(b Bin, ratio float64) Text {
	switch {
	case b.Caseless*2 > b.Chars, b.XHeight == 0 && ratio == 0:
		return Text{b.Size, b.Size / 2, Halved}
	case b.XHeight > 0:
		return Text{b.Size, b.XHeight, Measured}
	}
	return Text{b.Size, b.Size * ratio, Likened}
}
