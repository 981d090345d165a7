package compare

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/sheet"
)

// Whatever cells of a page differ, each lies in an area, an area holds one that differs at
// each of its sides, and a page that does not differ has none.
func TestAreasHoldWhatDiffers(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 1))
	for range 300 {
		before := make(Picture, Cells*Cells*3)
		for i := range before {
			before[i] = uint8(100 + r.IntN(3))
		}
		after := slices.Clone(before)
		var cells []int
		for range r.IntN(12) {
			at := r.IntN(Cells * Cells)
			cells = append(cells, at)
			after[3*at+r.IntN(3)] = 250
		}
		page := func(p Picture) Page { return Page{Sheet: sheet.Sheet{Width: 595, Height: 842}, Picture: p} }
		areas := Areas(page(before), page(after))
		assert.Equal(t, len(cells) == 0, len(areas) == 0)
		assert.LessOrEqual(t, len(areas), mostAreas)
		held := 0
		for _, a := range areas {
			assert.True(t, a.X >= 0 && a.Y >= 0 && a.X+a.W <= 1 && a.Y+a.H <= 1, "%v", a)
			in := 0
			for _, c := range cells {
				x, y := (float64(c%Cells)+0.5)/Cells, (float64(c/Cells)+0.5)/Cells
				if x > a.X && x < a.X+a.W && y > a.Y && y < a.Y+a.H {
					in++
				}
			}
			assert.Positive(t, in)
			held += in
		}
		assert.GreaterOrEqual(t, held, len(cells))
		assert.Nil(t, Areas(page(before), Page{Sheet: sheet.Sheet{Width: 842, Height: 595}, Picture: after}), "of another size")
	}
}

// A page that is there leads to itself, and back; one that is gone to the nearest that is
// left, within the edition.
func TestWhereAPageIs(t *testing.T) {
	c := Comparison{Pages: []Pair{{Old: 1, New: 1, Change: Same}, {Old: 2, New: 0, Change: Removed}, {Old: 0, New: 2, Change: Added}, {Old: 3, New: 3, Change: Same}, {Old: 5, New: 4, Change: Moved}, {Old: 4, New: 5, Change: Changed}, {Old: 6, New: 0, Change: Removed}}}
	for old, want := range map[int]struct {
		page  int
		there bool
	}{1: {1, true}, 2: {3, false}, 3: {3, true}, 4: {5, true}, 5: {4, true}, 6: {5, false}} {
		page, there := c.Where(old)
		assert.Equal(t, want.page, page, "page %d", old)
		assert.Equal(t, want.there, there, "page %d", old)
		if there {
			back, _ := c.Back().Where(page)
			assert.Equal(t, old, back)
		}
	}
	assert.Equal(t, c, c.Back().Back())
	page, there := Comparison{}.Where(3)
	assert.Equal(t, []any{1, false}, []any{page, there})
}

func TestAComparisonInWords(t *testing.T) {
	pages, words := Comparison{Pages: []Pair{{Old: 1, New: 1, Change: Same}, {Old: 2, New: 2, Change: Same}}}.Said()
	assert.Equal(t, []string{"No change was found on the pages.", "No word was added or taken out."}, []string{pages, words})
	c := Comparison{Pages: []Pair{{Old: 1, New: 1, Change: Changed}, {Old: 2, New: 3, Change: Moved}, {Old: 0, New: 2, Change: Added}, {Old: 3, New: 0, Change: Removed}, {Old: 4, New: 5, Change: Changed}, {Old: 5, New: 6, Change: Same}, {Old: 6, New: 6, Change: Same}},
		Words: Words{Added: 1, Removed: 3}}
	pages, words = c.Said()
	assert.Equal(t, "2 pages changed, 1 page moved, 1 page new, 1 page gone; 2 pages the same.", pages)
	assert.Equal(t, "1 word added, 3 taken out.", words)
	var each []string
	for _, p := range c.Pages {
		each = append(each, p.Said())
	}
	assert.Equal(t, []string{"Page 1 has changed", "Page 2 has moved, and is page 3", "Page 2 is new", "Page 3 is gone",
		"Page 4 has changed, and is page 5", "Page 5 is the same, and is page 6", "Page 6 is the same"}, each)
}

