package publishing_test

import (
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// Lists are told whole, part by part: each row once, also where others add and remove
// meanwhile, and how many there are.
func TestListsEndNowhereInSilence(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	_, err := s.DB.Pool.Exec(ctx, `
		INSERT INTO documents (title) SELECT 'Report ' || n FROM generate_series(1, 330) n;
		INSERT INTO editions (document_id, number, sha256, bytes, file_name, blob_key, pages, pages_known, state, sheets)
		SELECT id, 1, 'sha' || id, 7, 'r.pdf', 'files/' || id, 1, 1, 'ready', '[]' FROM documents;
		INSERT INTO placements (key, document_id, updated_at) SELECT lpad(id::text, 20, 'a'), id, now() - make_interval(secs => id % 7) FROM documents`)
	require.NoError(t, err)

	seen := map[int64]int{}
	below := int64(0)
	for part := 0; ; part++ {
		page, err := s.Library.Find(ctx, library.Wanted{Below: below})
		require.NoError(t, err)
		if part == 0 {
			assert.Equal(t, 330, page.All)
			assert.Len(t, page.Rows, 100)
		}
		for _, d := range page.Rows {
			seen[d.ID]++
			assert.EqualValues(t, 1, d.Placements)
		}
		if part == 1 { // somebody adds one, and removes one that was seen
			testkit.Added(t, s, "A new one")
			require.NoError(t, s.Library.RemoveDocument(ctx, 330, "Maren Oakes"))
		}
		if below = page.Below; below == 0 {
			break
		}
	}
	assert.Len(t, seen, 330)
	for id, n := range seen {
		assert.Equal(t, 1, n, "document %d", id)
	}
	found, err := s.Library.Find(ctx, library.Wanted{Words: "report 1", Order: library.Newest})
	require.NoError(t, err)
	assert.Equal(t, 111, found.All, "1, 10 to 19, 100 to 199")

	clear(seen)
	below = 0
	for {
		page, err := s.Placing.PlacementsBelow(ctx, below)
		require.NoError(t, err)
		for _, p := range page.Rows {
			seen[p.ID]++
		}
		if below = page.Below; below == 0 {
			break
		}
	}
	assert.Len(t, seen, 329)
}

// Where a document stands is found wherever that is: in drafts, in what readers see, as
// a link, in collections and on other websites, however many those are.
func TestWhereADocumentStands(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, _ := testkit.Added(t, s, "tides")
	p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	page := func(path string, b *webpage.Block) webpage.Page {
		content := webpage.New(path)
		if b != nil {
			content, err = content.Done(webpage.Act{Do: webpage.DoAddBelow, New: b})
			require.NoError(t, err)
		}
		return content
	}
	set := &webpage.Block{Kind: webpage.Placement, Of: p.ID}
	for path, b := range map[string]*webpage.Block{"drafted": set,
		"linked": {Kind: webpage.Link, Text: "Tides", Address: "/r/" + p.Key + "#page=2"}, "other": {Kind: webpage.Placement, Of: p.ID + 1},
		"empty": nil} {
		_, err := s.Publishing.AddWebPage(ctx, path, page(path, b), "Maren")
		require.NoError(t, err)
	}
	// Readers see it still, and the draft has it no more; and the other way round.
	for path, withdrawn := range map[string]bool{"published": false, "withdrawn": true} {
		w, err := s.Publishing.AddWebPage(ctx, path, page(path, set), "Maren")
		require.NoError(t, err)
		require.NoError(t, s.Publishing.PublishWebPage(ctx, w.ID, 1, "Maren", webpage.Plan{}))
		if withdrawn {
			require.NoError(t, s.Publishing.WithdrawWebPage(ctx, w.ID, 1, "Maren"))
		}
		require.NoError(t, s.Publishing.SetWebPage(ctx, w.ID, 1, "Maren", page(path, nil)))
	}
	gather := func(name string, items []collection.Item) {
		content := collection.New(name)
		content.Items = items
		_, err := s.Publishing.AddCollection(ctx, content)
		require.NoError(t, err)
	}
	gather("With it", []collection.Item{{Placement: p.ID}})
	gather("Without", []collection.Item{{Placement: p.ID + 1}})
	for i := range 60 {
		require.NoError(t, s.Placing.NoteSeen(ctx, p.ID, "https://www.harrowmere.example/"+string(rune('a'+i%26))+string(rune('a'+i/26)),
			placing.Room{Column: 600}))
	}
	uses, err := s.Publishing.UsesOf(ctx, d.ID)
	require.NoError(t, err)
	var names []string
	pages := 0
	for _, u := range uses {
		if u.Page != "" {
			pages++
			continue
		}
		names = append(names, u.Name)
	}
	assert.ElementsMatch(t, []string{"drafted", "linked", "published", "With it"}, names)
	assert.Equal(t, 60, pages)
}
