package overlay_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
)

// line sets a text with every glyph half an em wide from x on the baseline y.
func line(text string, x, y, size float64) []overlay.Glyph {
	var out []overlay.Glyph
	for _, r := range text {
		out = append(out, overlay.Glyph{Rune: r, X: x, Y: y, Advance: size / 2, Size: size})
		x += size / 2
	}
	return out
}

func TestRunsKeepALineTogether(t *testing.T) {
	runs := overlay.Runs(append(line("High water", 10, 100, 10), line("\n", 0, 0, 10)...))
	require.Len(t, runs, 1)
	assert.Equal(t, []float64{0, 5, 5, 5}, runs[0].Places[:4])
	runs[0].Places = nil
	assert.Equal(t, overlay.Run{Text: "High water", Line: 1, X: 10, Y: 100, Length: 50, Size: 10, Break: true}, runs[0])
}

func TestRunsPartColumnsLinesAndSizes(t *testing.T) {
	glyphs := line("04:12", 10, 100, 10)
	glyphs = append(glyphs, line("5.1 m", 120, 100, 10)...)
	glyphs = append(glyphs, line("Neaps", 10, 114, 10)...)
	glyphs = append(glyphs, line("2", 35, 114, 6)...)
	var texts []string
	var breaks []bool
	for _, r := range overlay.Runs(glyphs) {
		texts, breaks = append(texts, r.Text), append(breaks, r.Break)
	}
	assert.Equal(t, []string{"04:12", "5.1 m", "Neaps", "2"}, texts)
	assert.Equal(t, []bool{false, true, false, true}, breaks)
}

func TestRunsFollowATurnedBaseline(t *testing.T) {
	var glyphs []overlay.Glyph
	for i, r := range "north" {
		glyphs = append(glyphs, overlay.Glyph{Rune: r, X: 50, Y: 100 + float64(i)*5, Advance: 5, Size: 10, Angle: 90})
	}
	runs := overlay.Runs(glyphs)
	require.Len(t, runs, 1)
	assert.InDelta(t, 25, runs[0].Length, 1e-9)
	assert.Equal(t, "north", runs[0].Text)
}

func TestRunsDropWhatCannotBeRead(t *testing.T) {
	assert.Empty(t, overlay.Runs([]overlay.Glyph{{Rune: 0, Size: 10, Advance: 4}, {Rune: ' ', Size: 10, Advance: 4},
		{Rune: 7, Size: 10, Advance: 4}}))
}

func TestSafeAddress(t *testing.T) {
	for address, want := range map[string]bool{
		"https://harrowmere.example/tides": true,
		"HTTP://harrowmere.example":        true,
		"mailto:warden@harrowmere.example": true,
		"javascript:alert(1)":              false,
		"JavaScript:alert(1)":              false,
		"java\nscript:alert(1)":            false,
		" javascript:alert(1)":             false,
		"file:///etc/passwd":               false,
		"data:text/html,x":                 false,
		"vbscript:x":                       false,
		"https:harrowmere":                 false,
		"https://":                         false,
		"tides.html":                       false,
		"":                                 false,
	} {
		assert.Equal(t, want, overlay.SafeAddress(address), "%q", address)
	}
}

// An engine may report Arabic words in the order they were drawn, from left to
// right, or in logical order, within one line.
func TestRunsBringArabicIntoLogicalOrder(t *testing.T) {
	at := func(text string, x, step float64) []overlay.Glyph {
		var out []overlay.Glyph
		for _, r := range text {
			out = append(out, overlay.Glyph{Rune: r, X: x, Y: 100, Advance: 5, Size: 10})
			x += step
		}
		return out
	}
	glyphs := at("عقنتسملا", 140, 5) // drawn from the left: the first word, backwards
	glyphs = append(glyphs, overlay.Glyph{Rune: ' ', X: 175, Y: 100, Size: 10})
	glyphs = append(glyphs, at("مفتوح", 132, -5)...) // drawn in logical order
	runs := overlay.Runs(glyphs)
	require.Len(t, runs, 1)
	assert.Equal(t, "المستنقع مفتوح", runs[0].Text)
	assert.InDelta(t, 112, runs[0].X, 1e-9)
	assert.InDelta(t, 68, runs[0].Length, 1e-9)
}

func TestRunsSeeAWordSpaceThatWasNotReported(t *testing.T) {
	glyphs := append(line("table.", 10, 100, 10), line("The", 43, 100, 10)...)
	runs := overlay.Runs(glyphs)
	require.Len(t, runs, 1)
	assert.Equal(t, "table. The", runs[0].Text)
}
