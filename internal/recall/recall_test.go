package recall

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"incipit/internal/database"
)

func TestWhatIsKnownHoldsUntilSomethingChanges(t *testing.T) {
	count, ok := int64(1), true
	now := time.Now()
	k := New[int](2, func() (int64, bool) { return count, ok })
	k.now = func() time.Time { return now }
	reads, value, until, fails := 0, 7, time.Time{}, error(nil)
	ask := func(key string) (int, error) {
		return k.Of(key, func() (int, time.Time, error) {
			reads++
			return value, until, fails
		})
	}
	expect := func(want, wantReads int, why string) {
		t.Helper()
		got, err := ask("a")
		assert.NoError(t, err)
		assert.Equal(t, []int{want, wantReads}, []int{got, reads}, why)
	}
	expect(7, 1, "it is read once")
	value = 8
	expect(7, 1, "and known then")
	count++
	expect(8, 2, "until something changes")
	ok, value = false, 9
	expect(9, 3, "while changes go unnoticed, nothing is known")
	ok = true
	expect(9, 4, "nor is what was read then")
	until, value = now.Add(time.Hour), 10
	count++
	expect(10, 5, "it may change by itself")
	value = 11
	expect(10, 5, "later")
	now, until = now.Add(2*time.Hour), time.Time{}
	expect(11, 6, "and has")

	fails = database.ErrAway
	count++
	got, err := ask("a")
	assert.NoError(t, err)
	assert.Equal(t, 11, got, "what was known last is served while the database is away")
	now = now.Add(MostAway + 2*time.Minute)
	_, err = ask("a")
	assert.ErrorIs(t, err, database.ErrAway, "for a while")
	fails = errors.Join(database.ErrNotFound)
	_, err = ask("a")
	assert.ErrorIs(t, err, database.ErrNotFound)
	fails = database.ErrAway
	_, err = ask("a")
	assert.ErrorIs(t, err, database.ErrAway, "what is gone is forgotten")
}
