package placing_test

import (
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/draft"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// Whoever is told of a change is told who made it: not whoever was last at something else.
func TestOthersAreNamedForWhatTheyMade(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, _ := testkit.Added(t, s, "tides")
	p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	change := func(seen int64, by string, patch setting.Patch) ([]draft.Made, error) {
		_, others, err := s.Placing.ChangeDraft(ctx, p.ID, seen, by, 3, func(_, house setting.Settings) (placing.Made, error) {
			next, err := patch.Over(house)
			return placing.Made{Settings: next}, err
		})
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
	assert.Equal(t, map[string][]string{"Maren": {"padding"}}, testkit.Who(clash.Made))

	// Beside both: each with their own.
	others, err := change(0, "Ada", setting.PatchOf(setting.Print, false))
	require.NoError(t, err)
	assert.Equal(t, map[string][]string{"Maren": {"padding"}, "Piet": {"corner"}}, testkit.Who(others))
	now, err := s.Placing.Placement(ctx, p.ID)
	require.NoError(t, err)
	held, err := s.Placing.Draft(ctx, now)
	require.NoError(t, err)
	assert.Equal(t, []setting.Key{setting.Print, setting.Padding, setting.Corner}, held.Patch.Keys())

	// The same to the same is no clash, and no step.
	others, err = change(1, "Ada", setting.PatchOf(setting.Padding, 4.0, setting.Corner, 2.0))
	require.NoError(t, err)
	assert.NotEmpty(t, others)
	again, err := s.Placing.Placement(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, now.Step, again.Step)

	var stale *draft.Stale
	require.ErrorAs(t, s.Placing.Move(ctx, p.ID, 1, "Maren", -1), &stale)
	assert.Equal(t, map[string][]string{"Piet": {"corner"}, "Ada": {"print"}}, testkit.Who(stale.Made))

	// House style below what is published.
	h, err := s.Placing.House(ctx)
	require.NoError(t, err)
	h.Settings.Print = false
	_, err = s.Placing.ChangeHouse(ctx, h.Revision, "Wren", h, nil)
	require.NoError(t, err)
	err = s.Placing.PublishDraft(ctx, p.ID, placing.Seen{Revision: now.Step, House: h.Revision}, 0)
	require.ErrorAs(t, err, &stale)
	assert.Equal(t, draft.House, stale.Kind)
	assert.Equal(t, map[string][]string{"Wren": {"settings.print"}}, testkit.Who(stale.Made))
}
