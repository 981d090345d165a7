// Package recall remembers what readers see, by key, for as long as nothing has
// changed: an answer then needs no question to the database. A change that is made here
// holds from the moment it is made; one that another server makes, when the database
// has told of it. While the database cannot be asked, nobody can have changed anything
// through it, and what was known last is served for a while: MostAway.
package recall

import (
	"errors"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"incipit/internal/database"
)

// MostAway is how long something is served from memory while the database is away.
// Another server may still reach it: a change made there is not seen here for that long
// at most.
const MostAway = 10 * time.Minute

// Known is what is remembered.
type Known[V any] struct {
	kept    *lru.Cache[string, *entry[V]] // never changed: they are many hundred bytes
	changes func() (int64, bool)
	now     func() time.Time
}

// entry is what was read, and at which count of changes.
type entry[V any] struct {
	count int64
	value V
	at    time.Time // when it was last known to hold
	until time.Time // when it will change by itself, or zero
}

// New remembers so many things; changes gives a number that is another one after every
// change, and whether that can be relied on (see database.DB.Count).
func New[V any](most int, changes func() (int64, bool)) *Known[V] {
	kept, err := lru.New[string, *entry[V]](most)
	if err != nil {
		panic(err) // the size is above zero
	}
	return &Known[V]{kept, changes, time.Now}
}

// Of gives what a key means, reading it if need be; read also says when that will change
// by itself, or a zero time.
func (k *Known[V]) Of(key string, read func() (V, time.Time, error)) (V, error) {
	count, ok := k.changes()
	last, known := k.kept.Get(key)
	now := k.now()
	holds := known && (last.until.IsZero() || now.Before(last.until))
	if ok && holds && last.count == count {
		if now.Sub(last.at) > time.Minute {
			later := *last
			later.at = now
			k.kept.Add(key, &later)
		}
		return last.value, nil
	}
	value, until, err := read()
	switch {
	case err == nil:
		// What changed while it was read makes the count another one: it is read
		// again then. While changes would go unnoticed, it is no count at all.
		if !ok {
			count = -1
		}
		k.kept.Add(key, &entry[V]{count, value, k.now(), until})
	case database.Away(err) && holds && now.Sub(last.at) < MostAway:
		return last.value, nil
	case errors.Is(err, database.ErrNotFound):
		k.kept.Remove(key)
	}
	return value, err
}
