package publishing_test

import (
	"context"
	"sync"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/placing"
	"incipit/internal/publishing"
	"incipit/internal/testkit"
)

func TestWebPages(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	p, err := s.Publishing.AddWebPage(ctx, "visit", webpage.New("Visit"), "Maren")
	require.NoError(t, err)
	_, err = s.Publishing.AddWebPage(ctx, "visit", webpage.New("Other"), "Maren")
	require.ErrorIs(t, err, publishing.ErrTaken)
	all, err := s.Publishing.WebPagesBelow(ctx, 0)
	require.NoError(t, err)
	require.Equal(t, 1, all.All, "a page whose address is taken is not made")

	retitle := func(mark int64, title string) error {
		_, err := s.Publishing.Act(ctx, p.ID, mark, "Piet", webpage.Act{Do: webpage.DoRename, Title: title}, false)
		return err
	}
	first, err := s.Publishing.WebPageDraft(ctx, p.ID)
	require.NoError(t, err)
	require.NoError(t, retitle(first.Revision, "Two"))
	second, err := s.Publishing.WebPageDraft(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, "Two", second.Content.Title)
	assert.Equal(t, "Piet", second.MadeBy)
	require.ErrorIs(t, s.Publishing.MoveWebPage(ctx, p.ID, first.Revision, "Piet", -1), placing.ErrStale)
	require.NoError(t, s.Publishing.MoveWebPage(ctx, p.ID, second.Revision, "Piet", -1))
	require.NoError(t, retitle(first.Revision, "Three"))
	third, err := s.Publishing.WebPageDraft(ctx, p.ID)
	require.NoError(t, err)
	assert.Greater(t, third.Revision, second.Revision, "no revision is used again")
	_, err = s.Publishing.Act(ctx, p.ID, second.Revision, "Ada", webpage.Act{Do: webpage.DoRename, Title: "Four"}, false)
	var clash *draft.Clash
	require.ErrorAs(t, err, &clash, "what was seen is kept, and the title is another one now")
	assert.Equal(t, "Piet", clash.Made[0].By)
	others, err := s.Publishing.Act(ctx, p.ID, second.Revision, "Ada", webpage.Act{Do: webpage.DoRename, Title: "Three"}, true)
	require.NoError(t, err, "what others did is seen and may go")
	assert.Equal(t, "Piet", others[0].By)
	var refused draft.Refused
	require.ErrorAs(t, retitle(third.Revision+1, " "), &refused)

	// Published, planned, withdrawn.
	draft, err := s.Publishing.WebPageDraft(ctx, p.ID)
	require.NoError(t, err)
	require.ErrorIs(t, s.Publishing.PublishWebPage(ctx, p.ID, second.Revision, "Maren", webpage.Plan{}), placing.ErrStale)
	soon, end := time.Now().Add(time.Hour), time.Now().Add(2*time.Hour)
	require.NoError(t, s.Publishing.PublishWebPage(ctx, p.ID, draft.Revision, "Maren", webpage.Plan{}))
	require.NoError(t, s.Publishing.PublishWebPage(ctx, p.ID, draft.Revision, "Maren", webpage.Plan{From: soon, Until: end}))
	holds := func(at time.Time) int {
		turns, err := s.Publishing.Turns(ctx, p.ID)
		require.NoError(t, err)
		return webpage.Holding(turns, at)
	}
	assert.Equal(t, [3]int{1, 2, 0}, [3]int{holds(time.Now()), holds(soon), holds(end)})
	require.NoError(t, s.Publishing.DropPlans(ctx, p.ID))
	assert.Equal(t, 1, holds(end))
	require.NoError(t, s.Publishing.WithdrawWebPage(ctx, p.ID, holds(time.Now()), "Maren"))
	assert.Equal(t, 0, holds(time.Now()))
	versions, err := s.Publishing.VersionsBelow(ctx, p.ID, 0)
	require.NoError(t, err)
	require.Equal(t, 2, versions.All)
	assert.Equal(t, []any{2, "Maren"}, []any{versions.Rows[0].Number, versions.Rows[0].MadeBy})
	earlier, err := s.Publishing.VersionsBelow(ctx, p.ID, 2)
	require.NoError(t, err)
	assert.Len(t, earlier.Rows, 1)
	turns, err := s.Publishing.TurnsBelow(ctx, p.ID, 0)
	require.NoError(t, err)
	require.Equal(t, 2, turns.All, "published, withdrawn")
	assert.Equal(t, []any{0, "Maren"}, []any{turns.Rows[0].Version, turns.Rows[0].By})
	before, err := s.Publishing.TurnsBelow(ctx, p.ID, turns.Rows[0].ID)
	require.NoError(t, err)
	require.Len(t, before.Rows, 1)
	assert.Equal(t, 1, before.Rows[0].Version)

	// Addresses lead to their page for ever.
	require.NoError(t, s.Publishing.SetPath(ctx, p.ID, "visiting"))
	_, err = s.Publishing.PublishedPage(ctx, "visit", time.Now())
	require.ErrorIs(t, err, database.ErrNotFound, "it is withdrawn")
	kept, err := s.Publishing.WebPageDraft(ctx, p.ID)
	require.NoError(t, err)
	require.NoError(t, s.Publishing.PublishWebPage(ctx, p.ID, kept.Revision, "Maren", webpage.Plan{Until: end}))
	seen, err := s.Publishing.PublishedPage(ctx, "visit", time.Now())
	require.NoError(t, err)
	assert.Equal(t, p.ID, seen.WebPageID)
	assert.Equal(t, "visiting", seen.Path, "it has moved")
	assert.Equal(t, kept.Content, seen.Content)
	assert.WithinDuration(t, end, *seen.Next, time.Second)
	_, err = s.Publishing.PublishedPage(ctx, "visit", end.Add(time.Minute))
	require.ErrorIs(t, err, database.ErrNotFound, "as planned")
	leads, err := s.Publishing.Leads(ctx, time.Now(), p.ID, 99)
	require.NoError(t, err)
	require.Len(t, leads, 1)
	assert.Equal(t, []any{"visiting", seen.Version}, []any{leads[p.ID].Path, leads[p.ID].Version})
	path, err := s.Publishing.PathOf(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, "visiting", path)
	require.NoError(t, s.Publishing.RemoveWebPage(ctx, p.ID))
	_, err = s.Publishing.PublishedPage(ctx, "visiting", time.Now())
	require.ErrorIs(t, err, database.ErrNotFound)
}

