package frame_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/testkit/vary"
)

// A least zoom of narrow frames changes nothing in wide ones, and in narrow ones does
// what the same least zoom does everywhere.
func TestNarrowFramesHaveTheirOwnLeastZoom(t *testing.T) {
	r := vary.Rand(29)
	for range 2000 {
		s, p := vary.Settings(r), vary.Facts(r).Pages
		s.NarrowZoom, s.MostZoom = 30+170*r.Float64(), 0
		without, everywhere := s, s
		without.NarrowZoom = 0
		everywhere.NarrowZoom, everywhere.LeastZoom = 0, max(s.LeastZoom, s.NarrowZoom)
		column := 200 + 900*r.Float64()
		b := frame.Layout(s, p, column, 800)
		if b.Width >= setting.Narrow {
			assert.Equal(t, frame.Layout(without, p, column, 800), b)
			continue
		}
		all := frame.Layout(everywhere, p, column, 800)
		assert.Equal(t, all.Width, b.Width)
		if s.Zoom.Kind != setting.FitPage { // that follows from the height
			assert.InDelta(t, all.Scale, b.Scale, 1e-9)
		}
		assert.GreaterOrEqual(t, b.Scale, frame.TrueScale*everywhere.LeastZoom/100-1e-9)
		assert.GreaterOrEqual(t, b.Height, all.Height, "what stands below the pages has its room, too")
		assert.LessOrEqual(t, b.Height, all.Height+frame.ForeEdge+2)
	}
}
