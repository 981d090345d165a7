package blob_test

import (
	"bytes"
	"context"
	"errors"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/blob"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// stopped is a store that can be stopped as by SIGSTOP: it takes connections and says
// nothing.
type stopped struct {
	mu   sync.Mutex
	held chan struct{}
}

func (s *stopped) stop() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.held = make(chan struct{})
}

func (s *stopped) goOn() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.held != nil {
		close(s.held)
		s.held = nil
	}
}

func (s *stopped) before(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s.mu.Lock()
		held := s.held
		s.mu.Unlock()
		if held != nil {
			<-held
		}
		next.ServeHTTP(w, r)
	})
}

func TestTheBoundsAreWhatIsPromised(t *testing.T) {
	s, err := blob.Open(t.Context(), (&url.URL{Scheme: "file", Path: t.TempDir()}).String())
	require.NoError(t, err)
	defer s.Close()
	answer, piece, end, every, look := s.Bounds()
	assert.Equal(t, []time.Duration{8 * time.Second, 15 * time.Second, time.Minute, time.Second, 2 * time.Second},
		[]time.Duration{answer, piece, end, every, look}, "docs/operate.md says so")
}

// A store that hangs costs nobody more than the bound, and then nothing; it is used again
// once it answers. Whoever has gone waits no longer.
func TestAStoreThatHangs(t *testing.T) {
	var outage stopped
	s, err := blob.Open(t.Context(), testkit.Bucket(t, outage.before))
	require.NoError(t, err)
	t.Cleanup(func() { outage.goOn(); s.Close() })
	s.Hasten()
	ctx := t.Context()
	_, err = s.Write(ctx, "files/a", bytes.NewReader(bytes.Repeat([]byte("knot "), 200_000)))
	require.NoError(t, err)
	open, err := s.Open(ctx, "files/a")
	require.NoError(t, err)

	outage.stop()
	gone, leave := context.WithTimeout(ctx, time.Millisecond)
	defer leave()
	_, err = s.Read(gone, "files/a")
	require.ErrorIs(t, err, context.DeadlineExceeded)
	for what, do := range map[string]func() error{
		"read":   func() error { _, err := s.Read(ctx, "files/a"); return err },
		"open":   func() error { _, err := s.Open(ctx, "files/a"); return err },
		"write":  func() error { _, err := s.Write(ctx, "files/b", bytes.NewReader([]byte("dunlin"))); return err },
		"ranges": func() error { _, err := s.Ranges(ctx, "files/a").ReadAt(make([]byte, 9), 9); return err },
		"remove": func() error { return s.Delete(ctx, "files/a") },
		"list":   func() error { return s.Each(ctx, "files/", func(blob.Entry) error { return nil }) },
		"look":   func() error { return s.Ready(ctx) },
	} {
		begun := time.Now()
		assert.ErrorIs(t, do(), blob.ErrAway, what)
		assert.Less(t, time.Since(begun), 5*time.Second, "%s: a hundredth of the bounds, on a busy machine", what)
	}
	patience.Until(t, s.IsAway)
	before := s.Tallies()["read"]
	_, err = s.Read(ctx, "files/a")
	require.ErrorIs(t, err, blob.ErrAway)
	after := s.Tallies()["read"]
	assert.Equal(t, before.Away+1, after.Away, "it is counted")
	assert.Less(t, after.Took-before.Took, 10*time.Millisecond, "nobody waits any more")
	_, err = open.Read(make([]byte, 9))
	assert.ErrorIs(t, err, blob.ErrAway)
	open.Close()

	outage.goOn()
	patience.Until(t, func() bool { return !s.IsAway() })
	b, err := s.Read(ctx, "files/a")
	require.NoError(t, err)
	assert.Len(t, b, 1_000_000)
}

// So does a folder whose disk hangs: here a file that nobody writes into.
func TestAFolderThatHangs(t *testing.T) {
	dir := t.TempDir()
	s, err := blob.Open(t.Context(), (&url.URL{Scheme: "file", Path: dir}).String())
	require.NoError(t, err)
	defer s.Close()
	s.Hasten()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "files"), 0o755))
	require.NoError(t, syscall.Mkfifo(filepath.Join(dir, "files/a"), 0o600))
	_, err = s.Read(t.Context(), "files/a")
	require.ErrorIs(t, err, blob.ErrAway)
	// The folder itself answers: it was one file alone.
	n, err := s.Write(t.Context(), "files/b", bytes.NewReader([]byte("dunlin")))
	require.NoError(t, err)
	assert.EqualValues(t, 6, n)
	assert.False(t, s.IsAway())
	f, err := os.OpenFile(filepath.Join(dir, "files/a"), os.O_WRONLY, 0) // what hangs is let go
	require.NoError(t, err)
	f.Close()
}

// Who writes slowly is not the store's affair, and what fails is not tried for ever.
func TestASlowWriterIsNoSlowStore(t *testing.T) {
	s, err := blob.Open(t.Context(), (&url.URL{Scheme: "file", Path: t.TempDir()}).String())
	require.NoError(t, err)
	defer s.Close()
	s.Hasten()
	read, write := io.Pipe()
	go func() {
		for range 4 {
			time.Sleep(200 * time.Millisecond) // longer than a piece may take
			_, _ = write.Write([]byte("sanderling "))
		}
		write.Close()
	}()
	n, err := s.Write(t.Context(), "files/slow", read)
	require.NoError(t, err)
	assert.EqualValues(t, 44, n)
}

func TestWhatAStoreRefuses(t *testing.T) {
	assert.True(t, blob.ReadOnly(&fs.PathError{Op: "open", Path: "x", Err: syscall.EROFS}))
	assert.True(t, blob.ReadOnly(&fs.PathError{Op: "open", Path: "x", Err: syscall.EACCES}))
	assert.False(t, blob.ReadOnly(&fs.PathError{Op: "open", Path: "x", Err: syscall.ENOSPC}))
	assert.True(t, blob.Full(&fs.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC}))
	assert.False(t, blob.Away(errors.New("refused")))
}

// A store behind S3 says by codes that it takes nothing, or has no room: at once, and of
// writes alone. Reading may be denied for other reasons.
func TestWhatABucketRefuses(t *testing.T) {
	for _, c := range []struct {
		status         int
		code           string
		readOnly, full bool
	}{
		{http.StatusForbidden, "AccessDenied", true, false},
		{http.StatusForbidden, "QuotaExceeded", false, true},
		{http.StatusInsufficientStorage, "XMinioStorageFull", false, true},
		{http.StatusInsufficientStorage, "SomethingElse", false, true},
		{http.StatusBadRequest, "InvalidDigest", false, false},
	} {
		s, err := blob.Open(t.Context(), testkit.Bucket(t, func(http.Handler) http.Handler {
			return http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				w.Header().Set("Content-Type", "application/xml")
				w.WriteHeader(c.status)
				_, _ = io.WriteString(w, "<Error><Code>"+c.code+"</Code><Message>no</Message></Error>")
			})
		}))
		require.NoError(t, err)
		_, err = s.Write(t.Context(), "files/tides", bytes.NewReader([]byte("sanderling")))
		require.Error(t, err)
		assert.Equal(t, []bool{c.readOnly, c.full, false}, []bool{blob.ReadOnly(err), blob.Full(err), blob.Away(err)}, "%d %s: %v", c.status, c.code, err)
		_, err = s.Read(t.Context(), "files/tides")
		require.Error(t, err)
		assert.Equal(t, []bool{false, false}, []bool{blob.ReadOnly(err), blob.Full(err)}, "reading: %d %s", c.status, c.code)
		require.NoError(t, s.Close())
	}
}
