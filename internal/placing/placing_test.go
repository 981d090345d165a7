package placing_test

import (
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

func TestDraftStepsGoBackAndForward(t *testing.T) {
	s := testkit.Nouns(t)
	d, _ := testkit.Added(t, s, "tides")
	p, err := s.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	assert.Len(t, p.Key, 20)
	reload := func() placing.Draft {
		p, err = s.Placing.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		draft, err := s.Placing.Draft(t.Context(), p)
		require.NoError(t, err)
		return draft
	}
	assert.False(t, reload().Undo)
	require.NoError(t, s.Placing.Move(t.Context(), p.ID, 0, "Maren", -1), "there is nothing to undo, and that is no error")
	require.NoError(t, s.Placing.Redraft(t.Context(), p.ID, 0, testkit.Patch(t, `{"download":false}`)))
	require.NoError(t, s.Placing.Redraft(t.Context(), p.ID, 1, testkit.Patch(t, `{"download":false,"print":false}`)))
	require.ErrorIs(t, s.Placing.Redraft(t.Context(), p.ID, 1, testkit.Patch(t, `{}`)), placing.ErrStale)
	require.ErrorIs(t, s.Placing.Move(t.Context(), p.ID, 1, "Maren", -1), placing.ErrStale, "what was not seen is not undone")
	require.NoError(t, s.Placing.Move(t.Context(), p.ID, 2, "Maren", -1))
	draft := reload()
	assert.Equal(t, []setting.Key{setting.Download}, draft.Patch.Keys())
	assert.True(t, draft.Undo && draft.Redo)
	assert.Equal(t, int64(3), draft.Revision, "an undo is a step of its own")
	assert.Equal(t, "Maren", draft.By)
	require.NoError(t, s.Placing.Move(t.Context(), p.ID, 3, "Maren", 1))
	assert.Equal(t, []setting.Key{setting.Download, setting.Print}, reload().Patch.Keys())
	require.NoError(t, s.Placing.Move(t.Context(), p.ID, 4, "Maren", -1))
	require.NoError(t, s.Placing.Move(t.Context(), p.ID, 5, "Maren", -1))
	assert.Empty(t, reload().Patch, "undo goes on past an undo")
	require.NoError(t, s.Placing.Move(t.Context(), p.ID, 6, "Maren", 1))
	require.NoError(t, s.Placing.Redraft(t.Context(), p.ID, 7, testkit.Patch(t, `{"align":"left"}`)))
	assert.False(t, reload().Redo, "a change drops what lay ahead")
}

func TestPublishingPinsWhatReadersSee(t *testing.T) {
	s := testkit.Nouns(t)
	d, e := testkit.Added(t, s, "tides")
	a := people.Account{Email: "Maren@Harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.People.AddAccount(t.Context(), &a))
	p, err := s.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	_, err = s.Placing.PublishedVersion(t.Context(), p)
	require.ErrorIs(t, err, database.ErrNotFound)
	settings, err := s.Placing.DraftSettings(t.Context(), p)
	require.NoError(t, err)
	require.NoError(t, s.Placing.Publish(t.Context(), p.ID, e.ID, a.ID, settings))
	house := setting.Default()
	house.Print = false
	h, err := s.Placing.House(t.Context())
	require.NoError(t, err)
	h.Settings = house
	_, err = s.Placing.ChangeHouse(t.Context(), h.Revision, "Maren", h, nil)
	require.NoError(t, err)
	p, err = s.Placing.PlacementByKey(t.Context(), p.Key)
	require.NoError(t, err)
	v, err := s.Placing.PublishedVersion(t.Context(), p)
	require.NoError(t, err)
	assert.True(t, v.Settings.Print, "house style does not reach readers before the next publication")
	draft, err := s.Placing.DraftSettings(t.Context(), p)
	require.NoError(t, err)
	assert.False(t, draft.Print, "a draft follows house style")
	require.ErrorIs(t, s.Placing.Withdraw(t.Context(), p.ID, 7), placing.ErrStale)
	require.NoError(t, s.Placing.Withdraw(t.Context(), p.ID, 1))
	p, err = s.Placing.Placement(t.Context(), p.ID)
	require.NoError(t, err)
	_, err = s.Placing.PublishedVersion(t.Context(), p)
	require.ErrorIs(t, err, database.ErrNotFound)
	require.NoError(t, s.Library.RemoveDocument(t.Context(), d.ID, "Maren Oakes"))
	_, err = s.Placing.Placement(t.Context(), p.ID)
	require.ErrorIs(t, err, database.ErrNotFound)
	require.NoError(t, s.Library.ForgetRemoved(t.Context(), time.Now().Add(time.Minute)))
	owns, err := s.Library.OwnsFile(t.Context(), e.BlobKey)
	require.NoError(t, err)
	assert.False(t, owns)
}
