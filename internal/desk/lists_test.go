package desk_test

import (
	"encoding/json"
	"fmt"
	"html"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

// A list that is longer than its screen says so and leads to the rest.
func TestListsSayTheirParts(t *testing.T) {
	h := testkit.Open(t)
	_, err := h.DB.Pool.Exec(t.Context(), `
		INSERT INTO documents (title) SELECT 'Report ' || n FROM generate_series(1, 120) n;
		INSERT INTO editions (document_id, number, sha256, bytes, file_name, blob_key, pages, pages_known, state, measured, sheets)
		SELECT id, 1, 'sha' || id, 7, 'r.pdf', 'files/' || id, 1, 1, 'ready', true, '[{"width":595,"height":842,"label":"1"}]' FROM documents;
		INSERT INTO placements (key, document_id) SELECT lpad(id::text, 20, 'a'), id FROM documents`)
	require.NoError(t, err)
	c := h.Editor(t)
	later := regexp.MustCompile(`href="(\?[^"]*below=\d+[^"]*)"`)
	for path, rest := range map[string]string{"/documents?stands=draft": "20 of 120", "/placements": "20 of 120"} {
		status, body, _ := c.Get(path)
		require.Equal(t, http.StatusOK, status)
		assert.Contains(t, body, "100 of 120", path)
		link := later.FindStringSubmatch(body)
		require.NotNil(t, link, path)
		base, _, _ := strings.Cut(path, "?")
		status, body, _ = c.Get(base + html.UnescapeString(link[1]))
		require.Equal(t, http.StatusOK, status)
		assert.Contains(t, body, rest, path)
		assert.Contains(t, body, "To the start of the list")
		assert.NotContains(t, body, "Show those after them")
	}
	_, body, _ := c.Get("/documents?find=report+12")
	assert.NotContains(t, body, `class="paging"`, "what fits needs no parts")
}

// Who adds a file that is here already is told where; both stand.
func TestTheSameFileTwiceIsTold(t *testing.T) {
	h := testkit.Open(t)
	c := h.Editor(t)
	var first, second struct {
		Title string
		Twice []string `json:"twice"`
	}
	content := hostile.ThinPage()
	status, body := upload(t, c, "thin.pdf", content)
	require.Equal(t, http.StatusCreated, status)
	require.NoError(t, json.Unmarshal([]byte(body), &first), body)
	assert.Empty(t, first.Twice)
	status, body = upload(t, c, "thin again.pdf", content)
	require.Equal(t, http.StatusCreated, status)
	require.NoError(t, json.Unmarshal([]byte(body), &second), body)
	assert.Equal(t, []string{first.Title}, second.Twice)
	_, body, _ = c.Get("/documents")
	assert.Equal(t, 2, strings.Count(body, "<tr data-id="))
}

// A title that is written from the right turns nothing around it: lists keep each apart.
func TestTitlesAreKeptApart(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "trail-map.pdf")
	title := "دليل المستنقع (2027)"
	require.NoError(t, h.Library.Retitle(t.Context(), d.ID, title))
	_, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	_, err = h.Publishing.AddWebPage(t.Context(), "", webpage.New(title), "Maren Oakes")
	require.NoError(t, err)
	_, err = h.Publishing.AddCollection(t.Context(), collection.New(title))
	require.NoError(t, err)
	c := h.Editor(t)
	for _, path := range []string{"/documents", "/placements", "/web-pages", "/collections"} {
		_, body, _ := c.Get(path)
		assert.Contains(t, body, "<bdi>"+title+"</bdi>", path)
	}
}

// The history of a page that was published often goes on below its first part.
func TestALongHistoryGoesOn(t *testing.T) {
	h := testkit.Open(t)
	w, err := h.Publishing.Begin(t.Context(), "Visiting", "", "Maren Oakes")
	require.NoError(t, err)
	for range 103 {
		require.NoError(t, h.Publishing.PublishWebPage(t.Context(), w.ID, 1, "Maren Oakes", webpage.Plan{}))
	}
	c := h.Editor(t)
	path := fmt.Sprintf("/web-pages/%d/history", w.ID)
	_, body, _ := c.Get(path)
	assert.Equal(t, 100, strings.Count(body, "data-version="))
	assert.Contains(t, body, "100 of 103")
	assert.Contains(t, body, `href="?below=4"`)
	assert.Contains(t, body, `href="?turns=4"`)
	_, body, _ = c.Get(path + "?below=4&from=90&to=2")
	assert.Equal(t, 3, strings.Count(body, "data-version="))
	assert.Contains(t, body, `<option value="90" selected>version 90</option>`)
	assert.Contains(t, body, "They are the same.")
	_, body, _ = c.Get(path + "?turns=4")
	assert.Contains(t, body, "version 3 ")
	assert.NotContains(t, body, "version 4 <")
}

// Who has no script is told in a page why nothing was kept.
func TestRefusalsWithoutScript(t *testing.T) {
	h := testkit.Open(t)
	editor := h.Editor(t)
	_, page, _ := editor.Get("/documents")
	token := html.UnescapeString(regexp.MustCompile(`name="csrf" value="([^"]+)"`).FindStringSubmatch(page)[1])
	for _, name := range []string{"", strings.Repeat("x", 61)} {
		r, err := http.NewRequest("POST", h.URL+"/documents/views", strings.NewReader(url.Values{"csrf": {token}, "name": {name}, "query": {"find=x"}}.Encode()))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("Sec-Fetch-Site", "same-origin")
		answer, err := editor.Do(r)
		require.NoError(t, err)
		said, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		assert.Equal(t, http.StatusUnprocessableEntity, answer.StatusCode)
		assert.Contains(t, answer.Header.Get("Content-Type"), "text/html")
		assert.Contains(t, string(said), "A name has 1 to 60 characters. Nothing was kept.")
	}
}
