package database

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"sync"

	"github.com/jackc/pgx/v5"
)

// Leases are what this process works on alone, of all on one database: advisory locks of
// PostgreSQL, which end with the process, however it ends. All are held by one connection
// of their own.
type Leases struct {
	config *pgx.ConnConfig
	mu     sync.Mutex
	conn   *pgx.Conn
	held   map[int64]bool
	ended  bool
}

// Leases makes them. They are ended by Close.
func (s *DB) Leases() *Leases { return &Leases{config: s.look, held: map[int64]bool{}} }

// Take takes a lease of something, by its kind and number, and gives how it is given
// back; ok is false where somebody else has it.
func (l *Leases) Take(ctx context.Context, kind string, id int64) (release func(), ok bool, err error) {
	h := fnv.New64a()
	fmt.Fprintf(h, "incipit %s %d", kind, id)
	key := int64(h.Sum64()) //nolint:gosec // any number will do
	asked := ctx
	// A database that hangs must not keep others from giving theirs back.
	ctx, cancel := context.WithTimeout(ctx, joinWithin)
	defer cancel()
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.held[key] {
		return nil, false, nil
	}
	if err := l.join(ctx); err != nil {
		return nil, false, err
	}
	if err := l.conn.QueryRow(ctx, "SELECT pg_try_advisory_lock($1)", key).Scan(&ok); err != nil {
		return nil, false, fmt.Errorf("take a lease of %s %d: %w", kind, id, err)
	}
	if !ok {
		return nil, false, nil
	}
	l.held[key] = true
	return func() { l.release(context.WithoutCancel(asked), key) }, true, nil
}

// join connects, anew where the line broke; what was held is taken again, unless somebody
// was faster: then two are at the same for once, which does no harm.
func (l *Leases) join(ctx context.Context) error {
	if l.ended {
		return errors.New("leases were given back for good")
	}
	if l.conn != nil && !l.conn.IsClosed() {
		return nil
	}
	conn, err := pgx.ConnectConfig(ctx, l.config)
	if err != nil {
		return fmt.Errorf("connect for leases: %w", err)
	}
	l.conn = conn
	for key := range l.held {
		var ok bool
		if err := conn.QueryRow(ctx, "SELECT pg_try_advisory_lock($1)", key).Scan(&ok); err != nil {
			return fmt.Errorf("take leases again: %w", err)
		}
	}
	return nil
}

func (l *Leases) release(ctx context.Context, key int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.held, key)
	if l.conn == nil || l.conn.IsClosed() {
		return
	}
	ctx, cancel := context.WithTimeout(ctx, lookWithin)
	defer cancel()
	if _, err := l.conn.Exec(ctx, "SELECT pg_advisory_unlock($1)", key); err != nil {
		_ = l.conn.Close(ctx) // which ends them all; those that are held are taken again
	}
}

// Close ends all leases.
func (l *Leases) Close(ctx context.Context) {
	l.mu.Lock()
	defer l.mu.Unlock()
	clear(l.held)
	if l.conn != nil {
		_ = l.conn.Close(ctx)
	}
}

// End ends all leases, and gives none from then on.
func (l *Leases) End(ctx context.Context) {
	l.mu.Lock()
	l.ended = true
	l.mu.Unlock()
	l.Close(ctx)
}
