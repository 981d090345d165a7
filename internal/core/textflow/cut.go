package textflow

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
)

// What text cannot say is cut out of the page's picture: figures, at their place
// among the text, and displayed formulas, whose letters are their alternative.

// captions are what the name of a figure or a table begins with.
var captions = regexp.MustCompile(`(?i)^(fig(ure|ura|\.)?|table|tab\.|plate|map|chart|abb(ildung|\.)|tabelle|karte|tableau|carte|tabla|tabela|mapa|cuadro|afb\.|afbeelding|bild|kuva|rys\.|рис(унок|\.)|таблица|табл\.|図|表|图|圖|그림|표|شکل|شكل|جدول|איור|טבלה|תרשים)\s*[(\[]?\s*[\dIVX٠-٩۰-۹]+([.:)\]\-–—\s]|$)`)

// isCaption says whether a text is the name of a figure or a table.
func isCaption(text string) bool {
	return utf8.RuneCountInString(text) < 600 && captions.MatchString(text)
}

// among puts the figures of a page among its blocks: each behind what stands above
// it in its column.
func among(blocks []Block, figures []sheet.Rect) []Block {
	for _, f := range unclaimed(blocks, figures) {
		at := 0
		for i, b := range blocks {
			if b.box.W <= 0 || b.aside {
				continue
			}
			beside := b.box.X < f.X+f.W && f.X < b.box.X+b.box.W
			if beside && b.box.Y+b.box.H/2 < f.Y+f.H/2 {
				at = i + 1
			}
		}
		blocks = slices.Insert(blocks, at, Block{Kind: Picture, Cut: f, box: f})
	}
	return blocks
}

// unclaimed gives the pictures that a page's structure names the parts of the page
// that they are, in their order where there are as many, and lists those parts that
// are left.
func unclaimed(blocks []Block, figures []sheet.Rect) []sheet.Rect {
	var wanting []int
	for i, b := range blocks {
		if b.Kind == Picture && b.Cut.W == 0 {
			wanting = append(wanting, i)
		}
	}
	if len(wanting) == 0 {
		return figures
	}
	left := slices.Clone(figures)
	for _, i := range wanting {
		at := slices.IndexFunc(left, func(f sheet.Rect) bool {
			b := blocks[i].box
			return b.W > 0 && b.X < f.X+f.W && f.X < b.X+b.W && b.Y < f.Y+f.H && f.Y < b.Y+b.H
		})
		if at < 0 && len(wanting) == len(figures) && len(left) > 0 {
			at = 0
		}
		if at >= 0 {
			blocks[i].Cut, blocks[i].box = left[at], left[at]
			left = slices.Delete(left, at, at+1)
		}
	}
	return left
}

// figureKey is what a figure is known by on other pages: where it stands, to a
// twelfth of an inch.
func figureKey(f sheet.Rect) string {
	return fmt.Sprintf("%.0f %.0f %.0f %.0f", f.X/6, f.Y/6, f.W/6, f.H/6)
}

// shown leaves out of a page's figures those that come back on others: logos and
// borders.
func (s Style) shown(figures []sheet.Rect) []sheet.Rect {
	if len(s.Ornaments) == 0 {
		return figures
	}
	return slices.DeleteFunc(slices.Clone(figures), func(f sheet.Rect) bool {
		_, known := slices.BinarySearch(s.Ornaments, figureKey(f))
		return known
	})
}

// named gives a figure that has no words of its own the caption beside it.
func named(blocks []Block) []Block {
	for i := range blocks {
		b := &blocks[i]
		if b.Kind != Picture {
			continue
		}
		for _, k := range []int{i + 1, i - 1} {
			if k >= 0 && k < len(blocks) && blocks[k].Kind == Paragraph && !blocks[k].caption && isCaption(blocks[k].Text) {
				b.Caption = &Block{Kind: Paragraph, Language: blocks[k].Language, Text: blocks[k].Text, Spans: blocks[k].Spans, Page: blocks[k].Page}
				blocks[k].caption = true
				break
			}
		}
	}
	return slices.DeleteFunc(blocks, func(b Block) bool { return b.caption })
}

// formulaSigns is the share of signs that makes a line a formula, in hundredths.
const formulaSigns = 18

// formula says whether a line is a displayed formula: set in, with signs of
// mathematics and hardly a word.
func (l line) formula() bool {
	if l.from() < l.left+1.2*l.size() {
		return false
	}
	signs, all, word, words := 0, 0, 0, 0
	for _, r := range l.text() {
		switch {
		case unicode.IsSpace(r):
			word = 0
			continue
		case unicode.Is(unicode.Sm, r), unicode.In(r, unicode.Greek), r >= 0x1D400 && r <= 0x1D7FF, r >= 0x239B &&
			r <= 0x23B3, r == '\uFFFD', r == '′':
			signs++
			word = 0
		case unicode.IsLetter(r):
			if word++; word == 4 {
				words++
			}
		default:
			word = 0
		}
		all++
	}
	return signs > 0 && 100*signs >= formulaSigns*all && words <= 1 && all > 2
}

// formulaAt says how many lines, from the first one on, are one formula: what is set
// close above and below it, as limits and fractions are, belongs to it.
func formulaAt(lines []line) int {
	n := 0
	signs := false
	for n < len(lines) && n < 8 {
		l := lines[n]
		near := n == 0 || !l.first && l.base()-lines[n-1].base() < 1.6*math.Max(l.size(), lines[n-1].size())
		scrap := l.from() > l.left+1.2*l.size() && utf8.RuneCountInString(strings.Join(strings.Fields(l.text()), "")) <= 12 && !hasWord(l.text())
		if !near || !l.formula() && !scrap {
			break
		}
		signs = signs || l.formula()
		n++
	}
	if !signs {
		return 0
	}
	return n
}

// hasWord says whether a text has a word of four letters or more.
func hasWord(text string) bool {
	return slices.ContainsFunc(strings.Fields(text), func(w string) bool {
		return utf8.RuneCountInString(strings.TrimFunc(w, func(r rune) bool { return !unicode.IsLetter(r) })) >= 4
	})
}

// boxOf is where some runs stand.
func boxOf(runs []overlay.Run) sheet.Rect {
	if len(runs) == 0 {
		return sheet.Rect{}
	}
	left, top, right, bottom := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, r := range runs {
		b := r.Box(0, 0)
		left, top, right, bottom = math.Min(left, b.X), math.Min(top, b.Y), math.Max(right, b.X+b.W), math.Max(bottom, b.Y+b.H)
	}
	return sheet.Rect{X: left, Y: top, W: right - left, H: bottom - top}
}

// around is the white that is cut with a formula, in em.
const around = 0.6

// widened gives a box with white around it, within its page.
func widened(b sheet.Rect, by, width, height float64) sheet.Rect {
	left, top := math.Max(b.X-by, 0), math.Max(b.Y-by, 0)
	return sheet.Rect{X: left, Y: top, W: math.Min(b.X+b.W+by, width) - left, H: math.Min(b.Y+b.H+by, height) - top}
}
