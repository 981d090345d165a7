package fetch_test

import (
	"bytes"
	"context"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/fetch"
	"incipit/internal/standin"
)

// file fetches from a host that is allowed.
func file(t *testing.T, h http.Handler, path string, had fetch.Mark, most int64) (fetch.File, []byte, [][2]int64, error) {
	t.Helper()
	s := httptest.NewServer(h)
	defer s.Close()
	f := &fetch.Fetcher{StandIns: []string{strings.TrimPrefix(s.URL, "http://")}}
	to, err := os.Create(filepath.Join(t.TempDir(), "file"))
	require.NoError(t, err)
	defer to.Close()
	var told [][2]int64
	got, err := f.File(t.Context(), s.URL+path, had, to, most, func(has, all int64) { told = append(told, [2]int64{has, all}) })
	kept, read := os.ReadFile(to.Name())
	require.NoError(t, read)
	return got, kept, told, err
}

func some(n int) []byte {
	b := make([]byte, n)
	r := rand.New(rand.NewPCG(1, uint64(n)))
	for i := range b {
		b[i] = byte(r.Uint32())
	}
	return b
}

func TestAFileComesWhole(t *testing.T) {
	b := some(300_000)
	for _, how := range []string{"plain", "moved", "breaks", "forgets", "slow"} {
		t.Run(how, func(t *testing.T) {
			h := standin.NewFiles(map[string][]byte{"tide tables.pdf": b})
			h.Pause = time.Millisecond
			got, kept, told, err := file(t, h, "/files/"+how+"/tide%20tables.pdf", fetch.Mark{}, 1<<20)
			require.NoError(t, err)
			assert.True(t, bytes.Equal(b, kept))
			assert.Equal(t, "tide tables.pdf", got.Name)
			assert.Equal(t, int64(len(b)), got.Bytes)
			assert.Equal(t, [2]int64{int64(len(b)), int64(len(b))}, told[len(told)-1])
			assert.Equal(t, map[string]int{"plain": 1, "moved": 1, "breaks": 3, "forgets": 3, "slow": 1}[how], h.Asked("/files/"+how+"/tide tables.pdf"))
		})
	}
}

func TestAFileThatIsAsItWas(t *testing.T) {
	h := standin.NewFiles(map[string][]byte{"a.pdf": some(1000)})
	got, _, _, err := file(t, h, "/files/changes/a.pdf", fetch.Mark{}, 1<<20)
	require.NoError(t, err)
	again, kept, _, err := file(t, h, "/files/changes/a.pdf", got.Mark, 1<<20)
	require.NoError(t, err)
	assert.True(t, again.Same)
	assert.Empty(t, kept)
	assert.Equal(t, got.Mark, again.Mark)
	h.Put("a.pdf", some(2000))
	changed, kept, _, err := file(t, h, "/files/changes/a.pdf", got.Mark, 1<<20)
	require.NoError(t, err)
	assert.False(t, changed.Same)
	assert.Len(t, kept, 2000)
}

// What a website answers is told; nothing of it is taken for a file.
func TestAnswersThatAreNoFile(t *testing.T) {
	h := standin.NewFiles(map[string][]byte{"a.pdf": some(5000)})
	mux := http.NewServeMux()
	mux.Handle("/files/", h)
	mux.HandleFunc("/away", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusBadGateway) })
	mux.HandleFunc("/round", func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, "/round", http.StatusFound) })
	mux.HandleFunc("/inside", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "http://169.254.169.254/latest/meta-data", http.StatusFound)
	})
	mux.HandleFunc("/packed", func(w http.ResponseWriter, _ *http.Request) { w.Header().Set("Content-Encoding", "gzip") })
	mux.HandleFunc("/same", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNotModified) })
	mux.HandleFunc("/part", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Range", "bytes 7-9/10")
		w.WriteHeader(http.StatusPartialContent)
	})
	mux.HandleFunc("/never", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", "10")
		_, _ = w.Write([]byte("abc"))
	})
	mux.HandleFunc("/endless", func(w http.ResponseWriter, _ *http.Request) {
		for range 100 {
			if _, err := w.Write(make([]byte, 1000)); err != nil {
				return
			}
		}
	})
	for path, says := range map[string]string{
		"/files/members/a.pdf": "asks for sign-in (status 401)", "/files/plain/none.pdf": "nothing at this address (status 404)",
		"/away": "status 502", "/round": "sends on more than 5 times", "/inside": "inside a house's own network", "/packed": "packed",
		"/same": "has not changed", "/part": "another part", "/never": "broke off 6 times", "/endless": "larger than", "/files/slow/a.pdf": "larger than",
	} {
		_, _, _, err := file(t, mux, path, fetch.Mark{}, 4000)
		var refusal *fetch.Refusal
		require.ErrorAs(t, err, &refusal, path)
		assert.Contains(t, refusal.Words, says, path)
	}
	_, _, _, err := file(t, mux, "/files/plain/a.pdf", fetch.Mark{}, 5000)
	require.NoError(t, err, "as large as it may be")
}

