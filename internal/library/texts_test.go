package library_test

import (
	"fmt"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
	"incipit/internal/core/textflow"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

func TestTextsAreKeptAndFound(t *testing.T) {
	s := testkit.Nouns(t)
	_, e := testkit.Added(t, s, "tides")
	_, other := testkit.Added(t, s, "other")
	layer := pdf.Layer{Runs: []overlay.Run{{Text: "100% of_it", X: 10, Y: 20, Size: 9, Length: 50, Places: []float64{0, 5, 5, 5}}},
		Blocks: []overlay.Block{{Kind: overlay.Heading, Level: 2}}}
	packed, err := library.PackLayer(layer)
	require.NoError(t, err)
	var texts []library.PageText
	for page, text := range map[int]string{1: "100% of_it", 2: "100x ofxit", 3: "low water, 100% of_it"} {
		texts = append(texts, library.PageText{EditionID: e.ID, Page: page, Plain: text, Folded: text, Layer: packed})
	}
	require.NoError(t, s.Library.KeepTexts(t.Context(), e.ID, texts, 3))
	require.NoError(t, s.Library.KeepTexts(t.Context(), e.ID, texts, 3), "twice does no harm")
	require.NoError(t, s.Library.KeepTexts(t.Context(), other.ID, []library.PageText{{EditionID: other.ID, Page: 1, Plain: "100% of_it",
		Folded: "100% of_it", Layer: packed}}, 1))
	for words, want := range map[string]string{"100% of_it": "[1 3]", "%": "[1 3]", "_": "[1 3]", "ofx": "[2]", `\`: "[]", "100": "[1 2 3]"} {
		found, err := s.Library.PagesWith(t.Context(), e.ID, words, 1, 0)
		require.NoError(t, err)
		pages := []int{}
		for _, p := range found {
			pages = append(pages, p.Page)
		}
		assert.Equal(t, want, fmt.Sprint(pages), words)
	}
	some, err := s.Library.PagesWith(t.Context(), e.ID, "100", 2, 1)
	require.NoError(t, err)
	require.Len(t, some, 1)
	assert.Equal(t, 2, some[0].Page)
	p, err := s.Library.PageText(t.Context(), e.ID, 3)
	require.NoError(t, err)
	got, err := p.Unpacked()
	require.NoError(t, err)
	assert.Equal(t, layer, got)
	_, err = s.Library.PageText(t.Context(), e.ID, 4)
	require.ErrorIs(t, err, database.ErrNotFound)
	style := textflow.Style{Body: 11, Headings: []float64{16}, Edges: []textflow.Edge{{Key: "x", First: 2}}, Hyphened: []string{"spring-tide"}}
	require.NoError(t, s.Library.KeepFlow(t.Context(), e.ID, style))
	kept, err := s.Library.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	assert.Equal(t, style, kept.Flow)
	assert.Equal(t, 3, kept.Indexed)
	require.NoError(t, s.Library.RemoveDocument(t.Context(), e.DocumentID, "Maren Oakes"))
	require.NoError(t, s.Library.ForgetRemoved(t.Context(), time.Now().Add(time.Minute)))
	left, err := s.Library.PageTexts(t.Context(), e.ID, 1, 9)
	require.NoError(t, err)
	assert.Empty(t, left, "texts go with their document")
}
