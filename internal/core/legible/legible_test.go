package legible_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/legible"
)

func TestBands(t *testing.T) {
	for angle, want := range map[float64]legible.Band{
		0.25: legible.Comfortable, 0.20: legible.Comfortable, 0.1999: legible.Readable, 0.13: legible.Readable,
		0.1299: legible.Strained, 0.10: legible.Strained, 0.0999: legible.TooSmall, 0: legible.TooSmall,
	} {
		assert.Equal(t, want, legible.BandOf(angle), "%g°", angle)
	}
	// 16 px type with an x-height of half its size, on a web page.
	assert.InDelta(t, 0.1704, legible.Angle(8, 1), 1e-9)
	assert.InDelta(t, 0.13, legible.Angle(3.25, legible.ScaleFor(3.25, 0.13)), 1e-9)
}

func text(size, height float64, s string) []legible.Glyph {
	var out []legible.Glyph
	for _, r := range s {
		g := legible.Glyph{Rune: r, Size: size}
		if legible.Flat(r) {
			g.Height = height
		}
		out = append(out, g)
	}
	return out
}

func TestMeasure(t *testing.T) {
	glyphs := append(text(10, 4.8, strings.Repeat("a quick brown fox ", 20)), text(6.04, 2.9, "a sane note")...)
	glyphs = append(glyphs, text(6, 3.1, "more")...)
	p := legible.Measure(7, append(glyphs, text(24, 0, "TITLE")...))
	assert.Equal(t, 7, p.Number)
	assert.Len(t, p.Bins, 3)
	assert.Equal(t, legible.Bin{Size: 6, Chars: 13, XHeight: 2.9}, p.Bins[0],
		"6.04 and 6 are one size; the middle of the heights, of which the fewer are 3.1")
	assert.Equal(t, 280, p.Bins[1].Chars, "space is no character")

	s := legible.Type{Pages: []legible.Page{p}, Of: 1}.Sizes()
	assert.Equal(t, legible.Text{Size: 10, XHeight: 4.8, How: legible.Measured}, s.Body)
	assert.Equal(t, legible.Text{Size: 10, XHeight: 4.8, How: legible.Measured}, s.Smallest, "13 characters of 298 are less than 5 %")
	small := legible.Measure(8, text(6, 2.9, strings.Repeat("fine print ", 3)))
	s = legible.Type{Pages: []legible.Page{p, small}, Of: 2}.Sizes()
	assert.InDelta(t, 6, s.Smallest.Size, 0)
}

func TestSizesWithoutLowerCase(t *testing.T) {
	japanese := legible.Type{Pages: []legible.Page{legible.Measure(1, text(11, 0, "満潮の前後二時間は北の小屋に入れません"))}}.Sizes()
	assert.Equal(t, legible.Text{Size: 11, XHeight: 5.5, How: legible.Halved}, japanese.Body)
	// Figures have no x-height of their own: it is that of other sizes, in proportion.
	table := legible.Type{Pages: []legible.Page{legible.Measure(1,
		append(text(6, 0, strings.Repeat("04:37", 40)), text(10, 5, "tides")...))}}.Sizes()
	assert.Equal(t, legible.Likened, table.Body.How)
	assert.InDelta(t, 3, table.Body.XHeight, 1e-9)
	assert.False(t, legible.Type{Of: 12}.Sizes().Known, "scans have no type")
}

func TestRuns(t *testing.T) {
	assert.True(t, legible.Runs("The north hides flood on spring tides, so look first."))
	assert.False(t, legible.Runs("Thu 1 01:39 4.4 13:57 4.7 23:39-03:39, 11:57-15:57"), "a row of figures")
	assert.False(t, legible.Runs("Sluice House"), "a short line")
}

// A sample is fair: at even distances, and never the same page twice.
func TestSample(t *testing.T) {
	assert.Equal(t, []int{1, 2, 3}, legible.Sample(3, 120))
	assert.Empty(t, legible.Sample(0, 10))
	for _, pages := range []int{121, 999, 1300, 10_000} {
		s := legible.Sample(pages, 120)
		assert.Len(t, s, 120)
		last := 0
		for _, p := range s {
			assert.True(t, p > last && p <= pages)
			if last > 0 {
				assert.InDelta(t, float64(pages)/120, p-last, 1)
			}
			last = p
		}
	}
}

func ExampleBandOf() {
	angle := legible.Angle(4.8, 1.5) // 10 pt type on a page shown at 1.5 px per point
	fmt.Printf("%.2f° is %s\n", angle, legible.BandOf(angle))
	// Output: 0.15° is readable
}
