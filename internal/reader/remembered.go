package reader

import (
	"errors"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"incipit/internal/store"
)

// remembered are placements as readers see them, by key, for as long as nothing
// has changed: a page image is then sent without a question to the database. A
// change that is made here holds from the moment it is made; one that another
// server makes, when the database has told of it. While the database cannot be
// asked, nobody can have changed anything through it, and what was known last is
// served for a while: mostAway.
type remembered struct {
	known   *lru.Cache[string, seenAt]
	changes func() (int64, bool)
}

// seenAt is what was read, and at which count of changes.
type seenAt struct {
	count int64
	shown shown
	at    time.Time // when it was last known to hold
}

// mostAway is how long a placement is served from memory while the database is
// away. Another server may still reach it: a change made there is not seen here
// for that long at most.
const mostAway = 10 * time.Minute

// mostRemembered bounds it: a document of 1,300 pages takes 200 KB.
const mostRemembered = 200

func remember(changes func() (int64, bool)) *remembered {
	known, err := lru.New[string, seenAt](mostRemembered)
	if err != nil {
		panic(err) // the size is above zero
	}
	return &remembered{known, changes}
}

// of gives what a key means, reading it if need be.
func (r *remembered) of(key string, read func() (shown, error)) (shown, error) {
	count, ok := r.changes()
	last, known := r.known.Get(key)
	if ok && known && last.count == count {
		if now := time.Now(); now.Sub(last.at) > time.Minute {
			last.at = now
			r.known.Add(key, last)
		}
		return last.shown, nil
	}
	s, err := read()
	switch {
	case err == nil:
		// What changed while it was read makes the count another one: it is read
		// again then. While changes would go unnoticed, it is no count at all.
		if !ok {
			count = -1
		}
		r.known.Add(key, seenAt{count, s, time.Now()})
	case store.Away(err) && known && time.Since(last.at) < mostAway:
		return last.shown, nil
	case errors.Is(err, store.ErrNotFound):
		r.known.Remove(key)
	}
	return s, err
}
