package store_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/draft"
	"incipit/internal/store"
)

// who lists who made what, without times.
func who(made []draft.Made) map[string][]string {
	out := map[string][]string{}
	for _, m := range made {
		out[m.By] = m.Members
	}
	return out
}

// Whoever is told of a change is told who made it: not whoever was last at something else.
func TestOthersAreNamedForWhatTheyMade(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	d, _ := add(t, s, "tides")
	p, err := s.Place(ctx, d.ID, store.Start{})
	require.NoError(t, err)
	change := func(seen int64, by string, patch setting.Patch) ([]draft.Made, error) {
		_, others, err := s.ChangeDraft(ctx, p.ID, seen, by, func(b store.Below) (setting.Patch, *store.Start, error) {
			next, err := patch.Over(b.House.Settings)
			return setting.Diff(b.House.Settings, next), nil, err
		}, func(setting.Patch, store.House) error { return nil })
		return others, err
	}
	_, err = change(0, "Maren", setting.PatchOf(setting.Padding, 4.0))
	require.NoError(t, err)
	_, err = change(1, "Piet", setting.PatchOf(setting.Padding, 4.0, setting.Corner, 2.0))
	require.NoError(t, err)

	// Piet was last, and Maren made what Ada changes, too.
	_, err = change(0, "Ada", setting.PatchOf(setting.Padding, 9.0))
	var clash *draft.Clash
	require.ErrorAs(t, err, &clash)
	assert.Equal(t, map[string][]string{"Maren": {"padding"}}, who(clash.Made))

	// Beside both: each with their own.
	others, err := change(0, "Ada", setting.PatchOf(setting.Print, false))
	require.NoError(t, err)
	assert.Equal(t, map[string][]string{"Maren": {"padding"}, "Piet": {"corner"}}, who(others))
	now, err := s.Placement(ctx, p.ID)
	require.NoError(t, err)
	held, err := s.Draft(ctx, now)
	require.NoError(t, err)
	assert.Equal(t, []setting.Key{setting.Print, setting.Padding, setting.Corner}, held.Patch.Keys())

	// The same to the same is no clash, and no step.
	others, err = change(1, "Ada", setting.PatchOf(setting.Padding, 4.0, setting.Corner, 2.0))
	require.NoError(t, err)
	assert.NotEmpty(t, others)
	again, err := s.Placement(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, now.Step, again.Step)

	var stale *draft.Stale
	require.ErrorAs(t, s.Move(ctx, p.ID, 1, "Maren", -1), &stale)
	assert.Equal(t, map[string][]string{"Piet": {"corner"}, "Ada": {"print"}}, who(stale.Made))

	// House style below what is published.
	h, err := s.House(ctx)
	require.NoError(t, err)
	h.Settings.Print = false
	_, err = s.ChangeHouse(ctx, h.Revision, "Wren", h, nil, nil)
	require.NoError(t, err)
	err = s.PublishDraft(ctx, p.ID, store.Seen{Revision: now.Step, House: h.Revision}, 1, 0, func(setting.Settings) error { return nil })
	require.ErrorAs(t, err, &stale)
	assert.Equal(t, draft.House, stale.Kind)
	assert.Equal(t, map[string][]string{"Wren": {"settings.print"}}, who(stale.Made))
}

func TestOthersOfACollectionAreNamed(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	kept, err := s.AddCollection(ctx, collection.New("Surveys"))
	require.NoError(t, err)
	first := kept.Content
	first.Name = "Counts"
	_, err = s.ChangeCollection(ctx, kept.ID, 0, "Maren", first, nil)
	require.NoError(t, err)
	second := first
	second.Arrangement = collection.Grid
	_, err = s.ChangeCollection(ctx, kept.ID, 1, "Piet", second, nil)
	require.NoError(t, err)
	mine := kept.Content
	mine.Name = "Tables"
	_, err = s.ChangeCollection(ctx, kept.ID, 0, "Ada", mine, nil)
	var clash *draft.Clash
	require.True(t, errors.As(err, &clash), "%v", err)
	require.Len(t, clash.Made, 1)
	assert.Equal(t, "Maren", clash.Made[0].By)
}
