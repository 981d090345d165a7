package main

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/setting"
	"incipit/internal/placing"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
)

// small has a program run in so many bytes of memory and on one core. It gives
// what goes before the program's own words, and what tells how often the kernel
// ended something. Where no control group can be made, the program is told so
// much in its configuration.
func small(t *testing.T, mib int) (before, environment []string, ended func() int) {
	t.Helper()
	ended = func() int { return 0 }
	if path, err := exec.LookPath("taskset"); err == nil {
		before = []string{path, "-c", "0"}
	}
	for _, group := range []struct{ dir, limit, swap, events string }{
		{"/sys/fs/cgroup/memory/incipit-test-" + strconv.Itoa(os.Getpid()), "memory.limit_in_bytes", "", "memory.oom_control"},
		{"/sys/fs/cgroup/incipit-test-" + strconv.Itoa(os.Getpid()), "memory.max", "memory.swap.max", "memory.events"},
	} {
		if err := os.Mkdir(group.dir, 0o755); err != nil {
			continue
		}
		t.Cleanup(func() { _ = os.Remove(group.dir) })
		if os.WriteFile(filepath.Join(group.dir, group.limit), []byte(strconv.Itoa(mib<<20)), 0o644) != nil {
			continue
		}
		if group.swap != "" {
			_ = os.WriteFile(filepath.Join(group.dir, group.swap), []byte("0"), 0o644)
		}
		ended = func() int {
			b, _ := os.ReadFile(filepath.Join(group.dir, group.events))
			_, rest, _ := strings.Cut(string(b), "oom_kill ")
			n, _ := strconv.Atoi(strings.TrimSpace(strings.SplitN(rest, "\n", 2)[0]))
			return n
		}
		return append([]string{"/bin/sh", "-c", `echo $$ > "$0/cgroup.procs" && exec "$@"`, group.dir}, before...), nil, ended
	}
	return before, []string{fmt.Sprintf("INCIPIT_MEMORY_MB=%d", mib)}, ended
}

// In 512 MB and on one core all is slow, and whole: many documents of many kinds
// are added at once and read at once, and none is refused.
func TestInLittleMemory(t *testing.T) {
	pace.Long(t)
	s := newServer(t)
	rows := withOwner(t, s)
	var ended func() int
	s.before, s.more, ended = small(t, 512)
	s.more = append(s.more, "INCIPIT_SWEEP_AFTER=1h")
	s.start()
	s.signIn()
	files := map[string][]byte{
		"many pages.pdf": hostile.ManyPages(600), "huge.pdf": hostile.HugePage(), "thin.pdf": hostile.ThinPage(),
		"layered.pdf": hostile.Layered(), "linked.pdf": hostile.Linked(),
		"poster.pdf": hostile.Poster(4000), "long texts.pdf": hostile.LongTexts(300, 50_000), "circle.pdf": hostile.Circle(),
		"licensed.pdf": hostile.Licensed("", ""),
	}
	for _, d := range demo.Documents() {
		b, err := demo.PDF(d.File)
		require.NoError(t, err)
		files[d.File] = b
		if len(files) < 22 {
			files["again "+d.File] = append(b[:len(b):len(b)], "\n% once more\n"...)
		}
	}
	require.GreaterOrEqual(t, len(files), 22)
	var adding sync.WaitGroup
	four := make(chan struct{}, 4)
	for name, b := range files {
		adding.Go(func() {
			four <- struct{}{}
			defer func() { <-four }()
			status, err := s.upload(name, bytes.NewReader(b))
			assert.NoError(t, err, name)
			assert.Equal(t, http.StatusCreated, status, name)
		})
	}
	adding.Wait()
	owner, err := rows.People.AccountByEmail(t.Context(), demo.Email)
	require.NoError(t, err)
	all, err := rows.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	require.Len(t, all, len(files))
	// Each is read at once, as the reader does it: what is busy is asked for again.
	var reading sync.WaitGroup
	for _, d := range all[:20] {
		p, err := rows.Placing.Place(t.Context(), d.ID, placing.Start{})
		require.NoError(t, err)
		require.NoError(t, rows.Placing.Publish(t.Context(), p.ID, d.EditionID, owner.ID, setting.Default()))
		e, err := rows.Library.Edition(t.Context(), d.EditionID)
		require.NoError(t, err)
		reading.Go(func() {
			address := fmt.Sprintf("%s/r/%s/page/%s/1/800", s.config.PublicURL, p.Key, e.SHA256[:16])
			status := 0
			for begun := time.Now(); time.Since(begun) < 2*time.Minute; time.Sleep(300 * time.Millisecond) {
				answer, err := http.Get(address)
				if !assert.NoError(t, err, d.Title) {
					return
				}
				_, _ = io.Copy(io.Discard, answer.Body)
				answer.Body.Close()
				if status = answer.StatusCode; status != http.StatusServiceUnavailable {
					break
				}
			}
			assert.Equal(t, http.StatusOK, status, d.Title)
		})
	}
	reading.Wait()
	allSound(t, rows)
	assert.Zero(t, ended(), "nothing was ended for want of memory")
}
