package app

import (
	"bytes"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/hashicorp/golang-lru/v2/expirable"
)

// calmSessions keeps sessions in the database, and writes one that stays as it is only
// now and then: each request puts its end off, by days. Whether there is a session is
// asked of the database each time.
type calmSessions struct {
	*pgxstore.PostgresStore
	written *expirable.LRU[string, []byte] // by token, what was written lately
}

const (
	mostWritten  = 10_000
	writtenEvery = 5 * time.Minute // by so much a session may end earlier
)

func newSessions(s *pgxstore.PostgresStore) calmSessions {
	return calmSessions{s, expirable.NewLRU[string, []byte](mostWritten, nil, writtenEvery)}
}

// Commit implements scs.Store.
func (c calmSessions) Commit(token string, b []byte, expiry time.Time) error {
	if last, ok := c.written.Get(token); ok && bytes.Equal(last, b) {
		return nil
	}
	if err := c.PostgresStore.Commit(token, b, expiry); err != nil {
		return err
	}
	c.written.Add(token, bytes.Clone(b))
	return nil
}

// Delete implements scs.Store.
func (c calmSessions) Delete(token string) error {
	c.written.Remove(token)
	return c.PostgresStore.Delete(token)
}
