package app_test

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit"
)

// On every route: what is compressed already is not compressed again, whatever its
// address is; what is compressed here has an entity tag of its own, by which it is known
// again; and lengths are those of what is sent.
func TestBodiesAreCompressedByWhatTheyAre(t *testing.T) {
	w := newWorld(t)
	editor := w.Editor(t)
	ask := func(c *testkit.Client, address, encoding, tag string) (*http.Response, []byte) {
		t.Helper()
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, w.URL+address, nil)
		require.NoError(t, err)
		r.Header.Set("Sec-Fetch-Site", "same-origin")
		r.Header.Set("Accept-Encoding", encoding)
		if tag != "" {
			r.Header.Set("If-None-Match", tag)
		}
		answer, err := c.Do(r)
		require.NoError(t, err, address)
		defer answer.Body.Close()
		b, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		if length := answer.Header.Get("Content-Length"); length != "" && answer.StatusCode != http.StatusNotModified {
			assert.Equal(t, fmt.Sprint(len(b)), length, address)
		}
		return answer, b
	}
	kinds, squeezed := map[string]bool{}, 0
	addresses := []string{"/s/x/reader/reader.js", "/s/x/vendor/fonts/literata-latin-600-normal.woff2", "/s/x/icon.svg"}
	for _, r := range w.routes {
		if r.Method == http.MethodGet {
			addresses = append(addresses, w.address(t, r.Path, -1, ""))
		}
	}
	for _, address := range addresses {
		plain, body := ask(editor, address, "identity", "")
		if plain.StatusCode != http.StatusOK {
			continue
		}
		assert.Empty(t, plain.Header.Get("Content-Encoding"), address)
		kind, _, _ := strings.Cut(plain.Header.Get("Content-Type"), ";")
		kinds[kind] = true
		packed, sent := ask(editor, address, "gzip", "")
		if tag := plain.Header.Get("ETag"); tag != "" {
			again, _ := ask(editor, address, "identity", tag)
			assert.Equal(t, http.StatusNotModified, again.StatusCode, address)
		}
		if packed.Header.Get("Content-Encoding") == "" {
			assert.Equal(t, plain.Header.Get("ETag"), packed.Header.Get("ETag"), address)
			if plain.Header.Get("ETag") != "" {
				assert.Equal(t, fmt.Sprint(len(body)), packed.Header.Get("Content-Length"), "%s (%s) has a length", address, kind)
			}
			continue
		}
		squeezed++
		assert.True(t, strings.HasPrefix(kind, "text/") || strings.Contains(kind, "json") || strings.Contains(kind, "xml"), "%s is %s", address,
			kind)
		z, err := gzip.NewReader(bytes.NewReader(sent))
		require.NoError(t, err, address)
		whole, err := io.ReadAll(z)
		require.NoError(t, err)
		if tag := packed.Header.Get("ETag"); tag != "" {
			assert.Equal(t, string(body), string(whole), "%s: compressed once", address)
			assert.NotEqual(t, plain.Header.Get("ETag"), tag, "%s: other bytes have another tag", address)
			again, rest := ask(editor, address, "gzip", tag)
			assert.Equal(t, http.StatusNotModified, again.StatusCode, address)
			assert.Equal(t, tag, again.Header.Get("ETag"), address)
			assert.Empty(t, rest)
		}
		assert.Contains(t, strings.Join(packed.Header.Values("Vary"), ","), "Accept-Encoding", address)
	}
	for _, kind := range []string{"image/png", "image/svg+xml", "application/pdf", "text/html", "text/css", "text/javascript",
		"application/json", "font/woff2"} {
		assert.True(t, kinds[kind], "%s was asked for", kind)
	}
	assert.Greater(t, squeezed, 15)

	// Parts are of the plain bytes.
	r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, w.URL+"/s/x/reader/reader.js", nil)
	require.NoError(t, err)
	r.Header.Set("Accept-Encoding", "gzip")
	r.Header.Set("Range", "bytes=0-99")
	part, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer part.Body.Close()
	b, err := io.ReadAll(part.Body)
	require.NoError(t, err)
	assert.Equal(t, []any{http.StatusPartialContent, 100, ""}, []any{part.StatusCode, len(b), part.Header.Get("Content-Encoding")})
}
