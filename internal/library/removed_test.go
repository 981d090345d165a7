package library_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// What was removed is put back as it was: address, drafts, what readers saw, history.
func TestARemovedDocumentIsPutBack(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, e := testkit.Added(t, s, "tides")
	p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	require.NoError(t, s.Placing.Publish(ctx, p.ID, e.ID, 0, setting.Default()))
	require.NoError(t, s.Library.RemoveDocument(ctx, d.ID, "Maren Oakes"))
	require.ErrorIs(t, s.Library.RemoveDocument(ctx, d.ID, "Piet Holm"), database.ErrNotFound, "once")
	_, err = s.Placing.PlacementByKey(ctx, p.Key)
	require.ErrorIs(t, err, database.ErrNotFound)
	_, err = s.Library.CurrentEdition(ctx, d.ID)
	require.ErrorIs(t, err, database.ErrNotFound)

	gone, err := s.Library.RemovedDocuments(ctx)
	require.NoError(t, err)
	require.Len(t, gone, 1)
	assert.Equal(t, []any{d.ID, "Maren Oakes", 1, 1}, []any{gone[0].ID, gone[0].RemovedBy, gone[0].Placements, gone[0].Published})
	assert.WithinDuration(t, time.Now().Add(30*24*time.Hour), gone[0].Until(), time.Minute)
	require.NoError(t, s.Library.ForgetRemoved(ctx, time.Now().Add(-library.KeptRemoved)))

	lost, err := s.Library.RestoreDocument(ctx, d.ID)
	require.NoError(t, err)
	assert.Empty(t, lost)
	_, err = s.Library.RestoreDocument(ctx, d.ID)
	require.ErrorIs(t, err, database.ErrNotFound, "it is there")
	back, err := s.Placing.PlacementByKey(ctx, p.Key)
	require.NoError(t, err)
	_, err = s.Placing.PublishedVersion(ctx, back)
	require.NoError(t, err)
}

// A record that has another document by now keeps that one.
func TestARecordIsNotTakenBack(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	record := "bird/17"
	place := func(name string) placing.Placement {
		d, _ := testkit.Added(t, s, name)
		p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
		require.NoError(t, err)
		require.NoError(t, s.Placing.SetRecord(ctx, p.ID, record))
		return p
	}
	first := place("tides")
	require.NoError(t, s.Library.RemoveDocument(ctx, first.DocumentID, ""))
	second := place("tides anew")
	lost, err := s.Library.RestoreDocument(ctx, first.DocumentID)
	require.NoError(t, err)
	assert.Equal(t, []string{record}, lost)
	has, err := s.Placing.PlacementByRecord(ctx, record)
	require.NoError(t, err)
	assert.Equal(t, second.ID, has.ID)
}
