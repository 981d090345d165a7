package proof

import (
	"cmp"
	"math"
	"slices"

	"incipit/internal/core/setting"
)

// Met is a column in which readers really met a placement.
type Met struct {
	Column float64 `json:"column"` // CSS px, the middle of WidthStep
	Times  int64   `json:"times"`
	Share  float64 `json:"share"` // of all times, 0 to 1
	Worst  Gloss   `json:"worst"`
	Body   Reading `json:"body"`
	Typed  bool    `json:"typed"`
}

// WidthStep is how finely columns are told apart, CSS px, and mostMet how many
// are shown.
const (
	WidthStep = 40
	mostMet   = 16
)

// Round gives the middle of the step that a column falls into, CSS px.
func Round(column float64) int {
	return int(math.Round(math.Min(math.Max(column, MinColumn), MaxColumn)/WidthStep) * WidthStep)
}

// Meet proofs a placement in the columns in which readers met it: those met most
// often, the narrowest first. A window is as tall as is usual at that width.
func Meet(f Facts, s setting.Settings, terms Terms, site Site, times map[int]int64) []Met {
	all := make([]Met, 0, len(times))
	var sum int64
	for column, n := range times {
		all = append(all, Met{Column: float64(column), Times: n})
		sum += n
	}
	slices.SortFunc(all, func(a, b Met) int { return cmp.Or(cmp.Compare(b.Times, a.Times), cmp.Compare(a.Column, b.Column)) })
	all = all[:min(len(all), mostMet)]
	slices.SortFunc(all, func(a, b Met) int { return cmp.Compare(a.Column, b.Column) })
	screens := make([]Screen, len(all))
	for i, m := range all {
		screens[i] = Nearest(site, site.PageOf(m.Column))
		screens[i].Column = m.Column
	}
	for i, v := range Look(f, s, terms, screens) {
		all[i].Share, all[i].Worst, all[i].Body, all[i].Typed = float64(all[i].Times)/float64(sum), v.Worst(), v.Body, v.Typed
	}
	return all
}
