package confined

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func room(t *testing.T, change func(*Bounds)) *Room {
	t.Helper()
	b := Bounds{Address: 1 << 30, Folder: 4 << 20, Output: 1 << 20, Work: 20 * time.Second}
	if change != nil {
		change(&b)
	}
	r, err := Find("sh", b)
	if errors.Is(err, ErrUnconfined) {
		t.Skip(err)
	}
	require.NoError(t, err)
	if err := r.Works(t.Context()); err != nil {
		t.Skip(err)
	}
	return r
}

func shell(script string) Task { return Task{Args: []string{"/bin/sh", "-c", script}} }

// What comes out are bytes, at most so many, whatever the program makes of its folder.
func TestWhatLeavesTheRoom(t *testing.T) {
	r := room(t, nil)
	in := filepath.Join(t.TempDir(), "it")
	require.NoError(t, os.WriteFile(in, []byte("knots and dunlins"), 0o600))
	gives := func(script string) (string, string, error) {
		var out bytes.Buffer
		said, err := r.Run(t.Context(), Task{File: in, As: "in.txt", Gives: "made/out", Args: []string{"/bin/sh", "-c", "mkdir made; " + script}}, &out)
		return out.String(), said, err
	}
	out, said, err := gives("echo so far; cp in.txt made/out")
	require.NoError(t, err)
	assert.Equal(t, []string{"knots and dunlins", "so far\n"}, []string{out, said}, "what it says is not what it gives")
	for name, script := range map[string]string{
		"nothing":               "true",
		"a link to a secret":    "ln -s /etc/shadow made/out",
		"a link to the host":    "ln -s " + in + " made/out",
		"a folder":              "mkdir made/out",
		"a failure":             "cp in.txt made/out; exit 3",
		"more than its folder":  "head -c 8000000 /dev/zero > made/out",
		"what it read, changed": "echo more >> in.txt",
	} {
		out, _, err := gives(script)
		require.Error(t, err, name)
		assert.NotContains(t, out, "root:", name)
		assert.Empty(t, out, name)
	}
	for name, script := range map[string]string{
		"without end":      "ln -s /dev/zero made/out",
		"more than it may": "head -c 3000000 /dev/zero > made/out",
	} {
		out, _, err := gives(script)
		require.ErrorIs(t, err, ErrOutput, name)
		assert.LessOrEqual(t, len(out), 1<<20, name)
	}
	_, _, err = gives("i=0; while [ $i -lt 300 ]; do sleep 9 & i=$((i+1)); done; cp in.txt made/out")
	if os.Geteuid() != 0 { // a bound that root is not held to
		require.Error(t, err, "many processes")
	}
	b, err := os.ReadFile(in)
	require.NoError(t, err)
	assert.Equal(t, "knots and dunlins", string(b))
	left, err := filepath.Glob(filepath.Join(os.TempDir(), "incipit-office-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// A program sees no network, no other process and nothing of the machine's files.
func TestWhatIsSeenInTheRoom(t *testing.T) {
	r := room(t, nil)
	var out bytes.Buffer
	_, err := r.Run(t.Context(), shell("ls / /etc; ls /proc | grep -c '^[0-9]'; cat /proc/net/dev | wc -l"), &out)
	require.NoError(t, err)
	for _, word := range []string{"root\n", "home\n", "passwd", "work/main"} {
		assert.NotContains(t, out.String(), word)
	}
}

// What ends it: the work, the memory, whoever no longer waits; what it says and how it ends
// are told.
func TestWhatEndsAProgram(t *testing.T) {
	r := room(t, func(b *Bounds) { b.Work = time.Second })
	_, err := r.Run(t.Context(), shell("while :; do :; done"), &bytes.Buffer{})
	require.ErrorIs(t, err, ErrOverran)
	r = room(t, func(b *Bounds) { b.Resident = 40 << 20 })
	_, err = r.Run(t.Context(), shell("x=$(head -c 30000000 /dev/zero | tr '\\0' x); y=$x$x$x; sleep 5; echo ${#y}"), &bytes.Buffer{})
	require.ErrorIs(t, err, ErrMemory)
	ctx, stop := context.WithCancel(t.Context())
	time.AfterFunc(300*time.Millisecond, stop)
	begun := time.Now()
	_, err = r.Run(ctx, shell("sleep 60"), &bytes.Buffer{})
	require.ErrorIs(t, err, context.Canceled)
	assert.Less(t, time.Since(begun), 30*time.Second)
	said, err := r.Run(t.Context(), shell("echo it is broken >&2; exit 7"), &bytes.Buffer{})
	require.ErrorContains(t, err, "7")
	assert.Equal(t, "it is broken\n", said)
	said, err = r.Run(t.Context(), shell("while :; do echo without end; done | head -n 200000 >&2"), &bytes.Buffer{})
	require.NoError(t, err)
	assert.LessOrEqual(t, len(said), mostSaid)
}

func TestJudged(t *testing.T) {
	b := Bounds{Resident: 100, Work: 10 * time.Second}
	for name, x := range map[string]struct {
		work, unmoved, all time.Duration
		resident           int
		want               error
	}{
		"in order":                    {10 * time.Second, 45 * time.Second, 30 * time.Minute, 100, nil},
		"too much work":               {10*time.Second + 1, 0, time.Minute, 0, ErrOverran},
		"too much memory":             {0, 0, 0, 101, ErrMemory},
		"stuck":                       {0, 45*time.Second + 1, time.Minute, 0, ErrOverran},
		"a machine that gives little": {time.Second, 0, 30*time.Minute + 1, 0, ErrNotYet},
	} {
		assert.Equal(t, x.want, judged(x.work, x.resident, x.unmoved, x.all, b), name)
	}
	assert.NoError(t, judged(0, 1<<40, 0, 0, Bounds{Work: time.Second}), "memory that nobody bounds")
}

// A program that is missing is not what confines it, and the other way round.
func TestWhatIsMissing(t *testing.T) {
	_, err := Find("no-such-program-at-all", Bounds{})
	require.ErrorIs(t, err, ErrMissing)
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "soffice"), []byte("#!/bin/sh\n"), 0o755))
	t.Setenv("PATH", dir)
	_, err = Find("soffice", Bounds{})
	require.ErrorIs(t, err, ErrUnconfined)
	assert.False(t, errors.Is(err, ErrMissing) || strings.Contains(err.Error(), "soffice"))
}
