// Package database is the connection to PostgreSQL, through GORM: its pools, its
// migrations, whether it answers, what was changed by anybody, leases, and secrets that
// all servers share.
//
// What is kept there belongs to the nouns of the house (library, placing, publishing,
// people): each owns its tables and has methods for what is done with them, each one
// transaction. Jobs are inserted in the transaction of the row they are about (River), so
// that neither exists without the other.
package database

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverdatabasesql"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Migrations are the SQL files of the schema.
func Migrations() fs.FS {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return sub
}

// DB is the database, through connections of its own: those for screens and
// readers, those for jobs and those for searches are apart, so that none of
// these keeps the others waiting.
type DB struct {
	Pool *pgxpool.Pool
	db   *gorm.DB
	sql  *sql.DB
	jobs *river.Client[*sql.Tx]

	search *pgxpool.Pool // for looking through texts
	asked  *atomic.Int64 // statements, without those that begin and end transactions
	look   *pgx.ConnConfig
	*shared
}

// shared is what all DBs on one database have in common.
type shared struct {
	changes changes
	away    atomic.Bool
	// answered is when a statement was answered last (nanoseconds since 1970), and
	// late how many looks in a row took too long.
	answered atomic.Int64
	late     atomic.Int32
}

// ErrNotFound is given where a row does not exist.
var ErrNotFound = errors.New("there is no such thing")

// Connections are how many a DB may have of each kind.
type Connections struct{ Front, Jobs, Queue, Search int }

// Share parts a number of connections, of which two are used to look whether the
// database answers and to hear of changes.
func Share(all int) Connections {
	c := Connections{Jobs: max(all/8, 2), Queue: max(all*3/16, 3), Search: max(all/8, 2)}
	c.Front = max(all-c.Jobs-c.Queue-c.Search-2, 3)
	return c
}

// Open connects to a database that has been migrated.
func Open(ctx context.Context, address string, c Connections) (*DB, error) {
	s, err := open(ctx, address, c.Front, frontWithin, &shared{})
	if err != nil {
		return nil, err
	}
	config, err := pgxpool.ParseConfig(address)
	if err != nil {
		s.Close()
		return nil, fmt.Errorf("read the database's address: %w", err)
	}
	s.look = config.ConnConfig
	if s.search, err = pooled(ctx, address, c.Search, patience{s.shared, frontWithin, new(atomic.Int64)}); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// ForJobs gives a DB on the same database with connections of its own, which
// may take their time. It is closed by itself.
func (s *DB) ForJobs(ctx context.Context, address string, connections int) (*DB, error) {
	return open(ctx, address, connections, jobsWithin, s.shared)
}

func pooled(ctx context.Context, address string, connections int, p patience) (*pgxpool.Pool, error) {
	config, err := pgxpool.ParseConfig(address)
	if err != nil {
		return nil, fmt.Errorf("read the database's address: %w", err)
	}
	config.MaxConns = int32(connections) //nolint:gosec // a few hundred at most
	config.ConnConfig.ConnectTimeout = joinWithin
	config.ConnConfig.Tracer = p
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	return pool, nil
}

func open(ctx context.Context, address string, connections int, within time.Duration, with *shared) (*DB, error) {
	asked := new(atomic.Int64)
	pool, err := pooled(ctx, address, connections, patience{with, within, asked})
	if err != nil {
		return nil, err
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	conn := stdlib.OpenDBFromPool(pool)
	conn.SetMaxIdleConns(0)
	db, err := gorm.Open(postgres.New(postgres.Config{Conn: conn}), &gorm.Config{
		TranslateError: true,
		Logger:         logger.Default.LogMode(logger.Silent),
		NowFunc:        func() time.Time { return time.Now().UTC() },
	})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("open the database: %w", err)
	}
	jobs, err := river.NewClient(riverdatabasesql.New(conn), &river.Config{})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("open the job queue: %w", err)
	}
	s := &DB{Pool: pool, db: db, sql: conn, jobs: jobs, search: pool, asked: asked, shared: with}
	if err := s.counted(db); err != nil {
		pool.Close()
		return nil, fmt.Errorf("count changes: %w", err)
	}
	return s, nil
}

// Asked counts the statements that were asked of the database, without those that begin
// and end transactions.
func (s *DB) Asked() int64 { return s.asked.Load() }

// Close gives the connections back.
func (s *DB) Close() {
	s.sql.Close()
	s.Pool.Close()
	if s.search != nil && s.search != s.Pool {
		s.search.Close()
	}
}

