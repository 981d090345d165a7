package dress_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/dress"
	"incipit/internal/core/setting"
	"incipit/internal/testkit/vary"
)

// The product's own schemes, and what own colours start from, reach what WCAG
// asks for.
func TestOurColoursAreEnough(t *testing.T) {
	for name, tokens := range map[string]dress.Tokens{"light": dress.LightTokens, "dark": dress.DarkTokens,
		"own": dress.Own(setting.DefaultPalette())} {
		for _, p := range dress.Pairs(tokens) {
			assert.True(t, p.Enough(), "%s: %s is %.2f, needs %.1f", name, p.Name, p.Ratio, p.Needs)
		}
	}
}

// Whatever colours are chosen, a mended palette keeps the paper and is enough;
// one that was enough stays as it is.
func TestMended(t *testing.T) {
	r := vary.Rand(5)
	mended := 0
	for range 300 {
		s := vary.Settings(r)
		if s.Scheme != setting.Own {
			continue
		}
		was := dress.Pairs(dress.Own(s.Colours))
		p, ok := dress.Mended(s.Colours)
		if !ok {
			continue
		}
		mended++
		assert.Equal(t, s.Colours.Paper, p.Paper)
		enough := true
		for i, pair := range dress.Pairs(dress.Own(p)) {
			assert.True(t, pair.Enough(), "%v: %s %.2f", p, pair.Name, pair.Ratio)
			enough = enough && was[i].Enough()
		}
		if enough {
			assert.Equal(t, s.Colours, p)
		}
	}
	assert.Greater(t, mended, 20)
}
