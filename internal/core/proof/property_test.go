package proof_test

import (
	"encoding/json"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/testkit/vary"
)

const cases = 250

// Applying a fix and proofing again makes its gloss go or come in order, and
// whatever got worse by it, on any screen, was said with it.
func TestFixesConvergeAndSayWhatTheyCost(t *testing.T) {
	r := vary.Rand(11)
	tried := 0
	for range cases {
		f, s := vary.Facts(r), vary.Settings(r)
		terms := proof.Terms{Budget: 100_000}
		screens := append([]proof.Screen{vary.Screen(r)}, proof.Usual(proof.Site{Column: 960, Margin: 16})...)
		before := proof.Run(f, s, terms, screens)
		for i, v := range before {
			for _, g := range v.Glosses {
				if g.Level == proof.InOrder {
					assert.Empty(t, g.Fixes)
				}
				for _, fix := range g.Fixes {
					tried++
					next, err := fix.Set.Over(s)
					require.NoError(t, err)
					require.Empty(t, setting.Check(next, f.Pages.Count()), "%s: a fix can stand", fix.Words)
					after := proof.Look(f, next, terms, screens)
					if still, there := after[i].Find(g.Kind); there {
						assert.Equal(t, proof.InOrder, still.Level, "%s for %q on %s", fix.Words, g.Title, v.Screen.Name)
					}
					assertSaid(t, fix, before, after)
				}
			}
		}
	}
	assert.Greater(t, tried, cases, "fixes were tried")
	t.Logf("%d fixes of %d cases", tried, cases)
}

func assertSaid(t *testing.T, fix proof.Fix, before, after []proof.View) {
	t.Helper()
	for i := range after {
		for _, g := range after[i].Glosses {
			was, _ := before[i].Find(g.Kind)
			if proof.Rank(g.Level) <= proof.Rank(was.Level) {
				continue
			}
			said := false
			for _, w := range fix.Worse {
				said = said || (w.Kind == g.Kind && w.Screen == after[i].Screen.Name)
			}
			assert.True(t, said, "%s makes %q worse on %s and does not say so", fix.Words, g.Title, after[i].Screen.Name)
			assert.NotEmpty(t, fix.Cost)
		}
	}
}

// Fit width never shrinks in a wider column, but where the fore-edge moves from
// below the pages to beside them.
func TestScaleIsMonotoneInWidthForFitWidth(t *testing.T) {
	r := vary.Rand(12)
	for range cases {
		f, s := vary.Facts(r), vary.Settings(r)
		s.Zoom.Kind = setting.FitWidth
		last := frame.Box{}
		for column := 100.0; column < 2600; column += 37.5 {
			box := frame.Layout(s, f.Pages, column, 800)
			if last.Width >= frame.Narrow || box.Width < frame.Narrow {
				require.GreaterOrEqual(t, box.Scale, last.Scale, "column %g", column)
			}
			last = box
		}
	}
}

// Each tool a reader is given stands in the bar or is named behind "More", in
// the order set; a wider bar never holds fewer. The gloss names those behind.
func TestToolsAreNeverDroppedUnnamed(t *testing.T) {
	r := vary.Rand(13)
	for range cases {
		f, s := vary.Facts(r), vary.Settings(r)
		pages := f.Pages.Count()
		given := s.Tools.Given(s.Allowed(f.Holds()))
		shown := -1
		for width := 40.0; width < 900; width += 13 {
			fit := given.In(width, pages)
			assert.Equal(t, given, append(fit.Shown[:len(fit.Shown):len(fit.Shown)], fit.More...))
			require.GreaterOrEqual(t, len(fit.Shown), shown)
			shown = len(fit.Shown)
		}
		assert.Equal(t, len(given), shown, "all stand in a wide bar")
		v := proof.Run(f, s, proof.Terms{}, []proof.Screen{vary.Screen(r)})[0]
		g, there := v.Find(proof.Tools)
		here := s.In(v.Box.Width).Tools.Given(s.Allowed(f.Holds()))
		assert.Equal(t, len(here) > 0, there)
		assert.ElementsMatch(t, here, slices.Concat(v.Fit.Shown, v.Fit.More),
			"narrow frames go without what they are to go without, and nothing else")
		for _, tool := range v.Fit.More {
			assert.Contains(t, g.Text, lower(tool.Name()))
		}
	}
}

// A proof says the same twice, and can be sent.
func TestProofsAreRepeatable(t *testing.T) {
	r := vary.Rand(14)
	for range 40 {
		f, s := vary.Facts(r), vary.Settings(r)
		screens := []proof.Screen{vary.Screen(r), vary.Screen(r)}
		one, err := json.Marshal(proof.Run(f, s, proof.Terms{}, screens))
		require.NoError(t, err)
		two, err := json.Marshal(proof.Run(f, s, proof.Terms{}, screens))
		require.NoError(t, err)
		assert.JSONEq(t, string(one), string(two))
	}
}

// Any column and window that a request can name gives finite figures.
func FuzzColumn(f *testing.F) {
	f.Add(328.0, 800.0, uint64(1))
	f.Add(-1.0, 0.0, uint64(2))
	f.Add(1e300, 1e-300, uint64(3))
	f.Fuzz(func(t *testing.T, column, window float64, seed uint64) {
		r := vary.Rand(seed)
		facts, s := vary.Facts(r), vary.Settings(r)
		screen, err := proof.ScreenAt(proof.Site{Column: 960, Margin: 16}, column, window)
		if err != nil {
			return
		}
		b, err := json.Marshal(proof.Run(facts, s, proof.Terms{}, []proof.Screen{screen}))
		require.NoError(t, err, "figures are finite")
		require.NotEmpty(t, b)
	})
}
