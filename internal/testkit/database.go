// Package testkit is what tests stand on: a real PostgreSQL, the real engine,
// the whole house on a loopback port, and a real browser that fails a test on
// anything a developer would see in its console.
package testkit

import (
	"context"
	"database/sql"
	"fmt"
	"hash/fnv"
	"io/fs"
	"net/url"
	"os"
	"sync"
	"sync/atomic"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib" // the database/sql driver "pgx"
	"github.com/stretchr/testify/require"

	"incipit/internal/cluster"
	"incipit/internal/database"
)

var (
	serverOnce sync.Once
	serverURL  string
	serverErr  error
	server     *cluster.Cluster
	databases  atomic.Int64
)

// StartServer gives the address of a database server for tests: that of
// TEST_DATABASE_URL, or a throw-away cluster that ends with the process.
func StartServer() (string, error) {
	serverOnce.Do(func() {
		if serverURL = os.Getenv("TEST_DATABASE_URL"); serverURL != "" {
			return
		}
		base := ""
		if _, err := os.Stat("/dev/shm"); err == nil {
			base = "/dev/shm"
		}
		dir, err := os.MkdirTemp(base, "incipit-test-")
		if err != nil {
			serverErr = err
			return
		}
		if serverErr = os.Chmod(dir, 0o755); serverErr != nil {
			return
		}
		if server, serverErr = cluster.Start(context.Background(), cluster.Options{Dir: dir + "/pg", Throwaway: true}); serverErr == nil {
			serverURL = server.URL("postgres")
		}
		stopServer = func() {
			if server != nil {
				server.Stop()
			}
			os.RemoveAll(dir)
		}
	})
	return serverURL, serverErr
}

var stopServer = func() {}

// StopServer ends a cluster that StartServer started.
func StopServer() { stopServer() }

// Database gives the address of a database of its own for a test, with the
// newest schema, dropped when the test ends.
func Database(t testing.TB) string {
	t.Helper()
	ctx := context.Background()
	address, err := StartServer()
	require.NoError(t, err)
	db, err := sql.Open("pgx", address)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	template := ensureTemplate(ctx, t, db, address)
	name := fmt.Sprintf("incipit_test_%d_%d", os.Getpid(), databases.Add(1))
	_, err = db.ExecContext(ctx, fmt.Sprintf(`CREATE DATABASE %s TEMPLATE %s STRATEGY FILE_COPY`, name, template))
	require.NoError(t, err)
	t.Cleanup(func() {
		_, err := db.ExecContext(ctx, fmt.Sprintf(`DROP DATABASE %s WITH (FORCE)`, name))
		require.NoError(t, err)
	})
	return in(t, address, name)
}

// EmptyDatabase gives the address of a database of its own for a test, with nothing in
// it, dropped when the test ends.
func EmptyDatabase(t testing.TB) string {
	t.Helper()
	address, err := StartServer()
	require.NoError(t, err)
	db, err := sql.Open("pgx", address)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	name := fmt.Sprintf("incipit_empty_%d_%d", os.Getpid(), databases.Add(1))
	_, err = db.ExecContext(context.Background(), `CREATE DATABASE `+name)
	require.NoError(t, err)
	t.Cleanup(func() {
		_, err := db.ExecContext(context.Background(), fmt.Sprintf(`DROP DATABASE %s WITH (FORCE)`, name))
		require.NoError(t, err)
	})
	return in(t, address, name)
}

func in(t testing.TB, address, database string) string {
	u, err := url.Parse(address)
	require.NoError(t, err)
	u.Path = "/" + database
	return u.String()
}

// ensureTemplate migrates one template database for this schema, under a lock
// that all test processes share.
func ensureTemplate(ctx context.Context, t testing.TB, db *sql.DB, address string) string {
	t.Helper()
	hash := fnv.New64a()
	require.NoError(t, fs.WalkDir(database.Migrations(), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(database.Migrations(), path)
		fmt.Fprintf(hash, "%s %s", path, b)
		return err
	}))
	name := fmt.Sprintf("incipit_template_%x", hash.Sum64())
	conn, err := db.Conn(ctx)
	require.NoError(t, err)
	defer conn.Close()
	_, err = conn.ExecContext(ctx, `SELECT pg_advisory_lock(70170)`)
	require.NoError(t, err)
	defer func() { _, _ = conn.ExecContext(ctx, `SELECT pg_advisory_unlock(70170)`) }()
	var ready bool
	require.NoError(t, conn.QueryRowContext(ctx, `SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1 AND datistemplate)`,
		name).Scan(&ready))
	if ready {
		return name
	}
	_, err = conn.ExecContext(ctx, `DROP DATABASE IF EXISTS `+name)
	require.NoError(t, err)
	_, err = conn.ExecContext(ctx, `CREATE DATABASE `+name)
	require.NoError(t, err)
	require.NoError(t, database.Migrate(ctx, in(t, address, name)))
	_, err = conn.ExecContext(ctx, `ALTER DATABASE `+name+` WITH IS_TEMPLATE true`)
	require.NoError(t, err)
	return name
}

// OwnServer starts a database server for one test, which may do to it what it
// likes, and gives the address of a database with the newest schema. again starts
// it anew under the same address after it was stopped.
func OwnServer(t testing.TB) (server *cluster.Cluster, address string, again func() *cluster.Cluster) {
	t.Helper()
	base := ""
	if _, err := os.Stat("/dev/shm"); err == nil {
		base = "/dev/shm"
	}
	dir, err := os.MkdirTemp(base, "incipit-own-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	o := cluster.Options{Dir: dir + "/pg", Throwaway: true}
	server, err = cluster.Start(context.Background(), o)
	require.NoError(t, err)
	o.Port = server.Port()
	require.NoError(t, server.Ensure(context.Background(), "incipit"))
	address = server.URL("incipit")
	require.NoError(t, database.Migrate(context.Background(), address))
	again = func() *cluster.Cluster {
		c, err := cluster.Start(context.Background(), o)
		require.NoError(t, err)
		server = c
		return c
	}
	t.Cleanup(func() {
		server.Stop()
		os.RemoveAll(dir)
	})
	return server, address, again
}
