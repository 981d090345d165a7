package reader

import (
	lru "github.com/hashicorp/golang-lru/v2"
)

// remembered are placements as readers see them, by key, for as long as nothing
// has changed: a page image is then sent without a question to the database. A
// change that is made here holds from the moment it is made; one that another
// server makes, when the database has told of it.
type remembered struct {
	known   *lru.Cache[string, seenAt]
	changes func() (int64, bool)
}

// seenAt is what was read, and at which count of changes.
type seenAt struct {
	count int64
	shown shown
}

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
	if !ok {
		return read()
	}
	if s, known := r.known.Get(key); known && s.count == count {
		return s.shown, nil
	}
	s, err := read()
	if err == nil {
		// What changed while it was read makes the count another one: it is read
		// again then.
		r.known.Add(key, seenAt{count, s})
	}
	return s, err
}
