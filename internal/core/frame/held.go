package frame

import (
	"math"

	"incipit/internal/core/setting"
)

// Held says whether code that gives a viewer a width and a height, in CSS px, keeps
// the room that settings ask for. A height that goes by the window is not judged, nor
// one that nobody has told.
func Held(s setting.Settings, p Pages, width, height float64) bool {
	if width <= 0 || height <= 0 || s.Height.Unit == setting.VH {
		return true
	}
	b := Layout(s, p, Column(s, width), 800)
	if s.Width.Unit == setting.Pixels && width > s.Width.Value+heldWithin {
		return false
	}
	return math.Abs(b.Height-height) <= heldWithin
}

// heldWithin is how far a viewer's size may be from what was computed, CSS px: what
// browsers round, and what code that somebody shortened leaves out.
const heldWithin = 4
