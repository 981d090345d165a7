package placing_test

import (
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// What one statement reads of a placement is what each of the others read of it.
func TestAWholePlacement(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, e := testkit.Added(t, s, "tides")
	a := people.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.People.AddAccount(ctx, &a))
	p, err := s.Placing.Place(ctx, d.ID, placing.Start{Starter: "plan", Reason: "for the test", Patch: setting.PatchOf(setting.Padding, 3.0)})
	require.NoError(t, err)
	check := func() placing.Whole {
		t.Helper()
		w, err := s.Placing.Whole(ctx, p.ID)
		require.NoError(t, err)
		p, err := s.Placing.Placement(ctx, p.ID)
		require.NoError(t, err)
		assert.Equal(t, p, w.Placement)
		document, err := s.Library.Document(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, document, w.Document)
		edition, err := s.Library.CurrentEdition(ctx, d.ID)
		require.NoError(t, err)
		assert.Equal(t, edition, w.Edition)
		draft, err := s.Placing.Draft(ctx, p)
		require.NoError(t, err)
		assert.Equal(t, draft, w.Draft)
		house, err := s.Placing.House(ctx)
		require.NoError(t, err)
		assert.Equal(t, house, w.House)
		settings, err := s.Placing.DraftSettings(ctx, p)
		require.NoError(t, err)
		all, err := w.Settings()
		require.NoError(t, err)
		assert.Equal(t, settings, all)
		v, err := s.Placing.PublishedVersion(ctx, p)
		if err != nil {
			require.ErrorIs(t, err, database.ErrNotFound)
		}
		assert.Equal(t, v, w.Version)
		return w
	}
	assert.Zero(t, check().Version.Number)
	_, err = s.Placing.ShownByKey(ctx, p.Key)
	require.ErrorIs(t, err, database.ErrNotFound)
	require.NoError(t, s.Placing.Redraft(ctx, p.ID, 0, setting.PatchOf(setting.Padding, 5.0)))
	require.NoError(t, s.Placing.Publish(ctx, p.ID, e.ID, a.ID, setting.Default()))
	require.NoError(t, s.Placing.Move(ctx, p.ID, 1, "Maren", -1))
	w := check()
	assert.True(t, w.Draft.Redo && !w.Draft.Undo)
	shown, err := s.Placing.ShownByKey(ctx, p.Key)
	require.NoError(t, err)
	assert.Equal(t, placing.Shown{Placement: w.Placement, Document: w.Document, Edition: w.Edition, Version: w.Version}, shown)
	_, err = s.Placing.Whole(ctx, 99)
	require.ErrorIs(t, err, database.ErrNotFound)
}
