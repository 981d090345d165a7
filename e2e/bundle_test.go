package e2e

import (
	"archive/zip"
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// unzipped gives the bundle of a placement as files.
func unzipped(t *testing.T, h *testkit.House, id int64) *zip.Reader {
	t.Helper()
	status, body, headers := h.Editor(t).Get(fmt.Sprintf("/stage/%d/bundle", id))
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, headers.Get("Content-Disposition"), ".zip")
	files, err := zip.NewReader(bytes.NewReader([]byte(body)), int64(len(body)))
	require.NoError(t, err)
	return files
}

// A bundle works from any folder of any server, without ours, and holds nothing
// that the placement denies.
func TestABundleStandsByItself(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "survey-paper.pdf")
	waitIndexed(t, h)
	files := unzipped(t, h, p.ID)
	elsewhere := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/favicon.ico" { // their own, or none
			w.WriteHeader(http.StatusNoContent)
			return
		}
		http.FileServerFS(files).ServeHTTP(w, r)
	}))
	t.Cleanup(elsewhere.Close)
	tab := testkit.Browse(t, 1280, 800)
	tab.Do(chromedp.Navigate(elsewhere.URL + "/index.html"))
	tab.Until(tab.Ctx, `document.images.length === 2 && [...document.images].every((i) => i.complete && i.naturalWidth === 1600)`)
	tab.Accessible(tab.Ctx, "a bundle")
	assert.Empty(t, testkit.Eval[[]string](tab, tab.Ctx, `performance.getEntriesByType('resource').map((r) => r.name).filter((n) => !n.startsWith(location.origin))`), "no other host is asked")
	assert.Equal(t, "document.pdf", testkit.Eval[string](tab, tab.Ctx, `document.querySelector('a[download]').getAttribute('href')`))
	answer, err := http.Get(elsewhere.URL + "/document.pdf")
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, http.StatusOK, answer.StatusCode)
	tab.Do(chromedp.Navigate(elsewhere.URL + "/text.html"))
	tab.Until(tab.Ctx, `document.querySelector('main').textContent.includes('Between 2014 and 2026') && document.querySelector('a.mark[href="index.html#page=2"]')`)
	tab.Accessible(tab.Ctx, "the text of a bundle")
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('a.mark[href="index.html#page=2"]').click(), true)`)
	tab.Until(tab.Ctx, `location.hash === '#page=2' && document.getElementById('page=2')?.getBoundingClientRect().top < innerHeight / 2`)

	require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 0, setting.PatchOf(setting.Download, false, setting.TextView, setting.Closed)))
	var names []string
	for _, f := range unzipped(t, h, p.ID).File {
		names = append(names, f.Name)
	}
	assert.NotContains(t, names, "document.pdf")
	assert.NotContains(t, names, "text.html")
	assert.Contains(t, names, "index.html")
	status, _, _ := h.Visitor(t).Get(fmt.Sprintf("/stage/%d/bundle", p.ID))
	assert.Equal(t, http.StatusNotFound, status, "for editors alone")
}
