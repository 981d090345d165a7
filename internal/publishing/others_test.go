package publishing_test

import (
	"errors"
	"fmt"
	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/draft"
	"incipit/internal/publishing"
	"incipit/internal/testkit"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOthersOfACollectionAreNamed(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	kept, err := s.Publishing.AddCollection(ctx, collection.New("Surveys"))
	require.NoError(t, err)
	first := kept.Content
	first.Name = "Counts"
	_, err = s.Publishing.ChangeCollection(ctx, kept.ID, 0, "Maren", first, nil)
	require.NoError(t, err)
	second := first
	second.Arrangement = collection.Grid
	_, err = s.Publishing.ChangeCollection(ctx, kept.ID, 1, "Piet", second, nil)
	require.NoError(t, err)
	mine := kept.Content
	mine.Name = "Tables"
	_, err = s.Publishing.ChangeCollection(ctx, kept.ID, 0, "Ada", mine, nil)
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
	change := func(seen int64, by, of, text string) error {
		return s.Publishing.Rewrite(ctx, w.ID, seen, by, func(r publishing.Rewritten) (webpage.Page, error) {
			return r.Now.Content.Done(webpage.Act{Do: webpage.DoChange, Block: ids[of], New: block(text)})
		})
	}
	require.NoError(t, change(1, "Maren", "a", "Maren's"))
	for i := range 20 {
		require.NoError(t, change(1, "Piet", "b", fmt.Sprint("Piet's ", i)))
	}
	stop := errors.New("stop")
	for of, want := range map[string]string{"a": "Maren", "b": "Piet"} {
		err := s.Publishing.Rewrite(ctx, w.ID, 1, "Ada", func(r publishing.Rewritten) (webpage.Page, error) {
			act := webpage.Act{Do: webpage.DoChange, Block: ids[of]}
			require.True(t, webpage.Touched(r.Saw.Content, r.Now.Content, act))
			last, err := r.Last(func(before, after webpage.Page) bool { return webpage.Touched(before, after, act) })
			require.NoError(t, err)
			assert.Equal(t, want, last.MadeBy)
			return webpage.Page{}, stop
		})
		require.ErrorIs(t, err, stop)
	}
	var stale *draft.Stale
	require.ErrorAs(t, s.Publishing.MoveWebPage(ctx, w.ID, 1, "Ada", -1), &stale)
	assert.Len(t, stale.Made, 1, "all of it is in the rows, which Piet changed last")
}