// Many at once: each change is a step of its own, none is lost.
func TestManyAtOnePage(t *testing.T) {
	s := testkit.Nouns(t)
	p, err := s.Publishing.AddWebPage(t.Context(), "", webpage.New("0"), "Maren")
	require.NoError(t, err)
	var all sync.WaitGroup
	for range 12 {
		all.Go(func() {
			_, err := s.Publishing.Act(context.Background(), p.ID, 1, "Piet",
				webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Text, Text: "One more."}}, false)
			assert.NoError(t, err)
		})
	}
	all.Wait()
	draft, err := s.Publishing.WebPageDraft(t.Context(), p.ID)
	require.NoError(t, err)
	assert.Len(t, draft.Content.Blocks(), 13, "with the one it began with")
	assert.Equal(t, int64(13), draft.Revision, "each is a step")
}

func TestCollectionsAndFrames(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	kept, err := s.Publishing.AddCollection(ctx, collection.New("Surveys"))
	require.NoError(t, err)
	content := kept.Content
	content.Arrangement = collection.Grid
	_, err = s.Publishing.ChangeCollection(ctx, kept.ID, 0, "Maren", content)
	require.NoError(t, err)
	require.ErrorIs(t, s.Publishing.MoveCollection(ctx, kept.ID, 0, "Piet", -1), placing.ErrStale)
	again, err := s.Publishing.CollectionByKey(ctx, kept.Key)
	require.NoError(t, err)
	assert.Equal(t, collection.Grid, again.Content.Arrangement)
	require.NoError(t, s.Publishing.RemoveCollection(ctx, kept.ID))
	_, err = s.Publishing.Collection(ctx, kept.ID)
	require.ErrorIs(t, err, database.ErrNotFound)

	f, err := s.Publishing.SiteFrame(ctx)
	require.NoError(t, err)
	assert.Equal(t, webpage.NewFrame(), f.Content)
	next := f.Content
	next.Name = "Harrowmere"
	_, err = s.Publishing.ChangeSiteFrame(ctx, 0, "Maren", next)
	require.NoError(t, err)
	require.ErrorIs(t, s.Publishing.MoveSiteFrame(ctx, 0, "Piet", -1), placing.ErrStale)
	f, err = s.Publishing.SiteFrame(ctx)
	require.NoError(t, err)
	assert.Equal(t, "Harrowmere", f.Content.Name)
}

// What stands on pages is named as it is called now; what is gone has no name.
func TestNamesOnPages(t *testing.T) {
	s := testkit.Nouns(t)
	d, _ := testkit.Added(t, s, "Tide table 2027")
	p, err := s.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	c, err := s.Publishing.AddCollection(t.Context(), collection.New("Reports"))
	require.NoError(t, err)
	page := webpage.New("Visit")
	for _, b := range []webpage.Block{{Kind: webpage.Placement, Of: p.ID}, {Kind: webpage.Collection, Of: c.ID},
		{Kind: webpage.Picture, Of: 99}} {
		page, err = page.Done(webpage.Act{Do: webpage.DoAddBelow, New: &b})
		require.NoError(t, err)
	}
	names, err := s.Publishing.NamesOn(t.Context(), page, webpage.New("Nothing"))
	require.NoError(t, err)
	assert.Equal(t, "Tide table 2027", names[webpage.Placement][p.ID])
	assert.Equal(t, "Reports", names[webpage.Collection][c.ID])
	assert.Empty(t, names[webpage.Picture])
}
