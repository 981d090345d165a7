package main

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/database"
	"incipit/internal/testkit"
	"incipit/internal/testkit/pace"
)

// A version that changes the schema does not while a server of the one before runs, which
// could not work with it: it says so, changes nothing, and goes on once that one has ended.
func TestServersStopBeforeTheSchemaChanges(t *testing.T) {
	pace.Long(t)
	address := testkit.EmptyDatabase(t)
	require.NoError(t, database.MigrateTo(t.Context(), address, database.Newest()-1))
	before, err := database.Open(t.Context(), address, database.Share(40))
	require.NoError(t, err)
	t.Cleanup(before.Close)
	leases := before.Leases()
	require.NoError(t, leases.Serving(t.Context(), "a server of the version before"))
	at := func() (schema int) {
		require.NoError(t, before.Pool.QueryRow(t.Context(), "SELECT max(version_id) FROM goose_db_version WHERE is_applied").Scan(&schema))
		return schema
	}
	c := testkit.Config(t, freeAddress(t), nil)
	t.Setenv("INCIPIT_DATABASE_URL", address)
	t.Setenv("INCIPIT_BLOB_URL", c.BlobURL)
	t.Setenv("INCIPIT_ADDRESS", c.Address)
	for _, command := range []string{"migrate", "serve"} {
		_, errs, code := shell(t, command)
		assert.Equal(t, 1, code, command)
		assert.Contains(t, errs, "Stop all of them, then start one of this version. Nothing was changed", command)
		assert.Equal(t, database.Newest()-1, at(), command)
	}
	leases.Close(t.Context())
	out, errs, code := shell(t, "migrate")
	require.Zero(t, code, errs)
	assert.Contains(t, out, "The database has schema")
	assert.Equal(t, database.Newest(), at())
}
