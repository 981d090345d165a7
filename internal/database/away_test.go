package database_test

import (
	"io"
	"net"
	"net/url"
	"sync/atomic"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/database"
	"incipit/internal/nouns"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// gate stands before a database: while it is shut, who comes anew hears nothing;
// who has come before is served.
func gate(t *testing.T, database string) (address string, shut *atomic.Bool) {
	t.Helper()
	u, err := url.Parse(database)
	require.NoError(t, err)
	listening, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { listening.Close() })
	behind := u.Host
	shut = new(atomic.Bool)
	go func() {
		for {
			caller, err := listening.Accept()
			if err != nil {
				return
			}
			if shut.Load() {
				t.Cleanup(func() { caller.Close() })
				continue
			}
			served, err := net.Dial("tcp", behind)
			if err != nil {
				caller.Close()
				continue
			}
			carry := func(to, from net.Conn) {
				io.Copy(to, from) //nolint:errcheck // either end may hang up
				to.Close()
				from.Close()
			}
			go carry(served, caller)
			go carry(caller, served)
		}
	}()
	u.Host = listening.Addr().String()
	return u.String(), shut
}

// On a machine that has too much to do, a new connection may take longer than a
// look waits. A database that answers others meanwhile is not away, and one slow
// look closes nothing.
func TestABusyDatabaseIsNotAway(t *testing.T) {
	address, shut := gate(t, testkit.Database(t))
	s, err := nouns.Open(t.Context(), address, database.Share(0))
	require.NoError(t, err)
	t.Cleanup(s.DB.Close)
	require.NoError(t, s.DB.Look(t.Context()))
	shut.Store(true)

	asked := make(chan error, 1)
	done := make(chan struct{})
	go func() {
		var err error
		for err == nil {
			_, err = s.DB.Pool.Exec(t.Context(), "SELECT pg_sleep(0.02)")
			select {
			case <-done:
				asked <- err
				return
			default:
			}
		}
		asked <- err
	}()
	for range 3 {
		require.NoError(t, s.DB.Look(t.Context()), "others are answered")
		assert.False(t, s.DB.IsAway())
	}
	close(done)
	require.NoError(t, <-asked)

	patience.Until(t, func() bool { return s.DB.Look(t.Context()) != nil && s.DB.IsAway() }, "nobody is answered")
	_, err = s.DB.Pool.Exec(t.Context(), "SELECT 1")
	assert.True(t, database.Away(err), "nobody waits: %v", err)
	shut.Store(false)
	patience.Until(t, func() bool { return s.DB.Look(t.Context()) == nil && !s.DB.IsAway() })
}
