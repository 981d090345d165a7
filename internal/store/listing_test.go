package store_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/store"
)

// Lists are told whole, part by part: each row once, also where others add and remove
// meanwhile, and how many there are.
func TestListsEndNowhereInSilence(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	_, err := s.Pool.Exec(ctx, `
		INSERT INTO documents (title) SELECT 'Report ' || n FROM generate_series(1, 330) n;
		INSERT INTO editions (document_id, number, sha256, bytes, file_name, blob_key, pages, pages_known, state, sheets)
		SELECT id, 1, 'sha' || id, 7, 'r.pdf', 'files/' || id, 1, 1, 'ready', '[]' FROM documents;
		INSERT INTO placements (key, document_id, updated_at) SELECT lpad(id::text, 20, 'a'), id, now() - make_interval(secs => id % 7) FROM documents`)
	require.NoError(t, err)

	seen := map[int64]int{}
	below := int64(0)
	for part := 0; ; part++ {
		page, err := s.DocumentsBelow(ctx, "", below)
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
			add(t, s, "A new one")
			require.NoError(t, s.RemoveDocument(ctx, 330))
		}
		if below = page.Below; below == 0 {
			break
		}
	}
	assert.Len(t, seen, 330)
	for id, n := range seen {
		assert.Equal(t, 1, n, "document %d", id)
	}
	found, err := s.DocumentsBelow(ctx, "report 1", 0)
	require.NoError(t, err)
	assert.Equal(t, 111, found.All, "1, 10 to 19, 100 to 199")

	clear(seen)
	below = 0
	for {
		page, err := s.PlacementsBelow(ctx, below)
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
	s := open(t)
	ctx := t.Context()
	d, _ := add(t, s, "tides")
	p, err := s.Place(ctx, d.ID, store.Start{})
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
	for path, b := range map[string]*webpage.Block{"drafted": set, "linked": {Kind: webpage.Link, Text: "Tides", Address: "/r/" + p.Key + "#page=2"}, "other": {Kind: webpage.Placement, Of: p.ID + 1}, "empty": nil} {
		_, err := s.AddWebPage(ctx, path, page(path, b), "Maren")
		require.NoError(t, err)
	}
	// Readers see it still, and the draft has it no more; and the other way round.
	for path, withdrawn := range map[string]bool{"published": false, "withdrawn": true} {
		w, err := s.AddWebPage(ctx, path, page(path, set), "Maren")
		require.NoError(t, err)
		require.NoError(t, s.PublishWebPage(ctx, w.ID, 1, "Maren", webpage.Plan{}))
		if withdrawn {
			require.NoError(t, s.WithdrawWebPage(ctx, w.ID, 1, "Maren"))
		}
		require.NoError(t, s.Rewrite(ctx, w.ID, 1, "Maren", func(store.Rewritten) (webpage.Page, error) { return page(path, nil), nil }))
	}
	_, err = s.AddCollection(ctx, collection.Collection{Name: "With it", Items: []collection.Item{{Placement: p.ID}}})
	require.NoError(t, err)
	_, err = s.AddCollection(ctx, collection.Collection{Name: "Without", Items: []collection.Item{{Placement: p.ID + 1}}})
	require.NoError(t, err)
	for i := range 60 {
		require.NoError(t, s.NoteSeen(ctx, p.ID, "https://www.harrowmere.example/"+string(rune('a'+i%26))+string(rune('a'+i/26)),
			store.Room{Column: 600}))
	}
	uses, err := s.UsesOf(ctx, d.ID)
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
