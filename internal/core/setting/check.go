package setting

import (
	"fmt"
	"math"
	"slices"

	"incipit/internal/core/contrast"
)

// Problem is a value that cannot stand, with a sentence for the editor.
type Problem struct {
	Key     Key    `json:"key"`
	Message string `json:"message"`
}

// Problems are what is wrong with settings that cannot stand, as an error.
type Problems []Problem

func (p Problems) Error() string { return "settings that cannot stand" }

// The bounds of settings. Lengths are CSS px unless said.
const (
	MinWidth, MaxPixels = 120, 4000
	MinPercent          = 10 // of the column
	MinHeight           = 80
	MinVH, MaxVH        = 10, 200
	MinZoom, MaxZoom    = 10, 640 // percent of true size
	MaxRows             = 20
	MaxPadding          = 64
	MaxBorder           = 8
	MaxCorner           = 32
	wholePercent        = 100
	firstPage, noLimit  = 1, 0
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
	if s.MaxWidth != noLimit && !within(s.MaxWidth, MinWidth, MaxPixels) {
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
	case Rows:
		if !within(s.Height.Value, 1, MaxRows) || s.Height.Value != math.Trunc(s.Height.Value) {
			wrong(Height, "A height in rows of pages goes from 1 to %d.", MaxRows)
		}
	default:
		wrong(Height, "A height is in px, in vh, one whole page, or rows of pages.")
	}
	limit := func(key Key, name string, v, low, high float64) {
		if v != noLimit && !within(v, low, high) {
			wrong(key, "%s goes from %g to %g px; leave it empty for none.", name, low, high)
		}
	}
	limit(LeastWidth, "A minimum", s.LeastWidth, MinWidth, MaxPixels)
	limit(LeastHeight, "A minimum", s.LeastHeight, MinHeight, MaxPixels)
	limit(MostHeight, "A maximum", s.MostHeight, MinHeight, MaxPixels)
	if s.MaxWidth != noLimit && s.LeastWidth > s.MaxWidth {
		wrong(LeastWidth, "The minimum is above the maximum of %g px.", s.MaxWidth)
	}
	if s.MostHeight != noLimit && s.LeastHeight > s.MostHeight {
		wrong(LeastHeight, "The minimum is above the maximum of %g px.", s.MostHeight)
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
	if s.LeastZoom != noLimit && !within(s.LeastZoom, MinZoom, MaxZoom) {
		wrong(LeastZoom, "A smallest zoom goes from %d to %d %%; leave it empty for none.", MinZoom, MaxZoom)
	}
	if s.NarrowZoom != noLimit && !within(s.NarrowZoom, MinZoom, MaxZoom) {
		wrong(NarrowZoom, "A smallest zoom goes from %d to %d %%; leave it empty for none.", MinZoom, MaxZoom)
	}
	switch {
	case s.MostZoom != noLimit && s.NarrowZoom > s.MostZoom:
		wrong(NarrowZoom, "The smallest zoom in narrow frames is above the largest of %g %%.", s.MostZoom)
	case s.MostZoom != noLimit && !within(s.MostZoom, MinZoom, MaxZoom):
		wrong(MostZoom, "A largest zoom goes from %d to %d %%; leave it empty for none.", MinZoom, MaxZoom)
	case s.MostZoom != noLimit && s.LeastZoom > s.MostZoom:
		wrong(MostZoom, "The largest zoom is below the smallest of %g %%.", s.LeastZoom)
	}
	one := func(key Key, v, message string, of ...string) {
		if !slices.Contains(of, v) {
			wrong(key, "%s", message)
		}
	}
	if message := s.Sites.Wrong(); message != "" {
		wrong(Sites, "%s", message)
	}
	one(RowScale, s.RowScale, "Pages of other sizes stand in proportion, or each as large as fits.", SameScale, EachRow)
	one(Flow, s.Flow, "Pages run down, across, turn, or stand as tiles.", Down, Across, Turn, Tiles)
	one(Facing, s.Facing, "Pages stand single, in pairs, or as a cover and pairs.", Single, Pairs, Cover)
	one(Order, s.Order, "Pages begin at the left or at the right.", FromLeft, FromRight)
	one(BarPlace, s.BarPlace, "A toolbar stands at the top or at the bottom.", Top, Bottom)
	one(BarShown, s.BarShown, "A toolbar is always shown, or on approach.", Always, Approach)
	one(Pointer, s.Pointer, "The pointer selects text or drags the page.", Select, Drag)
	one(TextView, s.TextView, "A text view is closed, a tool, or offered where the type is too small.", Closed, ByTool, Offered)
	one(Shadow, s.Shadow, "A shadow is none, soft or deep.", NoShadow, SoftShadow, DeepShadow)
	one(Scheme, s.Scheme, "Colours follow the system, are light, dark, or its own.", System, Light, Dark, Own)
	inside := func(key Key, name string, v, high float64) {
		if !within(v, 0, high) {
			wrong(key, "%s goes from 0 to %g px.", name, high)
		}
	}
	inside(Padding, "A padding", s.Padding, MaxPadding)
	inside(Border, "A border", s.Border, MaxBorder)
	if s.Border != math.Trunc(s.Border) {
		wrong(Border, "A border is whole px.")
	}
	inside(Corner, "A corner", s.Corner, MaxCorner)
	if s.Background != "" && !contrast.Valid(s.Background) {
		wrong(Background, "A colour is written like #f8f4ea; leave it empty to follow the scheme.")
	}
	if !contrast.Valid(s.Colours.Paper) || !contrast.Valid(s.Colours.Ink) || !contrast.Valid(s.Colours.Accent) {
		wrong(Colours, "A colour is written like #23222b.")
	}
	return out
}

func within(v, low, high float64) bool {
	return !math.IsNaN(v) && v >= low && v <= high
}
