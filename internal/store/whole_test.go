package store_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/store"
)

// What one statement reads of a placement is what each of the others read of it.
func TestAWholePlacement(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	d, e := add(t, s, "tides")
	a := store.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.AddAccount(ctx, &a))
	p, err := s.Place(ctx, d.ID, store.Start{Starter: "plan", Reason: "for the test", Patch: setting.PatchOf(setting.Padding, 3.0)})
	require.NoError(t, err)
	check := func() store.Whole {
		t.Helper()
		w, err := s.Whole(ctx, p.ID)
		require.NoError(t, err)
		p, err := s.Placement(ctx, p.ID)
		require.NoError(t, err)
		assert.Equal(t, p, w.Placement)
		document, err := s.Document(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, document, w.Document)
		edition, err := s.LatestEdition(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, edition, w.Edition)
		draft, err := s.Draft(ctx, p)
		require.NoError(t, err)
		assert.Equal(t, draft, w.Draft)
		house, err := s.House(ctx)
		require.NoError(t, err)
		assert.Equal(t, house, w.House)
		settings, err := s.DraftSettings(ctx, p)
		require.NoError(t, err)
		all, err := w.Settings()
		require.NoError(t, err)
		assert.Equal(t, settings, all)
		v, err := s.PublishedVersion(ctx, p)
		if err != nil {
			require.ErrorIs(t, err, store.ErrNotFound)
		}
		assert.Equal(t, v, w.Version)
		return w
	}
	assert.Zero(t, check().Version.Number)
	_, err = s.ShownByKey(ctx, p.Key)
	require.ErrorIs(t, err, store.ErrNotFound)
	require.NoError(t, s.Redraft(ctx, p.ID, 0, setting.PatchOf(setting.Padding, 5.0)))
	require.NoError(t, s.Publish(ctx, p.ID, e.ID, a.ID, setting.Default()))
	require.NoError(t, s.Move(ctx, p.ID, 1, "Maren", -1))
	w := check()
	assert.True(t, w.Draft.Redo && !w.Draft.Undo)
	shown, err := s.ShownByKey(ctx, p.Key)
	require.NoError(t, err)
	assert.Equal(t, store.Shown{Placement: w.Placement, Document: w.Document, Edition: w.Edition, Version: w.Version}, shown)
	_, err = s.Whole(ctx, 99)
	require.ErrorIs(t, err, store.ErrNotFound)
}
