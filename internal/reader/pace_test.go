package reader

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Who guesses passwords is slowed down; who comes from elsewhere is not, until
// there are very many.
func TestGuessingIsSlowedWhereItComesFrom(t *testing.T) {
	s := newSeals(nil)
	allowed := func(base, from string, tries int) int {
		n := 0
		for range tries {
			if s.mayTry(base, from) {
				n++
			}
		}
		return n
	}
	assert.Equal(t, 5, allowed("/r/a", "192.0.2.1", 8))
	assert.Equal(t, 5, allowed("/r/a", "192.0.2.2", 8), "another reader of the same document")
	assert.Equal(t, 5, allowed("/r/b", "192.0.2.1", 8), "another document")
	many := 0
	for i := range 40 {
		many += allowed("/r/c", string(rune('a'+i)), 5)
	}
	assert.Less(t, many, 80, "guessing from everywhere has an end, too")
	assert.GreaterOrEqual(t, many, 60)
}
