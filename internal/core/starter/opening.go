package starter

import (
	"fmt"
	"math"
	"strings"

	"incipit/internal/core/setting"
)

// Opening is how the file itself wants to be opened (ISO 32000-2, 7.7.2 and 12.2):
// the page, 0 for none; the zoom in percent of true size, 0 for none; page layout and
// direction in its own terms, "" where it says nothing.
type Opening struct {
	Page      int
	Zoom      float64
	Layout    string
	Direction string
}

// Asked gives the settings that follow from what a file says of how it is to be
// opened, and a sentence that says so, or "". What nearly every program writes
// unasked (page 1, fitted to the window, the outline beside it) says nothing.
func (f Facts) Asked() (setting.Patch, string) {
	var pairs []any
	var said []string
	set := func(words string, key setting.Key, value any) {
		pairs = append(pairs, key, value)
		said = append(said, words)
	}
	o := f.Opening
	if o.Page > 1 && o.Page <= len(f.Sheets) {
		set(fmt.Sprintf("at page %d", o.Page), setting.OpenAt, o.Page)
	}
	if percent := math.Round(o.Zoom); percent >= setting.MinZoom && percent <= setting.MaxZoom {
		set(fmt.Sprintf("at %.0f %%", percent), setting.Zoom, setting.Opening{Kind: setting.ByNumber, Percent: percent})
	}
	switch o.Layout {
	case "TwoPageLeft", "TwoColumnLeft":
		set("two pages beside each other", setting.Facing, setting.Pairs)
	case "TwoPageRight", "TwoColumnRight":
		set("with a cover, then two pages beside each other", setting.Facing, setting.Cover)
	}
	if o.Direction == "R2L" {
		set("from right to left", setting.Order, setting.FromRight)
	}
	if len(said) == 0 {
		return setting.Patch{}, ""
	}
	return setting.PatchOf(pairs...), "The file asks to be opened " + strings.Join(said, ", ") + ": so it begins."
}
