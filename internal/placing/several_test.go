package placing_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// A document has several placements, each with its name, made out of one another, taken
// away and put back by itself.
func TestSeveralPlacements(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, e := testkit.Added(t, s, "tides")
	p, err := s.Placing.Place(ctx, d.ID, placing.Start{Starter: "plan", Patch: setting.PatchOf(setting.Padding, 9)})
	require.NoError(t, err)
	require.NoError(t, s.Placing.Publish(ctx, p.ID, e.ID, 0, setting.Default()))
	require.NoError(t, s.Placing.Name(ctx, p.ID, " front \n page "))
	other, err := s.Placing.Copy(ctx, p.ID)
	require.NoError(t, err)
	assert.NotEqual(t, p.Key, other.Key)
	copied, err := s.Placing.Draft(ctx, other)
	require.NoError(t, err)
	assert.Equal(t, []setting.Key{setting.Padding}, copied.Patch.Keys())
	assert.Equal(t, "plan", copied.Starter)
	require.NoError(t, s.Placing.Name(ctx, other.ID, "members’ page"))
	list, err := s.Placing.ShownOf(ctx, d.ID)
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, []string{"front page", "members’ page"}, []string{list[0].Name, list[1].Name})
	assert.Nil(t, list[1].Published, "readers see nothing of it")

	require.NoError(t, s.Placing.SetRecord(ctx, p.ID, "bird/17"))
	require.NoError(t, s.Placing.Remove(ctx, p.ID, "Maren Oakes"))
	require.ErrorIs(t, s.Placing.Remove(ctx, p.ID, ""), database.ErrNotFound)
	_, err = s.Placing.PlacementByKey(ctx, p.Key)
	require.ErrorIs(t, err, database.ErrNotFound)
	gone, err := s.Placing.RemovedOf(ctx, d.ID)
	require.NoError(t, err)
	require.Len(t, gone, 1)
	assert.Equal(t, []string{"front page", "Maren Oakes"}, []string{gone[0].Name, gone[0].RemovedBy})
	require.NoError(t, s.Placing.SetRecord(ctx, other.ID, "bird/17"))
	// Its document comes back without it: it was taken away before.
	require.NoError(t, s.Library.RemoveDocument(ctx, d.ID, ""))
	require.ErrorIs(t, s.Placing.PutBack(ctx, p.ID), database.ErrNotFound, "there is nothing to put it on")
	_, err = s.Library.RestoreDocument(ctx, d.ID)
	require.NoError(t, err)
	list, err = s.Placing.ShownOf(ctx, d.ID)
	require.NoError(t, err)
	assert.Len(t, list, 1)
	require.NoError(t, s.Placing.PutBack(ctx, p.ID))
	back, err := s.Placing.PlacementByKey(ctx, p.Key)
	require.NoError(t, err)
	assert.NotNil(t, back.Published)
	has, err := s.Placing.PlacementByRecord(ctx, "bird/17")
	require.NoError(t, err)
	assert.Equal(t, other.ID, has.ID)
	require.ErrorAs(t, s.Placing.Name(ctx, p.ID, strings.Repeat("x", 81)), new(draft.Refused))
	for range placing.MostPlacements - 2 {
		_, err := s.Placing.Copy(ctx, p.ID)
		require.NoError(t, err)
	}
	_, err = s.Placing.Copy(ctx, p.ID)
	require.ErrorAs(t, err, new(draft.Refused))
}