// Migrate brings a database to the newest schema: ours, and River's. Servers
// that start together wait for each other.
func Migrate(ctx context.Context, address string) error { return MigrateTo(ctx, address, Newest()) }

// MigrateTo is Migrate as far as a schema of ours.
func MigrateTo(ctx context.Context, address string, schema int) error {
	pool, err := pgxpool.New(ctx, address)
	if err != nil {
		return fmt.Errorf("connect to the database: %w", err)
	}
	defer pool.Close()
	lock, err := pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("connect to the database: %w", err)
	}
	defer lock.Release()
	if _, err := lock.Exec(ctx, "SELECT pg_advisory_lock($1)", migrating); err != nil {
		return fmt.Errorf("wait for other migrations: %w", err)
	}
	defer func() {
		_, _ = lock.Exec(context.WithoutCancel(ctx), "SELECT pg_advisory_unlock($1)", migrating)
	}()
	db := stdlib.OpenDBFromPool(pool)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, Migrations())
	if err != nil {
		return fmt.Errorf("read the migrations: %w", err)
	}
	if at, newest, err := versions(ctx, provider); err != nil {
		return err
	} else if at > newest {
		return fmt.Errorf("the database is newer than this program: its schema is number %d, the newest that is known here %d; start the version that was run last, or a later one", at, newest)
	}
	at, _, err := versions(ctx, provider)
	if err != nil {
		return err
	}
	if at > 0 && at < int64(schema) {
		if err := alone(ctx, lock, at, schema); err != nil {
			return err
		}
	}
	if _, err := provider.UpTo(ctx, int64(schema)); err != nil {
		return fmt.Errorf("migrate the database: %w", err)
	}
	queue, err := rivermigrate.New(riverpgxv5.New(pool), nil)
	if err != nil {
		return fmt.Errorf("read the job queue's migrations: %w", err)
	}
	if _, err := queue.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrate the job queue: %w", err)
	}
	return nil
}

// versions gives the number of the database's schema and of the newest known.
func versions(ctx context.Context, p *goose.Provider) (at, newest int64, err error) {
	if at, err = p.GetDBVersion(ctx); err != nil {
		return 0, 0, fmt.Errorf("read the schema's number: %w", err)
	}
	for _, source := range p.ListSources() {
		newest = max(newest, source.Version)
	}
	return at, newest, nil
}

// Newest is the number of the schema that this program works on.
func Newest() int {
	entries, err := fs.ReadDir(Migrations(), ".")
	if err != nil {
		return 0
	}
	return len(entries)
}

// WithContext gives GORM for statements that go with ctx.
func (s *DB) WithContext(ctx context.Context) *gorm.DB { return s.db.WithContext(ctx) }

// Search gives the connections for looking through texts, which are few and apart.
func (s *DB) Search() *pgxpool.Pool { return s.search }

// ErrUncertain is a transaction of which the database did not say whether it was kept: the
// connection ended while it was. Nothing that it may have named is to be removed.
var ErrUncertain = errors.New("the database did not say whether it was kept")

// In runs f in one transaction. An error of f undoes it; where its end got no answer, the
// error is an ErrUncertain.
func (s *DB) In(ctx context.Context, f func(tx *gorm.DB) error) error {
	done := false
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		err := f(tx)
		done = err == nil
		return err
	})
	s.changes.count.Add(1)
	if err != nil && done && !undone(err) && !errors.Is(err, sql.ErrTxDone) { // which was never asked to be kept
		return fmt.Errorf("%w: %w", ErrUncertain, err)
	}
	return err
}

// undone says whether the database itself said that a transaction was not kept. What ends
// the connection (severity FATAL) may come when it was kept already.
func undone(err error) bool {
	var told *pgconn.PgError
	return errors.As(err, &told) && told.Severity == "ERROR"
}

// Enqueue inserts a job in the transaction of tx.
func (s *DB) Enqueue(ctx context.Context, tx *gorm.DB, job river.JobArgs) error {
	conn, ok := tx.Statement.ConnPool.(*sql.Tx)
	if !ok {
		return errors.New("a job needs a transaction")
	}
	if _, err := s.jobs.InsertTx(ctx, conn, job, nil); err != nil {
		return fmt.Errorf("insert job %s: %w", job.Kind(), err)
	}
	return nil
}

// Found turns GORM's missing row into ours, and says what was looked for.
func Found(err error, what string) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gorm.ErrRecordNotFound):
		return fmt.Errorf("%s: %w", what, ErrNotFound)
	}
	return fmt.Errorf("%s: %w", what, err)
}
