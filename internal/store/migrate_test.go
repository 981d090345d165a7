package store_test

import (
	"database/sql"
	"os"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/draft"
	"incipit/internal/store"
	"incipit/internal/testkit"
)

// What an installation holds comes out of a migration as it was: addresses, settings,
// drafts with what undo and redo lead to, history, plans; and goes on from there.
func TestAnInstallationMovesOver(t *testing.T) {
	address := testkit.EmptyDatabase(t)
	db, err := sql.Open("pgx", address)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	provider, err := goose.NewProvider(goose.DialectPostgres, db, store.Migrations())
	require.NoError(t, err)
	_, err = provider.UpTo(t.Context(), 11)
	require.NoError(t, err)
	before, err := os.ReadFile("testdata/at_011.sql")
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), string(before))
	require.NoError(t, err)
	require.NoError(t, store.Migrate(t.Context(), address))
	require.NoError(t, store.Migrate(t.Context(), address), "once is enough, and twice no harm")

	s, err := store.Open(t.Context(), address, store.Share(0))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	ctx := t.Context()

	p, err := s.PlacementByKey(ctx, "aaaaaaaaaaaaaaaaaaaa")
	require.NoError(t, err)
	assert.Equal(t, 2, *p.Published)
	draft := func() store.Draft {
		p, err := s.Placement(ctx, p.ID)
		require.NoError(t, err)
		d, err := s.Draft(ctx, p)
		require.NoError(t, err)
		return d
	}
	d := draft()
	assert.Equal(t, []setting.Key{setting.Print}, d.Patch.Keys(), "the step that held holds")
	assert.Equal(t, []string{"plan", "Its pages lie across."}, []string{d.Starter, d.Reason})
	assert.True(t, d.Undo && d.Redo)
	require.NoError(t, s.Move(ctx, p.ID, d.Revision, "Maren Oakes", 1))
	assert.Equal(t, []setting.Key{setting.Print, setting.Padding}, draft().Patch.Keys(), "redo leads to what lay ahead")
	require.NoError(t, s.Move(ctx, p.ID, draft().Revision, "Maren Oakes", -1))
	require.NoError(t, s.Move(ctx, p.ID, draft().Revision, "Maren Oakes", -1))
	assert.Empty(t, draft().Patch)
	v, err := s.PublishedVersion(ctx, p)
	require.NoError(t, err)
	assert.Equal(t, 3.0, v.Settings.Padding)

	house, err := s.House(ctx)
	require.NoError(t, err)
	assert.False(t, house.Settings.Download)
	assert.Equal(t, 90.0, house.Settings.Width.Value)
	next := house
	next.Settings.Print = false
	_, err = s.ChangeHouse(ctx, house.Revision, "Maren Oakes", next, nil, nil)
	require.NoError(t, err)
	require.NoError(t, s.MoveHouse(ctx, house.Revision+1, "Maren Oakes", -1))
	again, err := s.House(ctx)
	require.NoError(t, err)
	again.Revision = house.Revision
	assert.Equal(t, house, again, "undo leads back to what was in force before the migration")

	seen, err := s.PublishedPage(ctx, "visit", time.Now())
	require.NoError(t, err)
	assert.NotEqual(t, "visit", seen.Path, "it has moved")
	id := seen.WebPageID
	page, err := s.WebPageDraft(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []string{"Visiting", "Piet Holm"}, []string{page.Content.Title, page.MadeBy})
	assert.True(t, page.Undo && page.Redo)
	turns, err := s.Turns(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 1, webpage.Holding(turns, time.Now()))
	require.NoError(t, s.MoveWebPage(ctx, id, page.Revision, "Maren Oakes", 1))
	page, err = s.WebPageDraft(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "Visiting us", page.Content.Title)

	c, err := s.CollectionByKey(ctx, "cccccccccccccccccccc")
	require.NoError(t, err)
	assert.EqualValues(t, 4, c.Revision)
	changed := c.Content
	changed.Name = "Reports and minutes"
	_, err = s.ChangeCollection(ctx, c.ID, 4, "Maren Oakes", changed, func(collection.Collection) error { return nil })
	require.NoError(t, err)
	require.NoError(t, s.MoveCollection(ctx, c.ID, 5, "Maren Oakes", -1))
	c, err = s.CollectionByKey(ctx, "cccccccccccccccccccc")
	require.NoError(t, err)
	assert.Equal(t, "Reports", c.Content.Name)
	assert.Len(t, c.Content.Items, 1)

	f, err := s.SiteFrame(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 3, f.Revision)
	assert.Equal(t, "#256b5c", f.Content.Accent)

	// What is removed takes its log along.
	require.NoError(t, s.RemoveDocument(ctx, p.DocumentID))
	require.NoError(t, s.RemoveWebPage(ctx, id))
	require.NoError(t, s.RemoveCollection(ctx, c.ID))
	var left []string
	rows, err := s.Pool.Query(ctx, "SELECT DISTINCT kind || ' ' || subject FROM draft_steps ORDER BY 1")
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		var what string
		require.NoError(t, rows.Scan(&what))
		left = append(left, what)
	}
	assert.Equal(t, []string{"house 1", "placement 2", "site 1"}, left)
}

// Steps are kept as far as undo goes, and no further.
func TestAnEarlyStepIsLetGo(t *testing.T) {
	s := open(t)
	d, _ := add(t, s, "tides")
	p, err := s.Place(t.Context(), d.ID, store.Start{})
	require.NoError(t, err)
	for i := range 460 {
		require.NoError(t, s.Redraft(t.Context(), p.ID, int64(i), setting.PatchOf(setting.Padding, float64(i%40)+1)))
	}
	var n int
	require.NoError(t, s.Pool.QueryRow(t.Context(), "SELECT count(*) FROM draft_steps WHERE kind = 'placement'").Scan(&n))
	assert.LessOrEqual(t, n, 221)
	back := 0
	for {
		p, err = s.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		now, err := s.Draft(t.Context(), p)
		require.NoError(t, err)
		if !now.Undo {
			break
		}
		require.NoError(t, s.Move(t.Context(), p.ID, now.Revision, "Maren", -1))
		back++
	}
	assert.Greater(t, back, 90, "undo goes back a long way, itself being kept")
	var clash *draft.Clash
	_, _, err = s.ChangeDraft(t.Context(), p.ID, 3, "Piet", func(store.Below) (setting.Patch, *store.Start, error) {
		return setting.PatchOf(setting.Corner, 2.0), nil, nil
	}, func(setting.Patch, store.House) error { return nil })
	require.ErrorAs(t, err, &clash, "what was seen so long ago is not known any more")
	assert.Equal(t, "Maren", clash.Made[0].By)
}
