package seal_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/seal"
)

func secret(t *testing.T) []byte {
	t.Helper()
	b, err := seal.NewSecret()
	require.NoError(t, err)
	return b
}

// What was sealed is opened by whoever has its key, for the same purpose and about the
// same, and by nobody else; a changed byte opens nothing.
func TestSeals(t *testing.T) {
	old, now := secret(t), secret(t)
	before, err := seal.NewRing("passwords", old)
	require.NoError(t, err)
	after, err := seal.NewRing("passwords", now, old)
	require.NoError(t, err)
	later, err := seal.NewRing("passwords", now)
	require.NoError(t, err)
	other, err := seal.NewRing("tokens", now, old)
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(15, 6))
	for range 200 {
		text := make([]byte, r.IntN(60))
		for i := range text {
			text[i] = byte(r.Uint32())
		}
		first, err := before.Seal("tides", text)
		require.NoError(t, err)
		again, err := before.Seal("tides", text)
		require.NoError(t, err)
		assert.NotEqual(t, first, again)
		got, err := after.Open("tides", first)
		require.NoError(t, err, "keys are changed while seals are about")
		assert.Equal(t, string(text), string(got))
		assert.False(t, after.Newest(first))
		_, err = later.Open("tides", first)
		require.ErrorIs(t, err, seal.ErrKey, "the key is gone")
		_, err = other.Open("tides", first)
		require.ErrorIs(t, err, seal.ErrKey, "a purpose has keys of its own")
		_, err = after.Open("marsh", first)
		require.ErrorIs(t, err, seal.ErrSeal)
		first[r.IntN(len(first))] ^= 1 << r.IntN(8)
		_, err = after.Open("tides", first)
		require.Error(t, err)
		_, err = after.Open("tides", first[:r.IntN(len(first))])
		require.Error(t, err)
	}
	_, err = seal.NewRing("passwords", []byte("short"))
	require.Error(t, err)
	_, err = seal.NewRing("passwords")
	require.Error(t, err)
}
