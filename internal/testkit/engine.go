package testkit

import (
	"fmt"
	"os"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/internal/config"
	"incipit/internal/pdf/pool"
	"incipit/internal/pdf/sandbox"
)

// Main runs a package's tests. The test binary also serves as the engine's
// worker, as the product's binary does.
func Main(m *testing.M) {
	if len(os.Args) > 1 && os.Args[1] == "worker" {
		if err := sandbox.Work(os.Args[2], sandbox.DefaultLimits()); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		return
	}
	code := m.Run()
	if engine != nil {
		engine.Close()
	}
	stopBrowser()
	StopServer()
	os.Exit(code)
}

var (
	engineOnce sync.Once
	engine     *pool.Pool
)

// Workers makes an engine of its own for a test that breaks workers.
func Workers(t testing.TB, n int, deadline time.Duration) *pool.Pool {
	t.Helper()
	p := openPool(t, n, deadline)
	t.Cleanup(p.Close)
	return p
}

func openPool(t testing.TB, n int, deadline time.Duration) *pool.Pool {
	self, err := os.Executable()
	require.NoError(t, err)
	return pool.Open(pool.Options{Command: []string{self, "worker", config.EngineCache()}, Workers: n, Deadline: deadline})
}

// Engine gives the engine that the tests of a package share.
func Engine(t testing.TB) *pool.Pool {
	t.Helper()
	engineOnce.Do(func() { engine = openPool(t, 3, 20*time.Second) })
	return engine
}
