package overlay_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
)

func TestJoints(t *testing.T) {
	for _, c := range []struct {
		a, b string
		ends bool // the first run ends its line
		want string
	}{
		{"the north", "scrape", true, " "},
		{"the north", "scrape", false, " "},
		{"the ob\u00AD", "servers", true, ""},
		{"each spring-", "tide", true, ""},
		{"each spring-", "Tide", true, " "},
		{"41 -", "12", true, " "},
		{"-", "lapwing", true, " "},
		{"干潟の", "観察", true, ""},
		{"干潟の", "Knot", true, " "},
		{"ชาย", "เลน", true, ""},
		{"المستنقع", "مفتوح", true, " "},
		{"", "scrape", true, " "},
	} {
		assert.Equal(t, c.want, overlay.Joint(overlay.Run{Text: c.a, Break: c.ends}, overlay.Run{Text: c.b}), "%q and %q", c.a, c.b)
	}
}

// What is copied has a line feed where a paragraph ends, not where a line does.
func TestWhatIsCopied(t *testing.T) {
	a := overlay.Run{Text: "the north", Y: 100, Size: 10, Break: true}
	for _, c := range []struct {
		name string
		b    overlay.Run
		want string
	}{
		{"the next line", overlay.Run{Text: "scrape", Y: 113, Size: 10}, " "},
		{"a line further down", overlay.Run{Text: "scrape", Y: 120, Size: 10}, "\n"},
		{"a line above: another column", overlay.Run{Text: "scrape", Y: 40, Size: 10}, "\n"},
		{"another size", overlay.Run{Text: "scrape", Y: 113, Size: 14}, "\n"},
		{"another direction", overlay.Run{Text: "scrape", Y: 113, Size: 10, Angle: 90}, "\n"},
		{"another block of the structure", overlay.Run{Text: "scrape", Y: 113, Size: 10, Block: 2}, "\n"},
	} {
		assert.Equal(t, c.want, overlay.Behind(a, c.b), c.name)
	}
	tagged := overlay.Run{Text: "the north", Y: 100, Size: 10, Break: true, Block: 1}
	assert.Equal(t, " ", overlay.Behind(tagged, overlay.Run{Text: "scrape", Y: 40, Size: 10, Block: 1}), "one block goes on in another column")
	tagged.Break = false
	assert.Equal(t, " ", overlay.Behind(tagged, overlay.Run{Text: "41", Y: 100, Size: 10, Block: 2}), "cells of one line stay on it")
	assert.Equal(t, "the north\nscrape ", overlay.Plain([]overlay.Run{a, {Text: "scrape"}}))
}

func TestLettersAreResolved(t *testing.T) {
	for drawn, want := range map[string]string{
		"o\uFB03ce":           "office",
		"\uFEE3\uFEAE\uFEA3":  "مرح", // drawn from right to left, as forms
		"\u2F2F":              "工",
		"ob\u0002servers":     "observers",   // a division that was not used
		"north\uFFFD":         "north\uFFFD", // a letter that nothing tells
		"a\u0301rbol":         "a\u0301rbol",
		"tide\u00A0table":     "tide table",
		"(\uFF21\uFF22\uFF23": "(\uFF21\uFF22\uFF23", // width is the search's matter
	} {
		var glyphs []overlay.Glyph
		x := 10.0
		step := 5.0
		if drawn[0] == 0xEF && drawn[1] == 0xBB { // Arabic
			x, step = 100, -5
		}
		for _, r := range drawn {
			advance := 5.0
			switch r {
			case 0x0301: // stands over the letter before it
				x, advance = x-step, 0
			case 2: // takes no room
				glyphs = append(glyphs, overlay.Glyph{Rune: r, X: x, Y: 100, Size: 10})
				continue
			}
			glyphs = append(glyphs, overlay.Glyph{Rune: r, X: x, Y: 100, Advance: advance, Size: 10})
			x += step
		}
		runs := overlay.Runs(glyphs)
		if assert.Len(t, runs, 1, "%q", drawn) {
			assert.Equal(t, want, runs[0].Text, "%q", drawn)
			assert.Len(t, runs[0].Places, 2*len([]rune(runs[0].Text)), "%q: a place for each", drawn)
		}
	}
	runs := overlay.Runs(append(line("north and the ob", 10, 100, 10), overlay.Glyph{Rune: 2, X: 90, Y: 100, Advance: 3, Size: 10}))
	require.Len(t, runs, 1)
	assert.Equal(t, "north and the ob\u00AD", runs[0].Text, "a division at the end is kept")
}

