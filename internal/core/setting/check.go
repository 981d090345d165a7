package setting

import (
	"fmt"
	"math"
	"slices"
)

// Problem is a value that cannot stand, with a sentence for the editor.
type Problem struct {
	Key     Key    `json:"key"`
	Message string `json:"message"`
}

// The bounds of settings. Lengths are CSS px unless said.
const (
	MinWidth, MaxPixels  = 120, 4000
	MinPercent           = 10 // of the column
	MinHeight            = 80
	MinVH, MaxVH         = 10, 200
	MinZoom, MaxZoom     = 10, 640 // percent of true size
	wholePercent         = 100
	firstPage, noMaximum = 1, 0
)

// Check says what cannot stand. pages is the number of pages of the document,
// or 0 where there is none (house style).
func Check(s Settings, pages int) []Problem {
	var out []Problem
	wrong := func(key Key, format string, args ...any) {
		out = append(out, Problem{key, fmt.Sprintf(format, args...)})
	}
	switch s.Width.Unit {
	case Percent:
		if !within(s.Width.Value, MinPercent, wholePercent) {
			wrong(Width, "A width in %% of the column goes from %d to %d.", MinPercent, wholePercent)
		}
	case Pixels:
		if !within(s.Width.Value, MinWidth, MaxPixels) {
			wrong(Width, "A width in px goes from %d to %d.", MinWidth, MaxPixels)
		}
	default:
		wrong(Width, "A width is in %% of the column or in px.")
	}
	if s.MaxWidth != noMaximum && !within(s.MaxWidth, MinWidth, MaxPixels) {
		wrong(MaxWidth, "A maximum goes from %d to %d px; leave it empty for none.", MinWidth, MaxPixels)
	}
	switch s.Height.Unit {
	case OnePage:
	case Pixels:
		if !within(s.Height.Value, MinHeight, MaxPixels) {
			wrong(Height, "A height in px goes from %d to %d.", MinHeight, MaxPixels)
		}
	case VH:
		if !within(s.Height.Value, MinVH, MaxVH) {
			wrong(Height, "A height in vh goes from %d to %d.", MinVH, MaxVH)
		}
	default:
		wrong(Height, "A height is in px, in vh, or one whole page.")
	}
	if !slices.Contains([]string{Left, Centre, Right}, s.Align) {
		wrong(Align, "A frame stands left, centre or right.")
	}
	switch s.Zoom.Kind {
	case FitWidth, FitPage, TrueSize:
	case ByNumber:
		if !within(s.Zoom.Percent, MinZoom, MaxZoom) {
			wrong(Zoom, "A zoom goes from %d to %d %%.", MinZoom, MaxZoom)
		}
	default:
		wrong(Zoom, "A document opens at fit width, fit page, true size or a percentage.")
	}
	switch {
	case s.OpenAt < firstPage:
		wrong(OpenAt, "Pages count from 1.")
	case pages > 0 && s.OpenAt > pages:
		wrong(OpenAt, "The document has %d pages; there is no page %d.", pages, s.OpenAt)
	case pages == 0 && s.OpenAt != firstPage:
		wrong(OpenAt, "House style opens documents at page 1.")
	}
	return out
}

func within(v, low, high float64) bool {
	return !math.IsNaN(v) && v >= low && v <= high
}
