package app_test

import (
	"crypto/sha512"
	"encoding/base64"
	"fmt"
	"html"
	"net/http"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// The script for other people's pages has an address of its version beside the plain
// one: the desk gives it with what its bytes hash to, and it is what the plain one is.
func TestTheScriptCanBePinned(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "trail-map.pdf", func(s *setting.Settings) { s.Sites = nil })
	_, page, _ := h.Editor(t).Get(fmt.Sprintf("/placements/%d/ways", p.ID))
	found := regexp.MustCompile(`src="([^"]+/onpage/[^"]+)" integrity="sha384-([^"]+)" crossorigin`).FindStringSubmatch(html.UnescapeString(page))
	require.NotNil(t, found)
	answer, err := http.Get(found[1])
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, "*", answer.Header.Get("Access-Control-Allow-Origin"), "integrity asks for CORS")
	assert.Contains(t, answer.Header.Get("Cache-Control"), "immutable")
	visitor := h.Visitor(t)
	_, pinned, _ := visitor.Get(found[1][len(h.URL):])
	_, plain, _ := visitor.Get("/onpage.js")
	assert.Equal(t, plain, pinned)
	sum := sha512.Sum384([]byte(pinned))
	assert.Equal(t, base64.StdEncoding.EncodeToString(sum[:]), found[2])
	status, _, _ := visitor.Get("/onpage/0123456789abcdef.js")
	assert.Equal(t, http.StatusNotFound, status, "a version that never was")
}
