package proof

import (
	"math"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/setting"
)

// Pull is a frame pulled by its edge to an outer size in CSS px; 0 leaves a
// side alone. Sizes within Within px of one that has a meaning become that one.
type Pull struct {
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
	Within float64 `json:"within"`
}

// Pulled is what a pull makes of the settings. Words name the size it came to
// rest at, or are empty.
type Pulled struct {
	Set   setting.Patch `json:"set"`
	Words string        `json:"words"`
}

// Apply turns a pull into a change of settings: in the unit that is set, within
// its bounds, resting at the full column, at the width from which on the body
// text can be read, and at one whole page.
func (d Pull) Apply(f Facts, s setting.Settings, screen Screen) Pulled {
	next, words := s, ""
	if d.Width > 0 {
		next, words = d.widen(f, next, screen)
	}
	if d.Height > 0 {
		var more string
		next, more = d.heighten(f, next, screen)
		if words != "" && more != "" {
			words += ", "
		}
		words += more
	}
	return Pulled{Set: setting.Diff(s, next), Words: words}
}

func (d Pull) near(a, b float64) bool { return math.Abs(a-b) <= d.Within }

func (d Pull) widen(f Facts, s setting.Settings, screen Screen) (setting.Settings, string) {
	w, words := d.Width, ""
	readable := readableWidth(f, s)
	switch {
	case d.near(w, screen.Column) || w > screen.Column:
		s.Width, s.MaxWidth = fullColumn, 0
		return s, "full column"
	case readable > 0 && readable < screen.Column && d.near(w, readable):
		w, words = readable, "readable from here"
	}
	if s.Width.Unit == setting.Percent {
		// Up to a tenth of a percent, so that what was readable stays so.
		s.Width.Value = math.Min(math.Max(math.Ceil(1000*w/screen.Column)/10, setting.MinPercent), 100)
		if words == "" {
			s.Width.Value = math.Max(math.Round(100*w/screen.Column), setting.MinPercent)
		}
	} else {
		s.Width.Value = math.Min(math.Max(math.Round(w), setting.MinWidth), setting.MaxPixels)
	}
	if s.MaxWidth > 0 && w > s.MaxWidth {
		s.MaxWidth = 0
	}
	if w < s.LeastWidth {
		s.LeastWidth = 0
	}
	return s, words
}

// readableWidth is the outer width from which on the body text can be read at
// fit width, or 0 where the width does not matter or nothing is known.
func readableWidth(f Facts, s setting.Settings) float64 {
	if s.Zoom.Kind != setting.FitWidth || f.Sizes.Body.XHeight <= 0 {
		return 0
	}
	widest, _ := f.Pages.Extent(s)
	w := math.Ceil(widest*legible.ScaleFor(f.Sizes.Body.XHeight, legible.FromReadable) + 2*frame.Gutter + 2*s.Border + 2*s.Padding)
	if w >= frame.Narrow && frame.HasForeEdge(s, f.Pages.Count()) {
		w += frame.ForeEdge
	}
	return w
}

func (d Pull) heighten(f Facts, s setting.Settings, screen Screen) (setting.Settings, string) {
	whole := s
	whole.Height, whole.MostHeight, whole.LeastHeight = onePage, 0, 0
	if d.near(d.Height, frame.Layout(whole, f.Pages, screen.Column, screen.Height).Height) {
		return whole, "one page"
	}
	if s.Height.Unit == setting.VH {
		s.Height.Value = math.Min(math.Max(math.Round(100*d.Height/screen.Height), setting.MinVH), setting.MaxVH)
	} else {
		s.Height = setting.Length{Value: math.Min(math.Max(math.Round(d.Height), setting.MinHeight), setting.MaxPixels), Unit: setting.Pixels}
	}
	if s.MostHeight > 0 && d.Height > s.MostHeight {
		s.MostHeight = 0
	}
	if d.Height < s.LeastHeight {
		s.LeastHeight = 0
	}
	return s, ""
}
