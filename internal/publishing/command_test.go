package publishing_test

import (
	"testing"

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

// The first page is where the site begins; others have their address of their title, or
// as it was typed; one that is another's, or none, is refused in words.
func TestAPageBegins(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	var refused draft.Refused
	for _, c := range []struct{ title, typed, path, said string }{
		{"Visiting", "", "", ""}, {"Tide tables", "", "tide-tables", ""}, {"Hides", " North Hide ", "north-hide", ""},
		{"", "", "", "A page needs a title."}, {"More hides", "north-hide", "", "Another page has that address; choose another one."},
		{"Signs", "¿?", "", "The end of an address is small letters, figures and hyphens, at most 60."},
	} {
		p, err := s.Publishing.Begin(ctx, c.title, c.typed, "Maren")
		if c.said != "" {
			require.ErrorAs(t, err, &refused, c.title)
			assert.Equal(t, c.said, refused.Error())
			continue
		}
		require.NoError(t, err)
		path, err := s.Publishing.PathOf(ctx, p.ID)
		require.NoError(t, err)
		assert.Equal(t, c.path, path)
	}
	all, err := s.Publishing.WebPagesBelow(ctx, 0)
	require.NoError(t, err)
	require.Equal(t, 3, all.All, "what was refused was not made")
	require.ErrorAs(t, s.Publishing.SetPath(ctx, all.Rows[0].ID, "North hide"), &refused)
	require.ErrorAs(t, s.Publishing.SetPath(ctx, all.Rows[0].ID, "¿?"), &refused)
	require.NoError(t, s.Publishing.SetPath(ctx, all.Rows[0].ID, "Come and see"))
	path, err := s.Publishing.PathOf(ctx, all.Rows[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "come-and-see", path)
}

func TestAVersionIsRestored(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	p, err := s.Publishing.Begin(ctx, "Visiting", "", "Maren")
	require.NoError(t, err)
	require.NoError(t, s.Publishing.PublishWebPage(ctx, p.ID, 1, "Maren", webpage.Plan{}))
	_, err = s.Publishing.Act(ctx, p.ID, 1, "Piet", webpage.Act{Do: webpage.DoRename, Title: "Coming"}, false)
	require.NoError(t, err)
	require.ErrorIs(t, s.Publishing.Restore(ctx, p.ID, 1, "Ada", 1), placing.ErrStale)
	require.ErrorIs(t, s.Publishing.Restore(ctx, p.ID, 2, "Ada", 9), database.ErrNotFound)
	require.NoError(t, s.Publishing.Restore(ctx, p.ID, 2, "Ada", 1))
	now, err := s.Publishing.WebPageDraft(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"Visiting", "Ada"}, []string{now.Content.Title, now.MadeBy})
	assert.True(t, now.Undo, "what was drafted is an undo away")
	require.ErrorIs(t, s.Publishing.WithdrawWebPage(ctx, p.ID, 7, "Ada"), placing.ErrStale)
	require.NoError(t, s.Publishing.WithdrawWebPage(ctx, p.ID, 1, "Ada"))
}

// What can be chosen is found by words of its title; what was asked for by number is
// there, whatever it is called.
func TestWhatIsOffered(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	ids := map[string]int64{}
	for _, title := range []string{"Tide tables", "Wader survey"} {
		d, e := testkit.Added(t, s, title)
		p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
		require.NoError(t, err)
		ids[title] = p.ID
		house, err := s.Placing.HouseStyle(ctx)
		require.NoError(t, err)
		require.NoError(t, s.Placing.Publish(ctx, p.ID, e.ID, 0, house))
		_, err = s.Publishing.Begin(ctx, title, "", "Maren")
		require.NoError(t, err)
		c := collection.New(title)
		c.Items = []collection.Item{{Placement: p.ID}}
		_, err = s.Publishing.AddCollection(ctx, c)
		require.NoError(t, err)
	}
	titles := func(o publishing.Offers, err error) (out []string) {
		require.NoError(t, err)
		for _, r := range o.Rows {
			out = append(out, r.Title)
		}
		return out
	}
	assert.Equal(t, []string{"Tide tables"}, titles(s.Publishing.OfferedPlacements(ctx, "TIDE")))
	assert.ElementsMatch(t, []string{"Tide tables", "Wader survey"}, titles(s.Publishing.OfferedPlacements(ctx, "tide", ids["Wader survey"])))
	assert.Equal(t, []string{"Wader survey"}, titles(s.Publishing.OfferedCollections(ctx, "wader")))
	assert.Equal(t, []string{"Wader survey"}, titles(s.Publishing.OfferedPages(ctx, "survey")))
	assert.Empty(t, titles(s.Publishing.OfferedPages(ctx, "100%")))

	list, err := s.Publishing.CollectionsBelow(ctx, 0)
	require.NoError(t, err)
	require.Equal(t, 2, list.All)
	assert.Equal(t, []int{1, 1}, []int{list.Rows[0].Items, list.Rows[0].Visible})
	byID, err := s.Publishing.CollectionsByID(ctx, list.Rows[0].ID, 999)
	require.NoError(t, err)
	require.Len(t, byID, 1)
	c := byID[list.Rows[0].ID]
	c.Content.Name = " "
	var refused draft.Refused
	_, err = s.Publishing.ChangeCollection(ctx, c.ID, c.Revision, "Maren", c.Content)
	require.ErrorAs(t, err, &refused)
	c.Content.Name = "Tables"
	_, err = s.Publishing.ChangeCollection(ctx, c.ID, c.Revision, "Maren", c.Content)
	require.NoError(t, err)
	c, err = s.Publishing.Collection(ctx, c.ID)
	require.NoError(t, err)
	undo, redo, err := s.Publishing.WaysOfCollection(ctx, c)
	require.NoError(t, err)
	assert.True(t, undo && !redo)
	_, err = s.Publishing.AddCollection(ctx, collection.Collection{})
	require.ErrorAs(t, err, &refused)
}

// What all pages have in common is tidied of what typing leaves, and has to stand.
func TestTheFrameOfAllPages(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	_, err := s.Publishing.ChangeSiteFrame(ctx, 0, "Maren", webpage.Frame{Name: "Harrowmere", Language: " en ", Accent: " #256B5C"})
	require.NoError(t, err)
	f, err := s.Publishing.SiteFrame(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"en", "#256b5c"}, []string{f.Content.Language, f.Content.Accent})
	undo, _, err := s.Publishing.WaysOfSiteFrame(ctx, f)
	require.NoError(t, err)
	assert.True(t, undo)
	var refused draft.Refused
	_, err = s.Publishing.ChangeSiteFrame(ctx, f.Revision, "Maren", webpage.Frame{})
	require.ErrorAs(t, err, &refused)
}
