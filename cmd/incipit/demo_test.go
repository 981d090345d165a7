package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/cluster"
	"incipit/internal/testkit/pace"
	"incipit/internal/testkit/patience"
)

// said is what a program has written so far.
type said struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (s *said) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

func (s *said) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.String()
}

// The demo outlives what happens to it: a terminal that closes takes the database
// along, what a kill leaves running is stopped by the next one, a second one in
// the same folder says that one is running, and addresses stay.
func TestTheDemoIsTakenOver(t *testing.T) {
	pace.Long(t)
	base := "/var/tmp"
	dir, err := os.MkdirTemp(base, "the observatory ") // with a space
	require.NoError(t, err)
	require.NoError(t, os.Chmod(dir, 0o755))
	t.Cleanup(func() {
		_ = cluster.StopLeft(cluster.Place(filepath.Join(dir, "postgres")), nil)
		_ = os.RemoveAll(dir)
	})
	start := func() (*exec.Cmd, *said) {
		cmd, out := program(t, "demo", "--dir", dir), &said{}
		cmd.Stdout, cmd.Stderr = out, out
		require.NoError(t, cmd.Start())
		return cmd, out
	}
	ready := regexp.MustCompile(`Incipit +(http://127\.0\.0\.1:\d+)`)
	up := func(out *said) string {
		patience.Until(t, func() bool { return ready.MatchString(out.String()) && strings.Contains(out.String(), "Ctrl-C") }, "the demo is up")
		return ready.FindStringSubmatch(out.String())[1]
	}
	database := func() bool {
		b, err := os.ReadFile(filepath.Join(cluster.Place(filepath.Join(dir, "postgres")), "data", "postmaster.pid"))
		if err != nil {
			return false
		}
		_, err = os.Stat("/proc/" + strings.SplitN(string(b), "\n", 2)[0])
		return err == nil
	}
	first, out := start()
	address := up(out)
	second, refused := start()
	require.Error(t, second.Wait())
	assert.Contains(t, refused.String(), "is running in "+dir+" already: "+address)
	require.NoError(t, first.Process.Signal(syscall.SIGHUP))
	_ = first.Wait()
	assert.False(t, database(), "a terminal that closes takes the database along")

	third, out := start()
	assert.Equal(t, address, up(out), "the port stays")
	require.NoError(t, third.Process.Kill())
	_ = third.Wait()
	assert.True(t, database(), "a kill leaves it running")
	fourth, out := start()
	assert.Equal(t, address, up(out))
	assert.Contains(t, out.String(), "An earlier one was ended without its database")
	require.NoError(t, fourth.Process.Signal(os.Interrupt))
	_ = fourth.Wait()
	assert.False(t, database())
}
