package bench

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

const (
	manyDocuments   = 10_000 // of 100 pages, each with a published placement
	manyCollections = 200    // of 20 documents
	manyPages       = 500    // that are published, each with a document
	manyTimes       = 30     // that each thing is asked for
)

// seedMany fills a house: one document that was read as others are, and copies of its
// rows.
func seedMany(b *testing.B, h *testkit.House) {
	b.Helper()
	_, e, err := h.Intake.Receive(b.Context(), "register.pdf", bytes.NewReader(hostile.ManyPages(100)), 0)
	require.NoError(b, err)
	h.Measured(b, e.DocumentID)
	p, err := h.Placing.Place(b.Context(), e.DocumentID, placing.Start{Patch: setting.PatchOf(setting.Align, setting.Left)})
	require.NoError(b, err)
	s := setting.Default()
	s.Align = setting.Left
	h.Publish(b, p.ID, s)
	group := collection.New("Surveys")
	for i := range int64(20) {
		group.Items = append(group.Items, collection.Item{Placement: i + 1})
	}
	content, err := json.Marshal(group)
	require.NoError(b, err)
	page, err := webpage.New("Visit").Done(webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Placement, Of: p.ID}})
	require.NoError(b, err)
	drawn, err := json.Marshal(page)
	require.NoError(b, err)
	for _, sql := range []string{
		fmt.Sprintf(`INSERT INTO documents (title) SELECT 'Register of ' || (1900 + n %% 120) || ', part ' || n FROM generate_series(2, %d) n`,
			manyDocuments),
		`INSERT INTO editions (document_id, number, sha256, bytes, file_name, blob_key, state, pages, pages_known, sheets, facts, has_text, measured, type, images, indexed, flow)
			SELECT d.id, 1, md5(d.id::text) || md5(d.id::text), e.bytes, e.file_name, e.blob_key || '-' || d.id, 'ready', e.pages, e.pages_known, e.sheets, e.facts, e.has_text, true, e.type, e.images, e.pages, e.flow
			FROM documents d, (SELECT * FROM editions ORDER BY id LIMIT 1) e WHERE d.id > 1`,
		`INSERT INTO placements (key, document_id, step, published) SELECT lpad(d.id::text, 20, 'a'), d.id, p.step, p.published FROM documents d, (SELECT * FROM placements ORDER BY id LIMIT 1) p WHERE d.id > 1`,
		`INSERT INTO draft_steps (kind, subject, revision, content) SELECT 'placement', p.id, s.revision, s.content FROM placements p, (SELECT * FROM draft_steps WHERE kind = 'placement' AND subject = 1) s WHERE p.id > 1`,
		`INSERT INTO placement_versions (placement_id, number, settings, edition_id, published_at) SELECT p.id, v.number, v.settings, e.id, v.published_at
			FROM placements p JOIN editions e ON e.document_id = p.document_id, (SELECT * FROM placement_versions WHERE placement_id = 1) v WHERE p.id > 1`,
	} {
		_, err := h.DB.Pool.Exec(b.Context(), sql)
		require.NoError(b, err, sql)
	}
	_, err = h.DB.Pool.Exec(b.Context(), `INSERT INTO collections (key, content) SELECT lpad(n::text, 20, 'c'), $1 FROM generate_series(1, $2::int) n`, string(content), manyCollections)
	require.NoError(b, err)
	_, err = h.DB.Pool.Exec(b.Context(), `INSERT INTO draft_steps (kind, subject, revision, content) SELECT 'collection', id, revision, content FROM collections`)
	require.NoError(b, err)
	for _, sql := range []string{
		`INSERT INTO web_pages (step) SELECT 1 FROM generate_series(1, $1::int)`,
		`INSERT INTO draft_steps (kind, subject, revision, content) SELECT 'page', id, 1, jsonb_set($1::jsonb, '{title}', to_jsonb('Visit ' || id)) FROM web_pages`,
		`INSERT INTO web_page_versions (web_page_id, number, content, made_by) SELECT id, 1, jsonb_set($1::jsonb, '{title}', to_jsonb('Visit ' || id)), 'Maren Oakes' FROM web_pages`,
		`INSERT INTO web_page_turns (web_page_id, version, due, made_by) SELECT id, 1, now(), 'Maren Oakes' FROM web_pages`,
		`INSERT INTO web_page_paths (path, web_page_id) SELECT 'visit-' || id, id FROM web_pages`,
		`INSERT INTO seen_pages (placement_id, page, width) SELECT id, 'https://www.harrowmere.example/' || id, 700 FROM placements`,
	} {
		var args []any
		if strings.Contains(sql, "$1::int") {
			args = []any{manyPages}
		} else if strings.Contains(sql, "$1") {
			args = []any{string(drawn)}
		}
		_, err = h.DB.Pool.Exec(b.Context(), sql, args...)
		require.NoError(b, err, sql)
	}
	_, err = h.DB.Pool.Exec(b.Context(), "ANALYZE")
	require.NoError(b, err)
}

