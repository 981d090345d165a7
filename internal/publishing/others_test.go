package publishing_test

import (
	"errors"
	"fmt"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/draft"
	"incipit/internal/testkit"
)

func TestOthersOfACollectionAreNamed(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	kept, err := s.Publishing.AddCollection(ctx, collection.New("Surveys"))
	require.NoError(t, err)
	first := kept.Content
	first.Name = "Counts"
	_, err = s.Publishing.ChangeCollection(ctx, kept.ID, 0, "Maren", first)
	require.NoError(t, err)
	second := first
	second.Arrangement = collection.Grid
	_, err = s.Publishing.ChangeCollection(ctx, kept.ID, 1, "Piet", second)
	require.NoError(t, err)
	mine := kept.Content
	mine.Name = "Tables"
	_, err = s.Publishing.ChangeCollection(ctx, kept.ID, 0, "Ada", mine)
	var clash *draft.Clash
	require.True(t, errors.As(err, &clash), "%v", err)
	require.Len(t, clash.Made, 1)
	assert.Equal(t, "Maren", clash.Made[0].By)
}

// Of all who changed a page, the one is named who made what an act is about as it is, also
// past more steps than are read at once.
func TestOthersOfAPageAreNamed(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	block := func(text string) *webpage.Block { return &webpage.Block{Kind: webpage.Text, Text: text} }
	page, err := webpage.New("Visit").Done(webpage.Act{Do: webpage.DoAddBelow, New: block("a")})
	require.NoError(t, err)
	page, err = page.Done(webpage.Act{Do: webpage.DoAddBelow, New: block("b")})
	require.NoError(t, err)
	ids := map[string]string{}
	for _, b := range page.Blocks() {
		ids[b.Text] = b.ID
	}
	w, err := s.Publishing.AddWebPage(ctx, "visit", page, "Maren")
	require.NoError(t, err)
	change := func(seen int64, by, of, text string) ([]draft.Made, error) {
		return s.Publishing.Act(ctx, w.ID, seen, by, webpage.Act{Do: webpage.DoChange, Block: ids[of], New: block(text)}, false)
	}
	_, err = change(1, "Maren", "a", "Maren's")
	require.NoError(t, err)
	others, err := change(1, "Piet", "b", "Piet's")
	require.NoError(t, err)
	assert.Equal(t, "Maren", others[0].By, "whose change stands beside")
	for i := range 20 {
		step, err := s.Publishing.WebPageDraft(ctx, w.ID)
		require.NoError(t, err)
		_, err = change(step.Revision, "Piet", "b", fmt.Sprint("Piet's ", i))
		require.NoError(t, err)
	}
	for of, want := range map[string]string{"a": "Maren", "b": "Piet"} {
		_, err := change(1, "Ada", of, "Ada's")
		var clash *draft.Clash
		require.ErrorAs(t, err, &clash)
		assert.Equal(t, want, clash.Made[0].By)
	}
	var stale *draft.Stale
	require.ErrorAs(t, s.Publishing.MoveWebPage(ctx, w.ID, 1, "Ada", -1), &stale)
	assert.Len(t, stale.Made, 1, "all of it is in the rows, which Piet changed last")
}
