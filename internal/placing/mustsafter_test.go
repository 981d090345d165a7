package placing_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// What readers would see after a change of house style is proofed: of those that follow and
// are published, and of nobody else.
func TestWhatWouldHaveToBeFixed(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	wide := setting.PatchOf(setting.LeastWidth, 400.0)
	asked := func(change setting.Patch) placing.Asked {
		a, err := h.Placing.MustsAfter(ctx, change)
		require.NoError(t, err)
		return a
	}
	none := asked(wide)
	assert.Equal(t, placing.Asked{First: []placing.ToFix{}}, none)

	follows, e := h.Published(t, "spring-notes.pdf", func(*setting.Settings) {})
	h.Measured(t, e.DocumentID)
	chose, e := h.Published(t, "leaflet-welcome.pdf", func(*setting.Settings) {})
	h.Measured(t, e.DocumentID)
	p, err := h.Placing.Placement(ctx, chose.ID)
	require.NoError(t, err)
	require.NoError(t, h.Placing.Redraft(ctx, p.ID, p.Step, setting.PatchOf(setting.LeastWidth, 120.0)))
	hidden, _ := h.Published(t, "trail-map.pdf", func(*setting.Settings) {})
	h.Withdraw(t, hidden.ID)

	a := asked(wide)
	assert.Equal(t, []int{1, 2, 2}, []int{a.All, a.Looked, a.Of})
	require.Len(t, a.First, 1)
	assert.Equal(t, follows.ID, a.First[0].ID)
	assert.Equal(t, "The frame sticks out", a.First[0].Musts[0].Title)
	assert.Equal(t, []string{"phone"}, a.First[0].Musts[0].Screens)
	assert.Zero(t, asked(setting.PatchOf(setting.Corner, 9.0)).All)

	for range 24 {
		_, err := h.Placing.Copy(ctx, follows.ID)
		require.NoError(t, err)
	}
	all, err := h.Placing.PlacementsOf(ctx, follows.DocumentID)
	require.NoError(t, err)
	for _, p := range all {
		if p.ID != follows.ID {
			h.Publish(t, p.ID, setting.Default())
		}
	}
	a = asked(wide)
	assert.Equal(t, []int{25, 26, 26, 20}, []int{a.All, a.Looked, a.Of, len(a.First)}, fmt.Sprint(a.First))
}

// Before many are published their drafts are proofed: of the placements that would change,
// and of nothing that readers have already or that is not published.
func TestWhatManyDraftsWouldShow(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	asked := func(documents ...int64) placing.Asked {
		a, err := h.Placing.MustsOfDrafts(ctx, documents)
		require.NoError(t, err)
		return a
	}
	wide := func(s *setting.Settings) { s.LeastWidth = 400 }
	seen, e := h.Published(t, "spring-notes.pdf", wide)
	h.Measured(t, e.DocumentID)
	p, err := h.Placing.Placement(ctx, seen.ID)
	require.NoError(t, err)
	require.NoError(t, h.Placing.Redraft(ctx, p.ID, p.Step, setting.PatchOf(setting.LeastWidth, 400.0)))
	assert.Equal(t, placing.Asked{First: []placing.ToFix{}, Looked: 1, Of: 1}, asked(seen.DocumentID), "readers have it already")
	require.NoError(t, h.Placing.Redraft(ctx, p.ID, p.Step+1, setting.PatchOf(setting.LeastWidth, 420.0)))
	first := asked(seen.DocumentID).First
	require.Len(t, first, 1)
	assert.Equal(t, "The frame sticks out", first[0].Musts[0].Title)

	d := h.Add(t, "leaflet-welcome.pdf")
	h.Measured(t, d.ID)
	assert.Zero(t, asked(d.ID).Of)
	draft, err := h.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	sound := asked(d.ID, seen.DocumentID)
	assert.Equal(t, []int{1, 2, 2}, []int{sound.All, sound.Looked, sound.Of})
	require.NoError(t, h.Placing.Redraft(ctx, draft.ID, draft.Step, setting.PatchOf(setting.LeastWidth, 400.0)))
	both := asked(d.ID, seen.DocumentID)
	assert.Equal(t, 2, both.All)
	require.NoError(t, h.Placing.Redraft(ctx, draft.ID, draft.Step+1, setting.PatchOf(setting.OpenAt, 900)))
	assert.Equal(t, 1, asked(d.ID, seen.DocumentID).All, "what cannot be published is told when it is tried")
}