// memory gives what the server's process has had in memory at most, MB.
func memory(b *testing.B) int {
	b.Helper()
	status, err := os.ReadFile("/proc/self/status")
	require.NoError(b, err)
	var kb int
	_, after, _ := strings.Cut(string(status), "VmHWM:")
	_, err = fmt.Sscan(after, &kb)
	require.NoError(b, err)
	return kb >> 10
}

// BenchmarkManyDocuments asks a house with 10,000 documents for what its editors and
// readers ask for most, and changes house style in all of it at once.
func BenchmarkManyDocuments(b *testing.B) {
	h := testkit.Open(b)
	begun := time.Now()
	seedMany(b, h)
	fmt.Printf("\n%d documents, %d collections, %d web pages: made in %.0f s\n", manyDocuments, manyCollections, manyPages,
		time.Since(begun).Seconds())
	c := h.Editor(b)
	revision := int64(1)
	send := func(method, path, body string) string {
		mediaType := ""
		if body != "" {
			mediaType = "application/json"
		}
		status, answer, _ := c.Send(method, path, mediaType, body)
		require.Equal(b, http.StatusOK, status, "%s %s: %.300s", method, path, answer)
		return answer
	}
	for range b.N {
		for _, what := range []struct {
			name string
			ask  func(i int) string
		}{
			{"documents", func(int) string { return send("GET", "/documents", "") }},
			{"search in the list", func(i int) string { return send("GET", fmt.Sprintf("/documents?find=part+%d", 100+i), "") }},
			{"placements", func(int) string { return send("GET", "/placements", "") }},
			{"collections", func(int) string { return send("GET", "/collections", "") }},
			{"a collection", func(i int) string { return send("GET", fmt.Sprintf("/collections/%d", i+1), "") }},
			{"web pages", func(int) string { return send("GET", "/web-pages", "") }},
			{"a web page's bench", func(i int) string { return send("GET", fmt.Sprintf("/web-pages/%d", i+1), "") }},
			{"house style", func(int) string { return send("GET", "/house-style/state", "") }},
			{"house style, one field", func(i int) string {
				return send("POST", "/house-style/thought", fmt.Sprintf(`{"revision":0,"set":{"padding":%d}}`, i+1))
			}},
			{"bench", func(i int) string { return send("GET", fmt.Sprintf("/placements/%d/state", 5000+i), "") }},
			{"one setting", func(i int) string {
				answer := send("PATCH", "/placements/5000/draft", fmt.Sprintf(`{"revision":%d,"set":{"padding":%d}}`, revision, 1+i%40))
				revision++
				return answer
			}},
			{"a published page", func(i int) string { return send("GET", fmt.Sprintf("/pages/visit-%d", i+1), "") }},
			{"where it stands", func(i int) string { return send("POST", "/documents/uses", fmt.Sprintf(`{"documents":[%d]}`, 1+i)) }},
		} {
			took := make([]time.Duration, manyTimes)
			bytes, before := 0, h.DB.Asked()
			for i := range took {
				begun := time.Now()
				bytes = len(what.ask(i))
				took[i] = time.Since(begun)
			}
			asked := float64(h.DB.Asked()-before) / manyTimes
			slices.Sort(took)
			fmt.Printf("%-24s %5.0f ms in the median, %5.0f ms for 95 of 100, %4.0f KB, %5.1f statements; %d MB\n", what.name,
				float64(took[len(took)/2].Microseconds())/1e3, float64(took[len(took)*95/100].Microseconds())/1e3, float64(bytes)/1e3, asked, memory(b))
		}
	}
	begun = time.Now()
	send("PATCH", "/house-style", `{"revision":0,"set":{"corner":5},"at_once":true}`)
	answered := time.Since(begun)
	var last *placing.Carry
	patience.Until(b, func() bool {
		var err error
		last, _, err = h.Placing.LastCarry(b.Context())
		return err == nil && last.EndedAt != nil
	})
	fmt.Printf("house style at once: answered after %.0f ms; %d placements published after %.1f s; %d MB\n",
		float64(answered.Milliseconds()), last.Published, time.Since(begun).Seconds(), memory(b))
}
