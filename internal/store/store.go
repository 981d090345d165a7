// Package store keeps Incipit's rows in PostgreSQL, through GORM.
//
// A Store has methods for what the house does (add a document, change a draft,
// publish), each one transaction. Jobs are inserted in the transaction of the
// row they are about (River), so that neither exists without the other.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

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

// Store is the database.
type Store struct {
	Pool *pgxpool.Pool
	db   *gorm.DB
	sql  *sql.DB
	jobs *river.Client[*sql.Tx]

	changes changes
}

// ErrNotFound is given where a row does not exist.
var ErrNotFound = errors.New("there is no such thing")

// Open connects to a database that has been migrated.
func Open(ctx context.Context, address string) (*Store, error) {
	pool, err := pgxpool.New(ctx, address)
	if err != nil {
		return nil, fmt.Errorf("connect to the database: %w", err)
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
	s := &Store{Pool: pool, db: db, sql: conn, jobs: jobs}
	if err := s.counted(db); err != nil {
		pool.Close()
		return nil, fmt.Errorf("count changes: %w", err)
	}
	return s, nil
}

// Close gives the connections back.
func (s *Store) Close() {
	s.sql.Close()
	s.Pool.Close()
}

// Migrate brings a database to the newest schema: ours, and River's. Servers
// that start together wait for each other.
func Migrate(ctx context.Context, address string) error {
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
	const migrating = 0x1c1917
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
	if _, err := provider.Up(ctx); err != nil {
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

// in runs f in one transaction.
func (s *Store) in(ctx context.Context, f func(tx *gorm.DB) error) error {
	err := s.db.WithContext(ctx).Transaction(f)
	s.changes.count.Add(1)
	return err
}

// enqueue inserts a job in the transaction of tx.
func (s *Store) enqueue(ctx context.Context, tx *gorm.DB, job river.JobArgs) error {
	conn, ok := tx.Statement.ConnPool.(*sql.Tx)
	if !ok {
		return errors.New("a job needs a transaction")
	}
	if _, err := s.jobs.InsertTx(ctx, conn, job, nil); err != nil {
		return fmt.Errorf("insert job %s: %w", job.Kind(), err)
	}
	return nil
}

// found turns GORM's missing row into ours, and says what was looked for.
func found(err error, what string) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, gorm.ErrRecordNotFound):
		return fmt.Errorf("%s: %w", what, ErrNotFound)
	}
	return fmt.Errorf("%s: %w", what, err)
}
