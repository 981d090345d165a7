package desk

import (
	"context"
	"runtime"

	"golang.org/x/sync/errgroup"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/library"
	"incipit/internal/placing"
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

// mostEffects is how many placements have their effects told: each is proofed twice on
// every screen.
const mostEffects = 10

// effects proofs the first placements that follow what changes, before and after.
func (d *Desk) effects(ctx context.Context, house placing.House, change setting.Patch) ([]effect, error) {
	out := []effect{}
	drafts, err := d.Placing.Drafts(ctx, change, mostEffects)
	if err != nil {
		return out, err
	}
	out = make([]effect, len(drafts))
	all, _ := errgroup.WithContext(ctx)
	all.SetLimit(runtime.GOMAXPROCS(0))
	for i, p := range drafts {
		all.Go(func() (err error) {
			out[i], err = d.effectOn(p, house, change)
			return err
		})
	}
	return out, all.Wait()
}

func (d *Desk) effectOn(p placing.Drafted, house placing.House, change setting.Patch) (effect, error) {
	before, err := p.Own.Over(house.Settings)
	if err != nil {
		return effect{}, err
	}
	after, err := setting.Followed(before, p.Own, change)
	if err != nil {
		return effect{}, err
	}
	e := effect{ID: p.Placement.ID, Title: p.Title, Published: p.Placement.Published != nil, Changes: setting.Changes(before, after),
		Screens: []turnOfScreen{}}
	f, err := d.factsFor(placing.Whole{Document: library.Document{Title: p.Title}, Edition: p.Edition}, after)
	if err != nil {
		return effect{}, err
	}
	screens := proof.Usual(house.Sites[0])
	was, will := proof.Look(f, before, house.Terms, screens), proof.Look(f, after, house.Terms, screens)
	for i := range was {
		e.Screens = append(e.Screens, turns(was[i], will[i])...)
	}
	return e, nil
}
