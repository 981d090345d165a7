package textflow_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/textflow"
)

// Headings that are set part by part have the levels that they have set at once,
// whatever the levels and wherever the parts meet.
func TestLevelsAcrossParts(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 29))
	for range 2000 {
		var at, whole []textflow.Block
		for range 1 + r.IntN(30) {
			b := textflow.Block{Kind: textflow.Paragraph}
			if r.IntN(2) == 0 {
				b = textflow.Block{Kind: textflow.Heading, Level: 1 + r.IntN(6)}
			}
			at = append(at, b)
		}
		whole = slices.Clone(at)
		textflow.Follow(whole, 0)
		for i, b := range whole {
			if b.Kind == textflow.Heading {
				level, _ := textflow.Level(whole[:i])
				assert.LessOrEqual(t, b.Level, level+1, "a level is skipped")
			}
		}
		cut := r.IntN(len(at))
		before, after := slices.Clone(at[:cut]), slices.Clone(at[cut:])
		textflow.Follow(before, textflow.Unsettled) // as they come where nothing is known of what is before
		textflow.Follow(after, textflow.Unsettled)
		level, settled := textflow.Level(before)
		if !settled {
			textflow.Follow(before, 0)
			level, _ = textflow.Level(before)
		}
		textflow.Follow(after, level)
		assert.Equal(t, whole[cut:], after)
	}
}
