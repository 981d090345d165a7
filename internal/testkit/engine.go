package testkit

import (
	"encoding/gob"
	"fmt"
	"os"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/internal/config"
	"incipit/internal/machine"
	"incipit/internal/pdf/pool"
	"incipit/internal/pdf/sandbox"
	"incipit/internal/pdf/wire"
)

// Main runs a package's tests. The test binary also serves as the engine's
// worker, as the product's binary does.
func Main(m *testing.M) {
	if len(os.Args) > 1 && os.Args[1] == "crashing-worker" {
		crashingWorker()
	}
	if len(os.Args) > 1 && os.Args[1] == "worker" {
		if err := sandbox.Work(os.Args[2], limits()); err != nil {
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

// limits are those that a worker was started with.
func limits() sandbox.Limits {
	if len(os.Args) > 3 {
		if mib, err := strconv.Atoi(os.Args[3]); err == nil {
			return sandbox.LimitsFor(mib)
		}
	}
	return sandbox.DefaultLimits()
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
	// Under the race detector the product's own binary is the worker: an
	// instrumented one reads a page ten times as slowly.
	program := os.Getenv("INCIPIT_TEST_WORKER")
	if program == "" {
		var err error
		program, err = os.Executable()
		require.NoError(t, err)
	}
	return pool.Open(pool.Options{Command: []string{program, "worker", config.EngineCache(), strconv.Itoa(machine.Most)}, Workers: n,
		Deadline: deadline})
}

// Engine gives the engine that the tests of a package share.
func Engine(t testing.TB) *pool.Pool {
	t.Helper()
	engineOnce.Do(func() { engine = openPool(t, 3, 20*time.Second) })
	return engine
}

// Crash is what a file holds that ends the workers of Crashing.
const Crash = "%PDF-1.7 end the worker that reads this"

// Crashing makes an engine whose workers end by themselves, with a fault of the
// program, when they are asked about a file of len(Crash) bytes: no real file is
// known that does this.
func Crashing(t testing.TB) *pool.Pool {
	t.Helper()
	self, err := os.Executable()
	require.NoError(t, err)
	p := pool.Open(pool.Options{Command: []string{self, "crashing-worker"}, Workers: 2, Deadline: 5 * time.Second})
	t.Cleanup(p.Close)
	return p
}

// crashingWorker answers everything with nothing, but for that file.
func crashingWorker() {
	in, out := os.NewFile(wire.FromOwner, "from owner"), os.NewFile(wire.ToOwner, "to owner")
	decoder, encoder := gob.NewDecoder(in), gob.NewEncoder(out)
	for {
		var m wire.ToWorker
		if err := decoder.Decode(&m); err != nil {
			os.Exit(0)
		}
		if m.Ask != nil && m.Ask.Size == int64(len(Crash)) {
			panic("as a broken engine would")
		}
		if err := encoder.Encode(wire.FromWorker{Answer: &wire.Answer{}}); err != nil {
			os.Exit(0)
		}
	}
}
