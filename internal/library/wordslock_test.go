package library_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// Whose words are kept while somebody removes the edition: neither waits for the other for
// ever, and the one who removes gets it.
func TestWordsWaitForWhoRemoves(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, e := testkit.Added(t, s, "tides")
	tx, err := s.DB.Pool.Begin(ctx)
	require.NoError(t, err)
	defer func() { _ = tx.Rollback(ctx) }()
	_, err = tx.Exec(ctx, "SELECT FROM all_documents WHERE id = $1 FOR UPDATE", d.ID)
	require.NoError(t, err)
	kept := make(chan error, 1)
	go func() { kept <- s.Library.KeepWords(ctx, e) }()
	patience.Until(t, func() bool {
		var waiting int
		require.NoError(t, s.DB.Pool.QueryRow(ctx, "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'").Scan(&waiting))
		return waiting > 0
	})
	_, err = tx.Exec(ctx, "DELETE FROM editions WHERE id = $1", e.ID)
	require.NoError(t, err, "no deadlock")
	require.NoError(t, tx.Commit(ctx))
	assert.ErrorContains(t, <-kept, "keep the words")
}
