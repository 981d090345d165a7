package store

import (
	"context"
	"sync/atomic"
	"time"

	"gorm.io/gorm"
)

// changes counts what was written, here or by another server, so that what was
// read before can be told from what holds.
type changes struct {
	count    atomic.Int64
	watching atomic.Bool
}

// Count gives a number that is another one after every change. ok is false while
// changes by other servers would go unnoticed: nothing may be remembered then.
// A change made here counts before the call that made it returns.
func (s *Store) Count() (n int64, ok bool) {
	return s.changes.count.Load(), s.changes.watching.Load()
}

// counted has every write counted, once it is committed.
func (s *Store) counted(db *gorm.DB) error {
	count := func(*gorm.DB) { s.changes.count.Add(1) }
	const commit = "gorm:commit_or_rollback_transaction"
	for _, err := range []error{
		db.Callback().Create().After(commit).Register("incipit:count", count),
		db.Callback().Update().After(commit).Register("incipit:count", count),
		db.Callback().Delete().After(commit).Register("incipit:count", count),
	} {
		if err != nil {
			return err
		}
	}
	return nil
}

// Watch listens to what other servers change, until ctx ends. It connects anew
// when the line breaks.
func (s *Store) Watch(ctx context.Context) {
	for ctx.Err() == nil {
		s.listen(ctx)
		s.changes.watching.Store(false)
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *Store) listen(ctx context.Context) {
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return
	}
	// A connection that listens is of no other use: it is not given back.
	line := conn.Hijack()
	defer line.Close(context.WithoutCancel(ctx)) //nolint:errcheck // it is done with
	if _, err := line.Exec(ctx, "LISTEN incipit_changed"); err != nil {
		return
	}
	s.changes.count.Add(1)
	s.changes.watching.Store(true)
	for {
		if _, err := line.WaitForNotification(ctx); err != nil {
			return
		}
		s.changes.count.Add(1)
	}
}
