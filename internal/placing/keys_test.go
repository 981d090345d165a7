package placing_test

import (
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/access"
	"incipit/internal/testkit"
)

func TestSigningKeysAndUsedTokens(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	k, err := s.Placing.AddSigningKey(ctx, "portal")
	require.NoError(t, err)
	secret, err := s.Placing.SigningSecret(ctx, k.ID)
	require.NoError(t, err)
	assert.Len(t, secret, 32)
	list, err := s.Placing.SigningKeys(ctx)
	require.NoError(t, err)
	assert.Empty(t, list[0].Secret, "no list holds a secret")
	once := access.Token{KeyID: k.ID, ID: "visit", Until: time.Now().Add(time.Minute)}
	first, err := s.Placing.UseToken(ctx, once)
	require.NoError(t, err)
	assert.True(t, first)
	second, err := s.Placing.UseToken(ctx, once)
	require.NoError(t, err)
	assert.False(t, second)
	require.NoError(t, s.Placing.WithdrawSigningKey(ctx, k.ID))
	_, err = s.Placing.SigningSecret(ctx, k.ID)
	require.ErrorIs(t, err, access.ErrToken)
}
