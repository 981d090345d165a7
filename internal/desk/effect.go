package desk

import (
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/store"
)

// effect is what a change of house style does to one placement.
type effect struct {
	ID        int64            `json:"id"`
	Title     string           `json:"title"`
	Published bool             `json:"published"`
	Changes   []setting.Change `json:"changes"`
	Screens   []turnOfScreen   `json:"screens"` // findings that come or go
}

// turnOfScreen is a finding that gets better or worse on a screen. Title is the
// finding as it is where it is worse.
type turnOfScreen struct {
	Screen string `json:"screen"`
	Title  string `json:"title"`
	Better bool   `json:"better"`
}

// turns compares the findings of one screen, before and after.
func turns(was, will proof.View) []turnOfScreen {
	out := []turnOfScreen{}
	for _, g := range will.Heavier(was) {
		out = append(out, turnOfScreen{will.Screen.Name, g.Title, false})
	}
	for _, g := range was.Heavier(will) {
		out = append(out, turnOfScreen{was.Screen.Name, g.Title, true})
	}
	return out
}

// mostEffects is how many placements have their effects told.
const mostEffects = 100

// effects proofs every placement that follows what changes, before and after,
// and counts those that readers would see change at once.
func (d *Desk) effects(drafts []store.Drafted, house store.House, next setting.Settings) (out []effect, readers int, err error) {
	out = []effect{}
	change := setting.Diff(house.Settings, next)
	if len(change) == 0 {
		return out, 0, nil
	}
	screens := proof.Usual(house.Sites[0])
	for _, p := range drafts {
		before, err := p.Own.Over(house.Settings)
		if err != nil {
			return out, readers, err
		}
		after, err := setting.Followed(before, p.Own, change)
		if err != nil {
			return out, readers, err
		}
		e := effect{ID: p.Placement.ID, Title: p.Title, Published: p.Published != nil, Changes: setting.Changes(before, after), Screens: []turnOfScreen{}}
		// What readers see may differ from the draft: it is counted on its own, as
		// it would be published.
		if p.Published != nil {
			seen, err := setting.Followed(*p.Published, p.Own, change)
			if err != nil {
				return out, readers, err
			}
			if len(setting.Diff(*p.Published, seen)) > 0 {
				readers++
			}
		}
		if len(e.Changes) == 0 || len(out) == mostEffects {
			continue
		}
		f, err := d.factsFor(benchView{Document: store.Document{Title: p.Title}, Edition: p.Edition}, after)
		if err != nil {
			return out, readers, err
		}
		was, will := proof.Look(f, before, house.Terms, screens), proof.Look(f, after, house.Terms, screens)
		for i := range was {
			e.Screens = append(e.Screens, turns(was[i], will[i])...)
		}
		out = append(out, e)
	}
	return out, readers, nil
}
