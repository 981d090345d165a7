package access

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestASealOfAViewer(t *testing.T) {
	secret, other := []byte("of this house, thirty-two bytes."), []byte("of another one, thirty-two bytes")
	now := time.Date(2026, 12, 2, 9, 59, 0, 0, time.UTC)
	seal := Stood(secret, "tides", "https://a.example", now)
	assert.Len(t, seal, 16)
	assert.Equal(t, seal, Stood(secret, "tides", "https://a.example", now.Add(-50*time.Minute)), "the same all hour")
	assert.True(t, StoodAt(seal, "tides", "https://a.example", now, other, secret), "of the secret before, too")
	assert.True(t, StoodAt(seal, "tides", "https://a.example", now.Add(time.Hour), secret))
	assert.False(t, StoodAt(seal, "tides", "https://a.example", now.Add(2*time.Hour), secret), "it has ended")
	assert.False(t, StoodAt(seal, "tides", "https://a.example", now.Add(-time.Hour), secret), "it has not begun")
	assert.False(t, StoodAt(seal, "reeds", "https://a.example", now, secret))
	assert.False(t, StoodAt(seal, "tides", "https://b.example", now, secret))
	assert.False(t, StoodAt(seal, "tides", "https://a.example", now, other))
	assert.False(t, StoodAt(seal, "tides", "https://a.example", now))
	assert.False(t, StoodAt("", "tides", "https://a.example", now, secret))
}
