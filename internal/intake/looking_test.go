package intake_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"

	"incipit/internal/core/compare"
	"incipit/internal/library"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
	"incipit/internal/testkit/vary"
)

// compared replaces one file by another one, and waits for what is found.
func compared(t *testing.T, h *testkit.House, before, after []byte) *library.Compared {
	t.Helper()
	d, first, err := h.Intake.Receive(t.Context(), "counts.pdf", bytes.NewReader(before), 0)
	require.NoError(t, err)
	h.Measured(t, d.ID)
	e, err := h.Intake.Replace(t.Context(), d.ID, "counts.pdf", bytes.NewReader(after), 0, "")
	require.NoError(t, err)
	var c library.Comparison
	patience.Until(t, func() bool {
		var err error
		c, err = h.Library.Compared(t.Context(), first.ID, e.ID)
		return err == nil && (c.Result != nil || c.Trouble != "")
	}, "the two are compared")
	require.Empty(t, c.Trouble)
	return c.Result
}

// sheetOf draws a page of figures as a scanner sees it, so many pixels aside and so much
// lighter; one figure may be another one.
func sheetOf(seed uint64, aside int, lighter uint8, other bool) image.Image {
	r := vary.Rand(seed)
	f, err := opentype.Parse(goregular.TTF)
	if err != nil {
		panic(err)
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: 10, DPI: 150})
	if err != nil {
		panic(err)
	}
	m := image.NewRGBA(image.Rect(0, 0, 1040, 1336)) // 150 dots an inch
	draw.Draw(m, m.Bounds(), image.NewUniform(color.Gray{240 + lighter}), image.Point{}, draw.Src)
	d := font.Drawer{Dst: m, Src: image.NewUniform(color.Gray{30 + lighter}), Face: face}
	for row := range 40 {
		for col := range 8 {
			n := 100 + r.IntN(800)
			if other && row == 20 && col == 4 {
				n = 1000 - n
			}
			d.Dot = fixed.P(100+aside+100*col, 100+aside/2+28*row)
			d.DrawString(fmt.Sprint(n))
		}
	}
	return m
}

// A scan that is the same file's is the same; one that was scanned anew is told as that; a
// figure that changed is found at its place, and is not covered by how the page was scanned.
func TestScansAreComparedFinely(t *testing.T) {
	h := testkit.Open(t)
	before := paper.Scan([]image.Image{sheetOf(1, 0, 0, false), sheetOf(2, 0, 0, false), sheetOf(3, 0, 0, false)}, 1_500_000)
	after := paper.Scan([]image.Image{sheetOf(1, 0, 0, false), sheetOf(2, 9, 10, false), sheetOf(3, 7, 12, true)}, 1_600_000)
	c := compared(t, h, before, after)
	assert.Equal(t, []compare.Pair{{Old: 1, New: 1, Change: c.Pages[0].Change}, {Old: 2, New: 2, Change: compare.Anew}, {Old: 3, New: 3, Change: compare.Changed}}, c.Pages)
	assert.Contains(t, []compare.Change{compare.Same, compare.Anew}, c.Pages[0].Change)
	assert.Empty(t, c.Pictures, "nothing is left that was seen coarsely")
	require.Len(t, c.Areas[3], 1)
	a := c.Areas[3][0]
	x, y := (107+400)/1040.0, (103+20*28-8)/1336.0
	assert.InDelta(t, x+22/1040.0, a.X+a.W/2, 0.03)
	assert.InDelta(t, y, a.Y+a.H/2, 0.02)
	assert.Less(t, a.W*a.H, 0.01)
}

// What is marked are the words that changed, on either page, and nothing else.
func TestMarksLieOnTheWordsThatChanged(t *testing.T) {
	h := testkit.Open(t)
	old := paper.Waders()[:4]
	now := slices.Clone(old)
	words := strings.Fields(now[1].Words)
	now[1].Words = strings.Join(slices.Insert(slices.Clone(words), 30, "a", "fresh", "row", "of", "words"), " ")
	now[2].Words = strings.Replace(now[2].Words, "knot", "ruff", 1)
	c := compared(t, h, paper.Leaves(false, old...), paper.Leaves(true, now...))
	var changes []compare.Change
	for _, p := range c.Pages {
		changes = append(changes, p.Change)
	}
	assert.Equal(t, []compare.Change{compare.Same, compare.Changed, compare.Changed, compare.Same}, changes)
	assert.Equal(t, compare.Words{Added: 6, Removed: 1}, c.Words)
	assert.Empty(t, c.Areas, "what was pushed on is not marked")
	require.Len(t, c.FreshAt[3], 1)
	require.Len(t, c.GoneAt[3], 1)
	assert.InDelta(t, c.GoneAt[3][0].X, c.FreshAt[3][0].X, 0.001)
	assert.InDelta(t, c.GoneAt[3][0].Y, c.FreshAt[3][0].Y, 0.01)
	require.NotEmpty(t, c.FreshAt[2])
	assert.Empty(t, c.GoneAt[2])
	for _, r := range c.FreshAt[2] {
		// The 31st word stands on the fourth line.
		assert.InDelta(t, (82.0+3*16)/842, r.Y+r.H/2, 0.012, "%+v", r)
	}
}

// What stands beside the pages is compared in real files.
func TestWhatIsBesideThePagesOfAFile(t *testing.T) {
	h := testkit.Open(t)
	of := func(address, note, value string) []byte {
		pages := paper.Waders()[:2]
		pages[0].Entries = fmt.Sprintf(`/Annots [<</Type /Annot /Subtype /Link /Rect [60 700 200 720] /A <</S /URI /URI (%s)>>>> <</Type /Annot /Subtype /Text /Rect [300 700 320 720] /F 2 /T (Maren) /Contents (%s)>>]`, address, note)
		b := paper.Leaves(false, pages...)
		return bytes.Replace(b, []byte("<</Type /Catalog /Pages 2 0 R>>"), []byte(fmt.Sprintf("<</Type /Catalog /Pages 2 0 R /Lang (%s)>>", value)), 1)
	}
	same := compared(t, h, of("https://harrowmere.example/a", "ring the warden", "en"), of("https://harrowmere.example/a", "ring the warden", "en"))
	assert.True(t, same.BesideRead)
	assert.Empty(t, same.Beside)
	assert.False(t, same.BesideUnread)
	c := compared(t, h, of("https://harrowmere.example/a", "ring the warden", "en"), of("https://harrowmere.example/b", "do not ring", "de"))
	assert.Equal(t, []compare.Difference{
		{What: compare.LinkBeside, Change: compare.Changed, Page: 1, Was: "https://harrowmere.example/a", Is: "https://harrowmere.example/b"},
		{What: compare.NoteBeside, Change: compare.Changed, Page: 1, Was: "ring the warden", Is: "do not ring"},
		{What: compare.FactBeside, Change: compare.Changed, Name: "language", Was: "en", Is: "de"},
	}, c.Beside)
}