// Vertical writing comes as a line for each character; it is one line downward.
func TestCharactersBelowEachOtherAreALine(t *testing.T) {
	var glyphs []overlay.Glyph
	for i, r := range []rune("干潟の観察") {
		glyphs = append(glyphs, overlay.Glyph{Rune: r, X: 300, Y: 80 + 12*float64(i), Advance: 12, Size: 12}, overlay.Glyph{Rune: '\n'})
	}
	runs := overlay.Runs(glyphs)
	require.Len(t, runs, 1)
	assert.Equal(t, "干潟の観察", runs[0].Text)
	assert.Equal(t, 90.0, runs[0].Angle)
	assert.True(t, runs[0].Upright)
	assert.InDelta(t, 60, runs[0].Length, 1e-9)
	assert.InDelta(t, 306, runs[0].X, 1e-9, "the middle of the line")

	// Latin letters below each other are letters of lines.
	glyphs = nil
	for i, r := range "TIDE" {
		glyphs = append(glyphs, overlay.Glyph{Rune: r, X: 300, Y: 80 + 12*float64(i), Advance: 7, Size: 12}, overlay.Glyph{Rune: '\n'})
	}
	assert.Len(t, overlay.Runs(glyphs), 4)
}

func TestBoxesCoverTheLetters(t *testing.T) {
	places := []float64{0, 5, 5, 5, 10, 5, 15, 5}
	for _, c := range []struct {
		name     string
		run      overlay.Run
		from, to int
		want     sheet.Rect
	}{
		{"a whole run", overlay.Run{X: 50, Y: 100, Size: 10, Length: 20, Places: places}, 0, 4, sheet.Rect{X: 50, Y: 92, W: 20, H: 10.4}},
		{"two letters of it", overlay.Run{X: 50, Y: 100, Size: 10, Length: 20, Places: places}, 1, 3, sheet.Rect{X: 55, Y: 92, W: 10, H: 10.4}},
		{"written backward", overlay.Run{X: 50, Y: 100, Size: 10, Length: 20, Places: []float64{15, 5, 10, 5, 5, 5, 0, 5}}, 0, 1,
			sheet.Rect{X: 65, Y: 92, W: 5, H: 10.4}},
		{"without places", overlay.Run{X: 50, Y: 100, Size: 10, Length: 20}, 1, 2, sheet.Rect{X: 50, Y: 92, W: 20, H: 10.4}},
		{"turned clockwise", overlay.Run{X: 50, Y: 100, Size: 10, Length: 20, Angle: 90, Places: places}, 1, 3,
			sheet.Rect{X: 47.6, Y: 105, W: 10.4, H: 10}},
		{"upside down", overlay.Run{X: 50, Y: 100, Size: 10, Length: 20, Angle: 180, Places: places}, 0, 1,
			sheet.Rect{X: 45, Y: 97.6, W: 5, H: 10.4}},
		{"vertical writing", overlay.Run{X: 50, Y: 100, Size: 10, Length: 20, Angle: 90, Upright: true, Places: places}, 0, 4,
			sheet.Rect{X: 45, Y: 100, W: 10, H: 20}},
	} {
		got := c.run.Box(c.from, c.to)
		for i, pair := range [][2]float64{{c.want.X, got.X}, {c.want.Y, got.Y}, {c.want.W, got.W}, {c.want.H, got.H}} {
			assert.InDelta(t, pair[0], pair[1], 1e-9, "%s: %s", c.name, []string{"x", "y", "width", "height"}[i])
		}
	}
}
