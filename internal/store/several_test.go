package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/intake"
	"incipit/internal/seal"
	"incipit/internal/store"
	"incipit/internal/testkit"
)

// What one process works on, no other does; when it is gone, however it went, another may.
func TestLeases(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	one, other := s.Leases(), s.Leases()
	t.Cleanup(func() { one.Close(ctx); other.Close(ctx) })
	take := func(l *store.Leases, id int64) (func(), bool) {
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
	require.Eventually(t, func() bool {
		_, ok := take(other, 3)
		return ok
	}, 10*time.Second, 10*time.Millisecond)
}

// After a crash every edition that is not done has a job again, and one only, however
// often servers start.
func TestResumeMakesOneJob(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	_, e := add(t, s, "tides")
	in := &intake.Intake{Store: s}
	waiting := func() (n int) {
		require.NoError(t, s.Pool.QueryRow(ctx, "SELECT count(*) FROM river_job WHERE kind = 'examine' AND state = 'available'").Scan(&n))
		return n
	}
	_, err := s.Pool.Exec(ctx, "UPDATE river_job SET state = 'running', attempt = 1, attempted_at = now() WHERE kind = 'examine'")
	require.NoError(t, err)
	for range 3 {
		_, err := in.Resume(ctx)
		require.NoError(t, err)
	}
	assert.Equal(t, 1, waiting(), "the one that runs may be of a server that is no more")
	_, err = s.Pool.Exec(ctx, "UPDATE editions SET state = 'failed' WHERE id = $1", e.ID)
	require.NoError(t, err)
	n, err := in.Resume(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
}

// Secrets for seals are the same for all servers, and renewed without losing what is
// sealed; signing secrets are closed at rest where the operator gives a secret.
func TestSecrets(t *testing.T) {
	address := testkit.Database(t)
	first, err := store.Open(t.Context(), address, store.Share(0))
	require.NoError(t, err)
	t.Cleanup(first.Close)
	second, err := store.Open(t.Context(), address, store.Share(0))
	require.NoError(t, err)
	t.Cleanup(second.Close)
	ctx := t.Context()
	a, err := first.SealSecrets(ctx)
	require.NoError(t, err)
	b, err := second.SealSecrets(ctx)
	require.NoError(t, err)
	require.Len(t, a, 1)
	assert.Equal(t, a, b)
	require.NoError(t, second.NewSealSecret(ctx))
	c, err := first.SealSecrets(ctx)
	require.NoError(t, err)
	require.Len(t, c, 2)
	assert.Equal(t, a[0], c[1], "the one before is kept")

	key, err := first.AddSigningKey(ctx, "portal")
	require.NoError(t, err)
	mine, err := seal.NewSecret()
	require.NoError(t, err)
	require.NoError(t, second.SealWith(ctx, mine))
	later, err := second.AddSigningKey(ctx, "school")
	require.NoError(t, err)
	for _, k := range []store.SigningKey{key, later} {
		got, err := second.SigningSecret(ctx, k.ID)
		require.NoError(t, err)
		assert.Equal(t, k.Secret, got)
		var rest []byte
		require.NoError(t, second.Pool.QueryRow(ctx, "SELECT secret FROM signing_keys WHERE id = $1", k.ID).Scan(&rest))
		assert.NotContains(t, string(rest), string(k.Secret))
		_, err = first.SigningSecret(ctx, k.ID)
		require.ErrorIs(t, err, store.ErrSealed, "without the operator's secret")
	}
	// Another secret before it: what is there is sealed anew, and opens.
	newer, err := seal.NewSecret()
	require.NoError(t, err)
	require.NoError(t, first.SealWith(ctx, newer, mine))
	require.NoError(t, second.SealWith(ctx, newer))
	got, err := second.SigningSecret(ctx, key.ID)
	require.NoError(t, err)
	assert.Equal(t, key.Secret, got)
}
