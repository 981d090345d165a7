package standin_test

import (
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/standin"
)

// A page may bring a policy of its own. It is sent as a header, since browsers
// pass over one in the middle of a page.
func TestAPolicyOfThePagesOwn(t *testing.T) {
	w, err := standin.Open(t.TempDir())
	require.NoError(t, err)
	require.NoError(t, w.Add("strict", `<meta http-equiv="Content-Security-Policy" content="frame-src &#39;none&#39;"><p>Nothing is framed here.</p>`))
	got := httptest.NewRecorder()
	w.Handler().ServeHTTP(got, httptest.NewRequest("GET", "/strict", nil))
	assert.Equal(t, "frame-src 'none'", got.Header().Get("Content-Security-Policy"))
	assert.Contains(t, got.Body.String(), "Nothing is framed here.")
	assert.NotContains(t, got.Body.String(), "http-equiv")
	got = httptest.NewRecorder()
	w.Handler().ServeHTTP(got, httptest.NewRequest("GET", "/", nil))
	assert.Empty(t, got.Header().Get("Content-Security-Policy"))
}

// What its owner saves is what is served; pages that are not there, and names
// that are none, are not found.
func TestItsOwnerEdits(t *testing.T) {
	dir := t.TempDir()
	w, err := standin.Open(dir)
	require.NoError(t, err)
	post := func(to string) int {
		r := httptest.NewRequest("POST", to, strings.NewReader(url.Values{"source": {"<p>Hides are open.\r\n</p>"}}.Encode()))
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		got := httptest.NewRecorder()
		w.Handler().ServeHTTP(got, r)
		return got.Code
	}
	assert.Equal(t, 303, post("/edit/visiting"))
	assert.Equal(t, 404, post("/edit/elsewhere"))
	assert.Equal(t, 404, post("/edit/..%2Fvisiting"))
	again, err := standin.Open(dir)
	require.NoError(t, err)
	source, err := again.Page("visiting")
	require.NoError(t, err)
	assert.Equal(t, "<p>Hides are open.\n</p>", source, "what was saved stays when the website opens again")
	assert.Error(t, w.Add("../out", ""))
}
