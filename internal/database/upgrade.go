package database

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
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

// ErrNoTables is a database that no program of ours has brought to a schema yet.
var ErrNoTables = errors.New("the database has no tables of Incipit yet")

// Current says, by its error, that a database's schema is not the one of this program, and
// which command comes first.
func Current(ctx context.Context, address string) error {
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return fmt.Errorf("connect to the database: %w", err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	var there bool
	if err := conn.QueryRow(ctx, "SELECT to_regclass('goose_db_version') IS NOT NULL AND to_regclass('accounts') IS NOT NULL").Scan(&there); err != nil {
		return fmt.Errorf("look for the tables: %w", err)
	}
	if !there {
		return fmt.Errorf("%w: run incipit migrate first, or start a server, which does the same", ErrNoTables)
	}
	var at int
	if err := conn.QueryRow(ctx, "SELECT max(version_id) FROM goose_db_version WHERE is_applied").Scan(&at); err != nil {
		return fmt.Errorf("read the schema's number: %w", err)
	}
	const differ = "the database's schema is number %d, that of this program %d: %s"
	switch {
	case at < Newest():
		return fmt.Errorf(differ, at, Newest(), "run incipit migrate first, with all servers stopped")
	case at > Newest():
		return fmt.Errorf(differ, at, Newest(), "run the program that the database was last served by, or a later one")
	}
	return nil
}
