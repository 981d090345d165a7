package contrast_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/contrast"
)

func TestRatio(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want float64
	}{
		{"#000000", "#ffffff", 21}, {"#ffffff", "#000000", 21}, {"#777777", "#ffffff", 4.48}, {"#767676", "#ffffff", 4.54},
		{"#ff0000", "#ffffff", 4.00}, {"#8f5a0a", "#8f5a0a", 1},
	} {
		assert.InDelta(t, c.want, contrast.Ratio(c.a, c.b), 0.005, "%s on %s", c.a, c.b)
	}
}

func TestValid(t *testing.T) {
	for colour, want := range map[string]bool{"#23222b": true, "#FFFDF8": true, "": false, "#fff": false, "23222b0": false, "#23222g": false,
		"#-2222b": false, "#+22222": false} {
		assert.Equal(t, want, contrast.Valid(colour), colour)
	}
}

func TestReachTakesTheNearest(t *testing.T) {
	enough := func(c string) bool { return contrast.Ratio(c, "#ffffff") >= contrast.Text }
	c, ok := contrast.Reach("#999999", enough)
	assert.True(t, ok && enough(c))
	assert.Less(t, contrast.Ratio(c, "#ffffff"), 5.0, "no darker than it must be")
	same, ok := contrast.Reach("#333333", enough)
	assert.True(t, ok)
	assert.Equal(t, "#333333", same)
	_, ok = contrast.Reach("#333333", func(string) bool { return false })
	assert.False(t, ok)
	assert.Equal(t, "#800080", contrast.Mix("#ff0000", "#0000ff", 0.5))
}
