package app_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/webpage"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// What the database is asked for the commonest things; what is published costs nothing
// while nothing changes.
func TestStatements(t *testing.T) {
	h := testkit.Open(t)
	p, e := h.Published(t, "leaflet-welcome.pdf", nil)
	h.Measured(t, e.DocumentID)
	h.Indexed(t, e.ID)
	page, err := webpage.New("Visit").Done(webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Placement, Of: p.ID}})
	require.NoError(t, err)
	w, err := h.Publishing.AddWebPage(t.Context(), "visit", page, "Maren Oakes")
	require.NoError(t, err)
	require.NoError(t, h.Publishing.PublishWebPage(t.Context(), w.ID, 1, "Maren Oakes", webpage.Plan{}))
	visitor, editor := h.Visitor(t), h.Editor(t)
	costs := func(do func() (int, string, http.Header)) (int64, string) {
		t.Helper()
		before := h.DB.Asked()
		status, body, _ := do()
		require.Equal(t, http.StatusOK, status, body)
		return h.DB.Asked() - before, body
	}
	get := func(path string) func() (int, string, http.Header) {
		return func() (int, string, http.Header) { return visitor.Get(path) }
	}
	for path, most := range map[string]int64{"/r/" + p.Key: 3, "/pages/visit": 4} {
		first, body := costs(get(path))
		t.Logf("%s: %d", path, first)
		assert.LessOrEqual(t, first, most, "%s, the first time", path)
		// What jobs still write of the document is a change, too.
		patience.Until(t, func() bool {
			again, same := costs(get(path))
			return again == 0 && same == body
		}, "%s, again", path)
	}
	// A change is seen at once.
	status, _, _ := editor.Send("POST", fmt.Sprintf("/documents/%d/title", e.DocumentID), "application/x-www-form-urlencoded",
		"title=Another+name")
	require.Less(t, status, 400)
	_, body := costs(get("/pages/visit"))
	assert.Contains(t, body, "Another name")

	// So is one that another server makes, as soon as the database has told of it.
	for _, change := range []string{
		`UPDATE site_frame SET content = jsonb_set(content, '{name}', '"The marsh"')`,
		`UPDATE web_page_versions SET content = jsonb_set(content, '{title}', '"Seen anew"')`,
	} {
		_, err := h.DB.Pool.Exec(t.Context(), "INSERT INTO site_frame (content) VALUES ('{\"name\":\"x\",\"links\":[],\"footer\":\"\",\"accent\":\"#256b5c\",\"language\":\"en\"}') ON CONFLICT DO NOTHING")
		require.NoError(t, err)
		_, err = h.DB.Pool.Exec(t.Context(), change)
		require.NoError(t, err)
	}
	patience.Until(t, func() bool {
		_, body, _ := visitor.Get("/pages/visit")
		return strings.Contains(body, "The marsh") && strings.Contains(body, "Seen anew")
	})

	n, _ := costs(func() (int, string, http.Header) {
		return editor.Send("PATCH", fmt.Sprintf("/placements/%d/draft", p.ID), "application/json", `{"revision":1,"set":{"padding":4}}`)
	})
	t.Logf("a changed setting: %d statements", n)
	assert.LessOrEqual(t, n, int64(8))
}
