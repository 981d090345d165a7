package frame

import (
	"math"

	"incipit/internal/core/setting"
)

// Percent gives a scale as a percentage of true size.
func Percent(scale float64) float64 { return 100 * scale / TrueScale }

// InUnits gives the width and the height that a frame has now in each of the
// units they can be set in, within the bounds of settings: what a setting
// starts from when its unit is changed.
func InUnits(b Box, column, windowHeight float64) map[setting.Key]map[string]float64 {
	return map[setting.Key]map[string]float64{
		setting.Width: {
			setting.Percent: bounded(100*b.Width/column, setting.MinPercent, 100),
			setting.Pixels:  bounded(b.Width, setting.MinWidth, setting.MaxPixels),
		},
		setting.Height: {
			setting.Pixels:  bounded(b.Height, setting.MinHeight, setting.MaxPixels),
			setting.VH:      bounded(100*b.Height/windowHeight, setting.MinVH, setting.MaxVH),
			setting.OnePage: 0,
			setting.Rows:    2,
		},
	}
}

func bounded(v, low, high float64) float64 { return math.Min(math.Max(math.Round(v), low), high) }
