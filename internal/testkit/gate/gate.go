// Package gate stands before a database. Shut, it cuts everybody off who was let through,
// and lets nobody in: as a database that was stopped. Open again, it is as it was.
package gate

import (
	"io"
	"net"
	"net/url"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
)

// Gate is one such gate.
type Gate struct {
	URL string // of the database, through it

	mu      sync.Mutex
	shut    bool
	through map[net.Conn]bool
}

// Before opens a gate before the database of an address. It ends with the test.
func Before(t testing.TB, database string) *Gate {
	t.Helper()
	u, err := url.Parse(database)
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	behind := u.Host
	u.Host = l.Addr().String()
	g := &Gate{URL: u.String(), through: map[net.Conn]bool{}}
	t.Cleanup(func() {
		l.Close()
		g.Shut()
	})
	go func() {
		for {
			caller, err := l.Accept()
			if err != nil {
				return
			}
			served, err := net.Dial("tcp", behind)
			if err != nil || !g.lets(caller, served) {
				caller.Close()
				continue
			}
			go g.carry(served, caller)
			go g.carry(caller, served)
		}
	}()
	return g
}

// lets lets two ends through, unless it is shut.
func (g *Gate) lets(ends ...net.Conn) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, c := range ends {
		if g.shut {
			c.Close()
			continue
		}
		g.through[c] = true
	}
	return !g.shut
}

func (g *Gate) carry(to, from net.Conn) {
	_, _ = io.Copy(to, from) // either end may hang up
	to.Close()
	from.Close()
	g.mu.Lock()
	defer g.mu.Unlock()
	delete(g.through, from)
}

// Shut cuts everybody off.
func (g *Gate) Shut() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.shut = true
	for c := range g.through {
		c.Close()
	}
}

// Open lets everybody in again.
func (g *Gate) Open() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.shut = false
}
