package placing_test

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// shelf adds three documents: one that is published, one with a draft, one that stands
// nowhere; and somebody.
func shelf(t *testing.T, s nouns.All) (ids []int64, placements []placing.Placement, account int64) {
	t.Helper()
	for _, name := range []string{"tides", "trails", "count"} {
		d, e := testkit.Added(t, s, name)
		require.NoError(t, s.Library.Examined(t.Context(), e.ID, e.Sheets, e.Facts, false, library.Unread{}))
		ids = append(ids, d.ID)
		if name == "count" {
			break
		}
		p, err := s.Placing.Place(t.Context(), d.ID, placing.Start{})
		require.NoError(t, err)
		if name == "tides" {
			require.NoError(t, s.Placing.Publish(t.Context(), p.ID, e.ID, 0, setting.Default()))
		}
		placements = append(placements, p)
	}
	require.NoError(t, s.DB.Pool.QueryRow(t.Context(), "INSERT INTO accounts (email, name, password_hash) VALUES ('m@x', 'Maren Oakes', 'x') RETURNING id").Scan(&account))
	return ids, placements, account
}

// Each act does what it says with those that it can be done with, names the others and
// why, and is undone by one that leaves what was changed since.
func TestManyAtOnce(t *testing.T) {
	ctx := t.Context()
	published := func(s nouns.All, id int64) *int {
		p, err := s.Placing.Placement(ctx, id)
		require.NoError(t, err)
		return p.Published
	}
	for _, c := range []struct {
		name, do, with string
		did            int
		left           []string // the titles
		then           func(s nouns.All, ids []int64, p []placing.Placement) bool
	}{
		{"put in", placing.PutIn, "  Visiting \t us ", 3, nil, func(s nouns.All, ids []int64, _ []placing.Placement) bool {
			c, err := s.Library.CategoriesOf(ctx, ids[2])
			found, err2 := s.Library.Find(ctx, library.Wanted{Words: "visiting"})
			return err == nil && err2 == nil && len(c) == 1 && c[0] == "Visiting us" && found.All == 3
		}},
		{"take out", placing.TakeOut, "Visiting", 0, []string{"tides", "trails", "count"}, nil},
		{"publish", placing.PublishAll, "", 1, []string{"tides", "count"}, func(s nouns.All, _ []int64, p []placing.Placement) bool {
			return published(s, p[1].ID) != nil
		}},
		{"withdraw", placing.Withdrawn, "", 1, []string{"trails", "count"}, func(s nouns.All, _ []int64, p []placing.Placement) bool {
			return published(s, p[0].ID) == nil
		}},
		{"start", placing.Begun, "plan", 3, nil, func(s nouns.All, ids []int64, p []placing.Placement) bool {
			d, err := s.Placing.Draft(ctx, must(t, s, p[0].ID))
			made, err2 := s.Placing.PlacementsOf(ctx, ids[2])
			return err == nil && err2 == nil && d.Starter == "plan" && len(made) == 1
		}},
		{"remove", placing.RemoveAll, "", 3, nil, func(s nouns.All, ids []int64, _ []placing.Placement) bool {
			all, err := s.Library.Documents(ctx, "")
			return err == nil && len(all) == 0
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := testkit.Nouns(t)
			ids, p, account := shelf(t, s)
			was := published(s, p[0].ID)
			done, err := s.Placing.Bulk(ctx, placing.Bulk{Do: c.do, With: c.with, Documents: append([]int64{ids[2]}, ids...)}, account, "Maren Oakes")
			require.NoError(t, err)
			assert.Equal(t, c.did, done.Did)
			var left []string
			for _, l := range done.Left {
				left = append(left, l.Title)
				assert.NotEmpty(t, l.Why)
			}
			assert.Equal(t, c.left, left)
			if c.did == 0 {
				assert.Zero(t, done.Act)
				return
			}
			assert.True(t, c.then(s, ids, p))
			_, err = s.Placing.UndoBulk(ctx, done.Act, account+1, "Piet Holm")
			require.ErrorAs(t, err, new(draft.Refused), "only who did it")
			undone, err := s.Placing.UndoBulk(ctx, done.Act, account, "Maren Oakes")
			require.NoError(t, err)
			assert.Equal(t, c.did, undone.Did)
			assert.Empty(t, undone.Left)
			assert.False(t, c.then(s, ids, p))
			assert.Equal(t, was, published(s, p[0].ID))
			_, err = s.Placing.UndoBulk(ctx, done.Act, account, "Maren Oakes")
			require.ErrorAs(t, err, new(draft.Refused), "once")
		})
	}
}

