package machine

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatProcessesUse(t *testing.T) {
	proc := t.TempDir()
	write := func(path, line string) {
		t.Helper()
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(proc, path)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(proc, path), []byte(line), 0o600))
	}
	write("10/stat", "10 (a test) S 1 10 10 0 -1 0 0 0 0 0 100 20 3 4 20 0 1 0 1 1 5")
	write("11/stat", "11 (worker) x) R 2) S 10 10 10 0 -1 0 0 0 0 0 50 5 0 0 20 0 1 0 1 1 7")
	write("12/stat", "12 (below it) S 11 10 10 0 -1 0 0 0 0 0 1 1 1 1 20 0 1 0 1 1 9")
	write("13/stat", "13 (beside) R 1 10 10 0 -1 0 0 0 0 0 900 900 0 0 20 0 1 0 1 1 99")
	write("14/stat", "14 (short")
	assert.Equal(t, Use{Work: (127 + 55 + 4) * 10 * time.Millisecond, Resident: 21 * os.Getpagesize()}, useBelow(proc, 10), "nothing beside it")
	assert.Equal(t, 4*10*time.Millisecond, useBelow(proc, 12).Work)
	assert.Zero(t, useBelow(proc, 99))
	assert.Equal(t, Use{Work: 550 * time.Millisecond, Resident: 7 * os.Getpagesize()}, useOf(proc, 11).Use, "whatever it is called, without children")
	for state, wants := range map[string]bool{"R": true, "D": true, "T": true, "t": true, "S": false, "Z": false} {
		write("11/task/21/stat", "21 (a) "+state+" 10 10")
		assert.Equal(t, wants, useOf(proc, 11).Wants, state)
		assert.Equal(t, wants, useBelow(proc, 10).Wants, state)
	}
	assert.Zero(t, useOf(proc, 98))
	assert.GreaterOrEqual(t, UseBelow(os.Getpid()).Work, UseOf(os.Getpid()).Work)
}

func TestWhatAThreadGets(t *testing.T) {
	assert.InDelta(t, 1, shareOf([]byte("cpu 1\nprocs_running 2\nprocs_blocked 0\n"), 2), 0)
	assert.InDelta(t, .25, shareOf([]byte("cpu 1\nprocs_running 8\nprocs_blocked 0\n"), 2), 0)
	assert.InDelta(t, 1, shareOf(nil, 2), 0, "where the system does not say")
	assert.Positive(t, ShareOfProcessor())
}