// What was not compared, or only coarsely, is said.
func TestHowFarAComparisonLooked(t *testing.T) {
	said := func(c Comparison) string {
		pages, _ := c.Said()
		return pages
	}
	same := []Pair{{Old: 1, New: 1, Change: Same}, {Old: 2, New: 2, Change: Same}}
	assert.Equal(t, "No change was found on the pages. What 1 page looks like is not known: only words were compared there.", said(Comparison{Pages: same, Unseen: []int{2}}))
	assert.Equal(t, "No change was found on the pages. What 2 pages look like is not known: only words were compared there.", said(Comparison{Pages: same, Unseen: []int{1, 2}}))
	assert.Equal(t, "No change was found on the pages. What is drawn on page 2 was compared coarsely, or not at all: a small change there, such as a figure, may not be found. Look yourself.",
		said(Comparison{Pages: same, Pictures: []int{2}}))

	paper := make(Picture, Cells*Cells*3)
	for i := range paper {
		paper[i] = 250
	}
	drawn := append(Picture{}, paper...)
	for i := range 900 {
		drawn[i] = 40
	}
	words := WordsOf("eight words are enough to know a page by them")
	a4 := sheet.Sheet{Width: 595, Height: 842}
	pages := []Page{{Sheet: a4, Words: words, Picture: drawn, Drawn: 7}, {Sheet: a4, Picture: drawn}, {Sheet: a4, Picture: paper}, {Sheet: a4, Words: append([]string{"other"}, words...), Unseen: true}}
	c := Editions(pages, pages)
	assert.Equal(t, []int{2}, c.Pictures, "one of which each pixel is the same is, and a blank one")
	assert.Equal(t, []int{4}, c.Unseen)
	few := slices.Clone(pages)
	few[0].Drawn = 0
	assert.Equal(t, []int{1, 2}, Editions(few, few).Pictures)
}

func TestSizesInWords(t *testing.T) {
	a4, a5 := sheet.Sheet{Width: 595, Height: 842}, sheet.Sheet{Width: 420, Height: 595}
	assert.Empty(t, SizesSaid([]sheet.Sheet{a4, a5}, []sheet.Sheet{a4, a4}))
	assert.Equal(t, "It has 1 page, and had 2.", SizesSaid([]sheet.Sheet{a4, a5}, []sheet.Sheet{a4}))
	assert.Equal(t, "Its first page is of another size, so frames that follow it become of another shape.", SizesSaid([]sheet.Sheet{a4}, []sheet.Sheet{a5}))
	assert.Equal(t, "It has 2 pages, and had 0.", SizesSaid(nil, []sheet.Sheet{a4, a5}))
}

// What differs is listed before what is only not known closely; both are never one page.
func TestPagesInTheOrderOfWhatTheyAsk(t *testing.T) {
	c := Comparison{Pages: []Pair{{Old: 1, New: 1, Change: Same}, {Old: 2, New: 2, Change: Flowed}, {New: 3, Change: Flowed}, {Old: 3, New: 4, Change: Anew},
		{Old: 4, New: 5, Change: Same}, {Old: 5, New: 6, Change: Unsure}, {Old: 6, New: 7, Change: Moved}, {Old: 7, New: 8, Change: Flowed}}, Pictures: []int{2, 5, 7}}
	differ, doubtful, same := c.Sorted()
	numbers := func(list []Pair) (out []int) {
		for _, p := range list {
			out = append(out, p.New)
		}
		return out
	}
	assert.Equal(t, []any{[]int{3, 6, 7}, []int{2, 5}, 3}, []any{numbers(differ), numbers(doubtful), same})
}
