package database_test

import (
	"database/sql"
	"os"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/nouns"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// What an installation holds comes out of a migration as it was: addresses, settings,
// drafts with what undo and redo lead to, history, plans; and goes on from there.
func TestAnInstallationMovesOver(t *testing.T) {
	address := testkit.EmptyDatabase(t)
	db, err := sql.Open("pgx", address)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	provider, err := goose.NewProvider(goose.DialectPostgres, db, database.Migrations())
	require.NoError(t, err)
	_, err = provider.UpTo(t.Context(), 11)
	require.NoError(t, err)
	before, err := os.ReadFile("testdata/at_011.sql")
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), string(before))
	require.NoError(t, err)
	require.NoError(t, database.Migrate(t.Context(), address))
	require.NoError(t, database.Migrate(t.Context(), address), "once is enough, and twice no harm")

	s, err := nouns.Open(t.Context(), address, database.Share(0))
	require.NoError(t, err)
	t.Cleanup(s.DB.Close)
	ctx := t.Context()

	p, err := s.Placing.PlacementByKey(ctx, "aaaaaaaaaaaaaaaaaaaa")
	require.NoError(t, err)
	assert.Equal(t, 2, *p.Published)
	draft := func() placing.Draft {
		p, err := s.Placing.Placement(ctx, p.ID)
		require.NoError(t, err)
		d, err := s.Placing.Draft(ctx, p)
		require.NoError(t, err)
		return d
	}
	d := draft()
	assert.Equal(t, []setting.Key{setting.Print}, d.Patch.Keys(), "the step that held holds")
	assert.Equal(t, []string{"plan", "Its pages lie across."}, []string{d.Starter, d.Reason})
	assert.True(t, d.Undo && d.Redo)
	require.NoError(t, s.Placing.Move(ctx, p.ID, d.Revision, "Maren Oakes", 1))
	assert.Equal(t, []setting.Key{setting.Print, setting.Padding}, draft().Patch.Keys(), "redo leads to what lay ahead")
	require.NoError(t, s.Placing.Move(ctx, p.ID, draft().Revision, "Maren Oakes", -1))
	require.NoError(t, s.Placing.Move(ctx, p.ID, draft().Revision, "Maren Oakes", -1))
	assert.Empty(t, draft().Patch)
	v, err := s.Placing.PublishedVersion(ctx, p)
	require.NoError(t, err)
	assert.Equal(t, 3.0, v.Settings.Padding)

	house, err := s.Placing.House(ctx)
	require.NoError(t, err)
	assert.False(t, house.Settings.Download)
	assert.Equal(t, 90.0, house.Settings.Width.Value)
	next := house
	next.Settings.Print = false
	_, err = s.Placing.ChangeHouse(ctx, house.Revision, "Maren Oakes", next, nil)
	require.NoError(t, err)
	require.NoError(t, s.Placing.MoveHouse(ctx, house.Revision+1, "Maren Oakes", -1))
	again, err := s.Placing.House(ctx)
	require.NoError(t, err)
	again.Revision = house.Revision
	assert.Equal(t, house, again, "undo leads back to what was in force before the migration")

	seen, err := s.Publishing.PublishedPage(ctx, "visit", time.Now())
	require.NoError(t, err)
	assert.NotEqual(t, "visit", seen.Path, "it has moved")
	id := seen.WebPageID
	page, err := s.Publishing.WebPageDraft(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []string{"Visiting", "Piet Holm"}, []string{page.Content.Title, page.MadeBy})
	assert.True(t, page.Undo && page.Redo)
	turns, err := s.Publishing.Turns(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, 1, webpage.Holding(turns, time.Now()))
	require.NoError(t, s.Publishing.MoveWebPage(ctx, id, page.Revision, "Maren Oakes", 1))
	page, err = s.Publishing.WebPageDraft(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "Visiting us", page.Content.Title)

	c, err := s.Publishing.CollectionByKey(ctx, "cccccccccccccccccccc")
	require.NoError(t, err)
	assert.EqualValues(t, 4, c.Revision)
	changed := c.Content
	changed.Name = "Reports and minutes"
	_, err = s.Publishing.ChangeCollection(ctx, c.ID, 4, "Maren Oakes", changed)
	require.NoError(t, err)
	require.NoError(t, s.Publishing.MoveCollection(ctx, c.ID, 5, "Maren Oakes", -1))
	c, err = s.Publishing.CollectionByKey(ctx, "cccccccccccccccccccc")
	require.NoError(t, err)
	assert.Equal(t, "Reports", c.Content.Name)
	assert.Len(t, c.Content.Items, 1)

	f, err := s.Publishing.SiteFrame(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 3, f.Revision)
	assert.Equal(t, "#256b5c", f.Content.Accent)

	// What is removed takes its log along.
	require.NoError(t, s.Library.RemoveDocument(ctx, p.DocumentID, "Maren Oakes"))
	require.NoError(t, s.Library.ForgetRemoved(ctx, time.Now().Add(time.Minute)))
	require.NoError(t, s.Publishing.RemoveWebPage(ctx, id))
	require.NoError(t, s.Publishing.RemoveCollection(ctx, c.ID))
	var left []string
	rows, err := s.DB.Pool.Query(ctx, "SELECT DISTINCT kind || ' ' || subject FROM draft_steps ORDER BY 1")
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
	s := testkit.Nouns(t)
	d, _ := testkit.Added(t, s, "tides")
	p, err := s.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	for i := range 460 {
		require.NoError(t, s.Placing.Redraft(t.Context(), p.ID, int64(i), setting.PatchOf(setting.Padding, float64(i%40)+1)))
	}
	var n int
	require.NoError(t, s.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM draft_steps WHERE kind = 'placement'").Scan(&n))
	assert.LessOrEqual(t, n, 221)
	back := 0
	for {
		p, err = s.Placing.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		now, err := s.Placing.Draft(t.Context(), p)
		require.NoError(t, err)
		if !now.Undo {
			break
		}
		require.NoError(t, s.Placing.Move(t.Context(), p.ID, now.Revision, "Maren", -1))
		back++
	}
	assert.Greater(t, back, 90, "undo goes back a long way, itself being kept")
	var clash *draft.Clash
	_, _, err = s.Placing.ChangeDraft(t.Context(), p.ID, 3, "Piet", 3, func(seen, _ setting.Settings) (placing.Made, error) {
		seen.Corner = 2
		return placing.Made{Settings: seen}, nil
	})
	require.ErrorAs(t, err, &clash, "what was seen so long ago is not known any more")
	assert.Equal(t, "Maren", clash.Made[0].By)
}

func TestMigrateTwiceIsOnce(t *testing.T) {
	address := testkit.Database(t)
	require.NoError(t, database.Migrate(t.Context(), address))
	require.NoError(t, database.Migrate(t.Context(), address))
}
