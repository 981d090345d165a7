package placing_test

import (
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/database"
	"incipit/internal/nouns"
	"incipit/internal/placing"
	"incipit/internal/seal"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// Secrets for seals are the same for all servers, and renewed without losing what is
// sealed; signing secrets are closed at rest where the operator gives a secret.
func TestSecrets(t *testing.T) {
	address := testkit.Database(t)
	first, err := nouns.Open(t.Context(), address, database.Share(0))
	require.NoError(t, err)
	t.Cleanup(first.DB.Close)
	second, err := nouns.Open(t.Context(), address, database.Share(0))
	require.NoError(t, err)
	t.Cleanup(second.DB.Close)
	ctx := t.Context()
	a, err := first.DB.SealSecrets(ctx)
	require.NoError(t, err)
	b, err := second.DB.SealSecrets(ctx)
	require.NoError(t, err)
	require.Len(t, a, 1)
	assert.Equal(t, a, b)
	require.NoError(t, second.DB.NewSealSecret(ctx))
	c, err := first.DB.SealSecrets(ctx)
	require.NoError(t, err)
	require.Len(t, c, 2)
	assert.Equal(t, a[0], c[1], "the one before is kept")

	key, err := first.Placing.AddSigningKey(ctx, "portal")
	require.NoError(t, err)
	mine, err := seal.NewSecret()
	require.NoError(t, err)
	require.NoError(t, second.Placing.SealWith(ctx, mine))
	later, err := second.Placing.AddSigningKey(ctx, "school")
	require.NoError(t, err)
	for _, k := range []placing.SigningKey{key, later} {
		got, err := second.Placing.SigningSecret(ctx, k.ID)
		require.NoError(t, err)
		assert.Equal(t, k.Secret, got)
		var rest []byte
		require.NoError(t, second.DB.Pool.QueryRow(ctx, "SELECT secret FROM signing_keys WHERE id = $1", k.ID).Scan(&rest))
		assert.NotContains(t, string(rest), string(k.Secret))
		_, err = first.Placing.SigningSecret(ctx, k.ID)
		require.ErrorIs(t, err, placing.ErrSealed, "without the operator's secret")
		sealed, err := first.Placing.Sealed(ctx)
		require.NoError(t, err)
		assert.Equal(t, 2, sealed, "which is said at the start")
	}
	// Another secret before it: what is there is sealed anew, and opens.
	newer, err := seal.NewSecret()
	require.NoError(t, err)
	require.NoError(t, first.Placing.SealWith(ctx, newer, mine))
	require.NoError(t, second.Placing.SealWith(ctx, newer))
	got, err := second.Placing.SigningSecret(ctx, key.ID)
	require.NoError(t, err)
	assert.Equal(t, key.Secret, got)
}