func must(t *testing.T, s nouns.All, id int64) placing.Placement {
	t.Helper()
	p, err := s.Placing.Placement(t.Context(), id)
	require.NoError(t, err)
	return p
}

// What somebody changed after an act is not undone with it.
func TestAnActIsUndoneAsFarAsItHolds(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	ids, p, account := shelf(t, s)
	begun, err := s.Placing.Bulk(ctx, placing.Bulk{Do: placing.Begun, With: "plan", Documents: ids}, account, "Maren Oakes")
	require.NoError(t, err)
	d, err := s.Placing.Draft(ctx, must(t, s, p[1].ID))
	require.NoError(t, err)
	require.NoError(t, s.Placing.Redraft(ctx, p[1].ID, d.Revision, setting.PatchOf(setting.Padding, 9)))
	done, err := s.Placing.Bulk(ctx, placing.Bulk{Do: placing.PublishAll, Documents: ids}, account, "Maren Oakes")
	require.NoError(t, err)
	require.Equal(t, 3, done.Did)
	require.NoError(t, s.Placing.Withdraw(ctx, p[1].ID, 1))

	undone, err := s.Placing.UndoBulk(ctx, done.Act, account, "Maren Oakes")
	require.NoError(t, err)
	assert.Equal(t, 2, undone.Did)
	require.Len(t, undone.Left, 1)
	assert.Equal(t, "trails", undone.Left[0].Title)
	undone, err = s.Placing.UndoBulk(ctx, begun.Act, account, "Maren Oakes")
	require.NoError(t, err)
	assert.Equal(t, 2, undone.Did)
	require.Len(t, undone.Left, 1)
	assert.Equal(t, "trails", undone.Left[0].Title)
	_, err = s.Placing.PlacementsOf(ctx, ids[2])
	require.NoError(t, err)
}

// Bounds, and what is no act.
func TestActsAreBounded(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	ids, _, account := shelf(t, s)
	for _, a := range []placing.Bulk{
		{Do: placing.PutIn, With: "x"},
		{Do: placing.PutIn, With: "x", Documents: make([]int64, placing.MostAtOnce+1)},
		{Do: placing.PutIn, With: " ", Documents: ids},
		{Do: placing.Begun, With: "nothing", Documents: ids},
		{Do: "shred", Documents: ids},
	} {
		_, err := s.Placing.Bulk(ctx, a, account, "")
		require.ErrorAs(t, err, new(draft.Refused), "%+v", a)
	}
	done, err := s.Placing.Bulk(ctx, placing.Bulk{Do: placing.RemoveAll, Documents: []int64{ids[0], 999}}, account, "")
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1}, []int{done.Did, len(done.Left)}, "one is not there")
	for range 25 {
		_, err := s.Placing.Bulk(ctx, placing.Bulk{Do: placing.PutIn, With: "x", Documents: ids[1:]}, account, "")
		require.NoError(t, err)
		_, err = s.Placing.Bulk(ctx, placing.Bulk{Do: placing.TakeOut, With: "x", Documents: ids[1:]}, account, "")
		require.NoError(t, err)
	}
	var kept int
	require.NoError(t, s.DB.Pool.QueryRow(ctx, "SELECT count(*) FROM bulk_acts").Scan(&kept))
	assert.Equal(t, 20, kept)
	_, err = s.Placing.UndoBulk(ctx, done.Act, account, "")
	require.ErrorAs(t, err, new(draft.Refused), "too long ago")
}

// Two who do the same at once do it once each, and neither waits for the other for ever.
func TestTwoActAtOnce(t *testing.T) {
	s := testkit.Nouns(t)
	ids, _, account := shelf(t, s)
	var all sync.WaitGroup
	did := make([]int, 6)
	for i := range did {
		all.Go(func() {
			docs := ids
			if i%2 == 1 {
				docs = []int64{ids[2], ids[1], ids[0]}
			}
			done, err := s.Placing.Bulk(t.Context(), placing.Bulk{Do: placing.RemoveAll, Documents: docs}, account, "")
			assert.NoError(t, err)
			did[i] = done.Did
		})
	}
	all.Wait()
	sum := 0
	for _, n := range did {
		sum += n
	}
	assert.Equal(t, 3, sum)
	_, err := s.Library.RestoreDocument(t.Context(), 999)
	require.ErrorIs(t, err, database.ErrNotFound)
}
