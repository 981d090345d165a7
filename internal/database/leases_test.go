package database_test

import (
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/database"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// What one process works on, no other does; when it is gone, however it went, another may.
func TestLeases(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	one, other := s.DB.Leases(), s.DB.Leases()
	t.Cleanup(func() { one.Close(ctx); other.Close(ctx) })
	take := func(l *database.Leases, id int64) (func(), bool) {
		t.Helper()
		release, ok, err := l.Take(ctx, "examine", id)
		require.NoError(t, err)
		return release, ok
	}
	release, ok := take(one, 1)
	require.True(t, ok)
	_, ok = take(one, 1)
	assert.False(t, ok, "nor does the same one twice")
	_, ok = take(other, 1)
	assert.False(t, ok)
	giveBack, ok := take(other, 2)
	assert.True(t, ok, "another thing")
	release()
	again, ok := take(other, 1)
	assert.True(t, ok)
	again()
	giveBack()

	_, ok = take(one, 3)
	require.True(t, ok)
	one.Close(ctx) // as if it were killed
	patience.Until(t, func() bool {
		_, ok := take(other, 3)
		return ok
	})
	// Given back, they can be taken again; ended, they cannot: no connection stays behind.
	_, ok = take(one, 4)
	assert.True(t, ok)
	one.End(ctx)
	_, _, err := one.Take(ctx, "examine", 5)
	require.Error(t, err)
}
