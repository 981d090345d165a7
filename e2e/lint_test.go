package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/collection"
	"incipit/internal/testkit"
)

// TestPagesForLint writes every page as it is served, where INCIPIT_PAGES names
// the folder: make lint.
func TestPagesForLint(t *testing.T) {
	dir := os.Getenv("INCIPIT_PAGES")
	if dir == "" {
		t.Skip("INCIPIT_PAGES is not set")
	}
	h := testkit.Open(t)
	keep := func(name, html string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name+".html"), []byte(html), 0o644))
	}
	page := func(name string, c *testkit.Client, path string, want int) {
		status, html, _ := c.Get(path)
		require.Equal(t, want, status, path)
		keep(name, html)
	}
	editor, visitor := h.Editor(t), h.Visitor(t)
	page("documents-empty", editor, "/documents", 200)
	page("placements-empty", editor, "/placements", 200)
	address, _, _ := onWebsite(t, h, "volunteer-handbook.pdf", nil)
	for name, path := range map[string]string{"documents": "/documents", "placements": "/placements", "bench": "/placements/1",
		"starters": "/placements/1/starters", "house-style": "/house-style"} {
		page(name, editor, path, 200)
	}
	for name, path := range map[string]string{"collections-empty": "/collections", "web-pages-empty": "/web-pages",
		"signing-keys-empty": "/signing-keys", "ways": "/placements/1/ways", "check": "/check"} {
		page(name, editor, path, 200)
	}
	// What the demo publishes, and its screens.
	for _, d := range demo.Documents() {
		require.NoError(t, demo.Add(t.Context(), h.App, d))
	}
	require.NoError(t, demo.Pages(t.Context(), h.App, h.Pages))
	_, err := h.Placing.AddSigningKey(t.Context(), "portal")
	require.NoError(t, err)
	for name, path := range map[string]string{"collections": "/collections", "collection": "/collections/1", "web-pages": "/web-pages",
		"web-page": "/web-pages/1", "history": "/web-pages/2/history", "signing-keys": "/signing-keys"} {
		page(name, editor, path, 200)
	}
	for _, path := range []string{"", "/visit", "/surveys"} {
		page("published"+strings.ReplaceAll(path, "/", "-"), visitor, "/pages"+path, 200)
	}
	page("published-note", visitor, "/pages/nowhere", 404)
	for id := range int64(2) {
		c, err := h.Publishing.Collection(t.Context(), id+1)
		require.NoError(t, err)
		for _, as := range []collection.Arrangement{collection.List, collection.Grid, collection.Chooser} {
			c.Content.Arrangement = as
			h.Gather(t, c.ID, c.Content)
			page(fmt.Sprintf("collection-%d-%s", c.ID, as), visitor, "/c/"+c.Key, 200)
		}
	}
	page("sign-in", visitor, "/sign-in", 200)
	page("reader", visitor, address[len(h.URL):], 200)
	page("plain", visitor, address[len(h.URL):]+"/plain", 200)
	page("print", visitor, address[len(h.URL):]+"/print", 200)
	page("note", visitor, "/r/unknown", 404)
	source, err := h.Pages.Page("visiting")
	require.NoError(t, err)
	// A width of 100 % is no number, as HTML wants it, but the right size where
	// a website strips styles; see docs/decisions.md.
	allowed := "<!-- [html-validate-disable-block attribute-allowed-values: 100 % where styles are stripped] -->"
	keep("website", fmt.Sprintf("<!doctype html>\n<html lang=\"en\"><head><title>x</title></head><body>%s</body></html>\n", allowed+source))
}
