package fetch_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/fetch"
)

func TestWebLinks(t *testing.T) {
	status := func(code int) http.HandlerFunc {
		return func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(code) }
	}
	mux := http.NewServeMux()
	for path, code := range map[string]int{"/there": 200, "/gone": 410, "/missing": 404, "/members": 401, "/forbidden": 403, "/often": 429, "/broken": 503, "/not-head-once": 405} {
		mux.Handle(path, status(code))
	}
	mux.HandleFunc("/no-head", func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		assert.Equal(t, "bytes=0-0", r.Header.Get("Range"), "no more than a byte is asked for")
		w.WriteHeader(http.StatusPartialContent)
	})
	mux.Handle("/moved", http.RedirectHandler("/there", http.StatusMovedPermanently))
	mux.Handle("/round", http.RedirectHandler("/round", http.StatusFound))
	mux.Handle("/inside", http.RedirectHandler("http://10.0.0.1/", http.StatusFound))
	s := httptest.NewServer(mux)
	defer s.Close()
	f := &fetch.Fetcher{StandIns: []string{strings.TrimPrefix(s.URL, "http://")}}
	for path, says := range map[string]string{
		"/there": "", "/no-head": "", "/moved": "", "/members": "", "/forbidden": "", "/often": "", "/not-head-once": "",
		"/gone": "nothing at this address (status 410)", "/missing": "nothing at this address (status 404)", "/broken": "out of order (status 503)",
		"/round": "sends on more than 5 times", "/inside": "inside a house's own network",
	} {
		said, err := f.Link(t.Context(), s.URL+path)
		require.NoError(t, err)
		if says == "" {
			assert.Empty(t, said, path)
		} else {
			assert.Contains(t, said, says, path)
		}
	}
	for address, says := range map[string]string{"http://127.0.0.1:1/": "the machine itself", "javascript:alert(1)": "http or https", "https://": "names no website"} {
		said, err := f.Link(t.Context(), address)
		require.NoError(t, err)
		assert.Contains(t, said, says, address)
	}
	away, stop := context.WithCancel(t.Context())
	stop()
	_, err := f.Link(away, s.URL+"/there")
	assert.ErrorIs(t, err, context.Canceled)
}
