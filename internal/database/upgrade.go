package database

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
)

// migrating is the lock that servers which start together wait for each other with.
const migrating = 0x1c1917

// ErrServed is a database whose schema is to be changed while a server of the version before
// runs on it: that one was not made for what comes.
var ErrServed = errors.New("other servers run on this database")

// goneWithin is how long a server that was killed may be there still: its connections end
// when its machine, or the network, says so.
const goneWithin = 10 * time.Second

// alone waits until no other server runs on the database, whose schema is to be changed, and
// says that one does where it goes on. Each process of Incipit that serves or works holds
// leases (see Leases), also those of versions that did not know this.
func alone(ctx context.Context, lock *pgxpool.Conn, at int64, schema int) error {
	const others = `SELECT count(DISTINCT pid) FROM pg_locks WHERE locktype = 'advisory' AND granted AND pid <> pg_backend_pid()
		AND database = (SELECT oid FROM pg_database WHERE datname = current_database())
		AND NOT (classid = 0 AND objid = $1 AND objsubid = 1)`
	tick := time.NewTicker(500 * time.Millisecond)
	defer tick.Stop()
	for begun := time.Now(); ; {
		n := 0
		if err := lock.QueryRow(ctx, others, migrating).Scan(&n); err != nil {
			return fmt.Errorf("look for other servers: %w", err)
		}
		if n == 0 {
			return nil
		}
		if time.Since(begun) > goneWithin {
			return fmt.Errorf("%w (%d): this version changes the schema from number %d to %d, which they were not made for. "+
				"Stop all of them, then start one of this version. Nothing was changed", ErrServed, n, at, schema)
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("wait for other servers to end: %w", ctx.Err())
		case <-tick.C:
		}
	}
}
