package frame_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
)

// Whatever a frame measures, the figures offered for its units can stand.
func TestInUnitsCanStand(t *testing.T) {
	for _, box := range []frame.Box{{Width: 512, Height: 497.4}, {Width: 20, Height: 9}, {Width: 9000, Height: 90000}} {
		for key, units := range frame.InUnits(box, 640, 800) {
			for unit, value := range units {
				s := setting.Default()
				if key == setting.Width {
					s.Width = setting.Length{Value: value, Unit: unit}
				} else {
					s.Height = setting.Length{Value: value, Unit: unit}
				}
				assert.Empty(t, setting.Check(s, 1), "%s %g %s", key, value, unit)
			}
		}
	}
	units := frame.InUnits(frame.Box{Width: 512, Height: 497.4}, 640, 800)
	assert.Equal(t, map[string]float64{"%": 80, "px": 512}, units[setting.Width])
	assert.Equal(t, map[string]float64{"px": 497, "vh": 62, "page": 0, "rows": 2}, units[setting.Height])
	assert.InDelta(t, 75, frame.Percent(1), 1e-9)
}
