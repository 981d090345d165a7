package webpage_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/webpage"
)

// tides is a document like the demo's tide table: two pages of A4 landscape in
// type of 6.3 pt.
func tides() proof.Facts {
	s := sheet.Sheet{Width: 842, Height: 595, Label: "1"}
	return proof.Facts{Pages: frame.PagesOf([]sheet.Sheet{s, s}), Language: "en", FileBytes: 502_000, Text: true, Measured: true,
		Sizes: legible.Sizes{Known: true, Chars: 10_957, Running: 0.06, Body: legible.Text{Size: 6.3, XHeight: 3.25, How: legible.Measured},
			Smallest: legible.Text{Size: 6.3, XHeight: 3.25, How: legible.Measured}}}
}

// withTides is a row of columns with the table in the last one.
func withTides(split webpage.Split) (webpage.Page, string) {
	p := page(string(split) + ":" + strings.Repeat("a|", split.Count()-1) + "tides")
	c := &p.Rows[0].Columns[split.Count()-1].Blocks[0]
	c.Kind, c.Of = webpage.Placement, 1
	return p, c.ID
}

func body(t *testing.T, s webpage.Seen) webpage.Gloss {
	t.Helper()
	for _, g := range s.Glosses {
		if g.Kind == proof.Body {
			return g
		}
	}
	t.Fatal("nothing is said about the body text")
	return webpage.Gloss{}
}

// A third of a page is 338.67 px, less frame and gutters for 842 pt: nobody can
// read the table there. The whole row is offered, and does what it says.
func TestANarrowColumnOffersTheWholeRow(t *testing.T) {
	p, id := withTides(webpage.Thirds)
	seen, err := webpage.Proof(p, id, tides(), setting.Default(), proof.Terms{}, 1280)
	require.NoError(t, err)
	assert.InDelta(t, (1080-64)/3.0, seen.View.Screen.Column, 1e-9)
	g := body(t, seen)
	assert.Equal(t, proof.MustFix, g.Level)
	assert.Equal(t, "laptop", g.Screen)
	require.NotEmpty(t, g.Mends)
	assert.Equal(t, webpage.DoOwnRow, g.Mends[0].Act.Do)
	assert.Contains(t, g.Mends[0].Words, "1080 px")

	next, err := p.Done(g.Mends[0].Act)
	require.NoError(t, err)
	after, err := webpage.Proof(next, id, tides(), setting.Default(), proof.Terms{}, 1280)
	require.NoError(t, err)
	assert.InDelta(t, 1080, after.View.Screen.Column, 1e-9)
	assert.Greater(t, after.View.Body.Angle, 3*seen.View.Body.Angle)
	assert.Contains(t, g.Mends[0].Words, string(after.View.Body.Band))
}

// What is offered changes the size on this page alone, and each mend is an act
// that can be done.
func TestMendsAreActs(t *testing.T) {
	for _, split := range webpage.Splits() {
		p, id := withTides(split)
		for _, window := range []float64{320, 700, 1280, 1920} {
			seen, err := webpage.Proof(p, id, tides(), setting.Default(), proof.Terms{}, window)
			require.NoError(t, err)
			for _, g := range seen.Glosses {
				assert.LessOrEqual(t, len(g.Mends), 2)
				for _, m := range g.Mends {
					next, err := p.Done(m.Act)
					require.NoError(t, err)
					assert.Empty(t, next.Check(), m.Words)
					assert.NotEmpty(t, webpage.Differences(p, next, nil), m.Words)
				}
			}
		}
	}
	p, _ := withTides(webpage.One)
	_, err := webpage.Proof(p, "ffffffffffff", tides(), setting.Default(), proof.Terms{}, 1280)
	require.ErrorIs(t, err, webpage.ErrGone)
}

func TestPulled(t *testing.T) {
	p, id := withTides(webpage.Halves)
	a, words, err := webpage.Pulled(p, id, tides(), setting.Default(), proof.Pull{Width: 262, Height: 400}, 1280)
	require.NoError(t, err)
	assert.Empty(t, words)
	next, err := p.Done(a)
	require.NoError(t, err)
	assert.Empty(t, next.Check())
	seen, err := webpage.Proof(next, id, tides(), setting.Default(), proof.Terms{}, 1280)
	require.NoError(t, err)
	assert.InDelta(t, 262, seen.View.Box.Width, 3, "half of a column of 524 px")
	assert.InDelta(t, 400, seen.View.Box.Height, 1)
	full, words, err := webpage.Pulled(next, id, tides(), setting.Default(), proof.Pull{Width: 523, Within: 8}, 1280)
	require.NoError(t, err)
	assert.Equal(t, "full column", words)
	assert.NotContains(t, full.New.Set, setting.Width, "as on its bench again")
}
