package placing

import (
	"context"
	"strings"

	"incipit/internal/core/setting"
	"incipit/internal/core/starter"
	"incipit/internal/library"
)

// PlaceChosen sets a document with the starter that its edition asks for, and with what the
// file itself asks for and forbids.
func (s *Placer) PlaceChosen(ctx context.Context, e library.Edition) (Placement, error) {
	house, err := s.HouseStyle(ctx)
	if err != nil {
		return Placement{}, err
	}
	start, err := chosen(e, house)
	if err != nil {
		return Placement{}, err
	}
	return s.Place(ctx, e.DocumentID, start)
}

func chosen(e library.Edition, house setting.Settings) (Start, error) {
	facts := e.StarterFacts()
	chosen := starter.Choose(facts)
	begun, _ := starter.Named(chosen.Name)
	settings, err := begun.Set.Over(house)
	if err != nil {
		return Start{}, err
	}
	for _, says := range []func() (setting.Patch, string){facts.Asked, facts.Forbidden} {
		patch, said := says()
		if settings, err = patch.Over(settings); err != nil {
			return Start{}, err
		}
		chosen.Reason = strings.TrimSpace(chosen.Reason + " " + said)
	}
	return Start{Starter: chosen.Name, Reason: chosen.Reason, Patch: setting.Diff(house, settings)}, nil
}