// A file that changes while it comes is never put together of two.
func TestAFileThatChangesWhileItComes(t *testing.T) {
	files := [][]byte{some(9000), some(8000)}
	for _, strong := range []bool{true, false} {
		asked := 0
		_, kept, _, err := file(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			asked++
			b := files[min(asked-1, 1)]
			mark := `"` + strconv.Itoa(len(b)) + `"`
			if !strong {
				mark = "W/" + mark
				assert.Empty(t, r.Header.Get("Range"), "of a weak mark no parts are asked for")
			}
			w.Header().Set("ETag", mark)
			if asked == 2 && strong {
				assert.Equal(t, `"9000"`, r.Header.Get("If-Range"))
			}
			if asked == 1 {
				w.Header().Set("Content-Length", strconv.Itoa(len(b)))
				_, _ = w.Write(b[:4000])
				return
			}
			http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(b))
		}), "/", fetch.Mark{}, 1<<20)
		require.NoError(t, err)
		assert.True(t, bytes.Equal(files[1], kept), "strong: %v", strong)
	}
}

func TestAFileThatIsWaitedForNoMore(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Length", "10")
		_ = http.NewResponseController(w).Flush()
		<-r.Context().Done()
	}))
	defer s.Close()
	ctx, stop := context.WithCancel(t.Context())
	time.AfterFunc(50*time.Millisecond, stop)
	to, err := os.Create(filepath.Join(t.TempDir(), "file"))
	require.NoError(t, err)
	defer to.Close()
	f := &fetch.Fetcher{StandIns: []string{strings.TrimPrefix(s.URL, "http://")}}
	_, err = f.File(ctx, s.URL, fetch.Mark{}, to, 100, func(int64, int64) {})
	assert.ErrorIs(t, err, context.Canceled, "who stops the server is not told that a website is late")
}

func TestAWebPageInsteadOfAFile(t *testing.T) {
	assert.Contains(t, fetch.WebPage([]byte("<!doctype html><html><head><title> Sign in\n to files </title>")), "(“Sign in to files”)")
	assert.Contains(t, fetch.WebPage([]byte("<html><body>")), "web page at this address, not a PDF")
	assert.Empty(t, fetch.WebPage([]byte("%PDF-1.7")))
	assert.Empty(t, fetch.WebPage(nil))
}

// A host that trickles has broken off, however steadily it sends.
func TestAHostThatTrickles(t *testing.T) {
	if testing.Short() {
		t.Skip("waits for a host")
	}
	var asked atomic.Int32
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		w.Header().Set("Content-Length", "1000000")
		for range 1000 {
			if _, err := w.Write([]byte{'a'}); err != nil || http.NewResponseController(w).Flush() != nil {
				return
			}
			select {
			case <-time.After(time.Millisecond):
			case <-r.Context().Done():
				return
			}
		}
	}))
	defer s.Close()
	to, err := os.Create(filepath.Join(t.TempDir(), "file"))
	require.NoError(t, err)
	defer to.Close()
	f := &fetch.Fetcher{StandIns: []string{strings.TrimPrefix(s.URL, "http://")}, Stalled: 30 * time.Millisecond}
	_, err = f.File(t.Context(), s.URL, fetch.Mark{}, to, 1<<20, func(int64, int64) {})
	var refusal *fetch.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Contains(t, refusal.Words, "broke off 6 times")
	assert.EqualValues(t, 6, asked.Load())
}
