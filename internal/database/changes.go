package database

import (
	"context"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
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
func (s *DB) Count() (n int64, ok bool) {
	return s.changes.count.Load(), s.changes.watching.Load()
}

// counted has every write counted, once it is committed.
func (s *DB) counted(db *gorm.DB) error {
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
func (s *DB) Watch(ctx context.Context) {
	go s.lookNowAndThen(ctx)
	for ctx.Err() == nil {
		s.listen(ctx)
		s.changes.watching.Store(false)
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *DB) listen(ctx context.Context) {
	joining, cancel := context.WithTimeout(ctx, joinWithin)
	line, err := pgx.ConnectConfig(joining, s.look)
	cancel()
	if err != nil {
		return
	}
	defer line.Close(context.WithoutCancel(ctx)) //nolint:errcheck // it is done with
	if _, err := line.Exec(ctx, "LISTEN incipit_changed"); err != nil {
		return
	}
	s.changes.count.Add(1)
	s.changes.watching.Store(true)
	for {
		// A line that is silent for long is tried: one that hangs would hide
		// changes.
		waiting, cancel := context.WithTimeout(ctx, 5*lookEvery)
		_, err := line.WaitForNotification(waiting)
		cancel()
		switch {
		case err == nil:
			s.changes.count.Add(1)
		case waiting.Err() == nil || ctx.Err() != nil:
			return
		default:
			trying, cancel := context.WithTimeout(ctx, lookWithin)
			err := line.Ping(trying)
			cancel()
			if err != nil {
				return
			}
		}
	}
}
