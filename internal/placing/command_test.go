package placing_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// Two look after house style: one its settings, one its terms. Neither carries off what
// the other did, and what cannot stand changes nothing.
func TestSettingsAndTermsOfHouseStyle(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	house, err := s.Placing.House(ctx)
	require.NoError(t, err)
	next := house.Settings
	next.Corner = 9
	_, err = s.Placing.ChangeSettings(ctx, house.Revision, "Maren", next, nil)
	require.NoError(t, err)
	others, err := s.Placing.ChangeTerms(ctx, house.Revision, "Piet", proof.Terms{Budget: 400_000}, house.Sites)
	require.NoError(t, err)
	assert.Equal(t, map[string][]string{"Maren": {"settings.corner"}}, testkit.Who(others))
	now, err := s.Placing.House(ctx)
	require.NoError(t, err)
	assert.Equal(t, 9.0, now.Settings.Corner)
	assert.Equal(t, int64(400_000), now.Terms.Budget)

	// What was thought of before stands on what is in force now.
	thought := house.Settings
	thought.Border = 3
	got, err := s.Placing.Thought(ctx, house.Revision, thought)
	require.NoError(t, err)
	assert.Equal(t, []float64{9, 3}, []float64{got.Corner, got.Border})
	thought.Border = -1
	var problems setting.Problems
	_, err = s.Placing.Thought(ctx, now.Revision, thought)
	require.ErrorAs(t, err, &problems)
	assert.Equal(t, setting.Border, problems[0].Key)
	_, err = s.Placing.ChangeSettings(ctx, now.Revision, "Maren", thought, nil)
	require.ErrorAs(t, err, &problems)
	var refused draft.Refused
	_, err = s.Placing.ChangeTerms(ctx, now.Revision, "Piet", proof.Terms{Budget: -1}, now.Sites)
	require.ErrorAs(t, err, &refused)
	same, err := s.Placing.House(ctx)
	require.NoError(t, err)
	assert.Equal(t, now.Revision, same.Revision, "nothing was changed")

	undo, redo, err := s.Placing.WaysOfHouse(ctx, same)
	require.NoError(t, err)
	assert.True(t, undo && !redo)
	require.NoError(t, s.Placing.MoveHouse(ctx, same.Revision, "Piet", -1))
	back, err := s.Placing.House(ctx)
	require.NoError(t, err)
	assert.Equal(t, house.Terms, back.Terms)
	require.ErrorIs(t, s.Placing.MoveHouse(ctx, same.Revision, "Maren", -1), placing.ErrStale)
	assert.Equal(t, setting.Corner, placing.SettingOf("settings.corner"))
	assert.Empty(t, placing.SettingOf("budget"))
}

// A change that readers get at once is carried by its job, also by another one after a
// crash; and only while something is left has it a job.
func TestACarrierGoesOn(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, e := testkit.Added(t, s, "tides")
	p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	house, err := s.Placing.House(ctx)
	require.NoError(t, err)
	require.NoError(t, s.Placing.Publish(ctx, p.ID, e.ID, 0, house.Settings))
	before := testkit.Jobs(t, s)
	require.NoError(t, placing.Resume(ctx, s.Placing))
	assert.Equal(t, before, testkit.Jobs(t, s), "nothing is left")
	house.Settings.Corner = 7
	_, err = s.Placing.ChangeSettings(ctx, house.Revision, "Maren", house.Settings, &placing.AtOnce{Job: placing.CarryArgs{}})
	require.NoError(t, err)
	require.NoError(t, placing.Resume(ctx, s.Placing))
	assert.Equal(t, before+1, testkit.Jobs(t, s), "the job that came with the change waits")
	_, err = s.DB.Pool.Exec(ctx, "DELETE FROM river_job")
	require.NoError(t, err)
	require.NoError(t, placing.Resume(ctx, s.Placing))
	assert.Equal(t, 1, testkit.Jobs(t, s))
	carrier := placing.Carrier{Placer: s.Placing}
	assert.Less(t, time.Minute, carrier.Timeout(nil))
	require.NoError(t, carrier.Work(ctx, nil))
	shown, err := s.Placing.ShownByID(ctx, p.ID, p.ID+1)
	require.NoError(t, err)
	require.Len(t, shown, 1)
	assert.Equal(t, 7.0, shown[p.ID].Version.Settings.Corner)
	none, err := s.Placing.ShownByID(ctx)
	require.NoError(t, err)
	assert.Empty(t, none)
}

// A record of somebody's belongs to one placement at a time.
func TestRecords(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, _ := testkit.Added(t, s, "tides")
	one, err := s.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	two, err := s.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	require.NoError(t, s.Placing.SetRecord(ctx, one.ID, "survey 14"))
	require.ErrorIs(t, s.Placing.SetRecord(ctx, two.ID, "survey 14"), placing.ErrTaken)
	found, err := s.Placing.PlacementByRecord(ctx, "survey 14")
	require.NoError(t, err)
	assert.Equal(t, one.ID, found.ID)
	require.NoError(t, s.Placing.SetRecord(ctx, one.ID, ""))
	_, err = s.Placing.PlacementByRecord(ctx, "survey 14")
	require.ErrorIs(t, err, database.ErrNotFound)
	require.NoError(t, s.Placing.SetRecord(ctx, two.ID, "survey 14"))
}

// Where viewers stood is counted by page and by width, and no more than so many of them
// are kept, whoever sends them.
func TestWhereAPlacementWasSeen(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, e := testkit.Added(t, s, "tides")
	p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	for range 2 {
		require.NoError(t, s.Placing.NoteSeen(ctx, p.ID, "https://a.example/visit", placing.Room{Column: 640, Width: 640, Height: 400}))
	}
	require.NoError(t, s.Placing.NoteSeen(ctx, p.ID, "https://a.example/visit", placing.Room{Column: 320, Width: 320, Height: 300}))
	require.NoError(t, s.Placing.NoteSeen(ctx, p.ID, "https://a.example/tides", placing.Room{Column: 640}))
	pages, widths, err := s.Placing.Seen(ctx, p.ID)
	require.NoError(t, err)
	require.Len(t, pages, 2)
	assert.Equal(t, "https://a.example/tides", pages[0].Page, "the latest first")
	assert.Equal(t, []any{int64(3), 320, 300}, []any{pages[1].Times, pages[1].RoomWidth, pages[1].RoomHeight})
	assert.Equal(t, map[int]int64{640: 3, 320: 1}, widths)

	// Strangers name pages without end: what was seen least makes way, and what readers see
	// often stays.
	for i := range 450 {
		require.NoError(t, s.Placing.NoteSeen(ctx, p.ID, fmt.Sprintf("https://stranger.example/%d", i), placing.Room{Column: 640}))
	}
	require.NoError(t, s.Placing.NoteSeen(ctx, p.ID, "https://b.example/new", placing.Room{Column: 640}))
	pages, _, err = s.Placing.Seen(ctx, p.ID)
	require.NoError(t, err)
	times := map[string]int64{}
	for _, page := range pages {
		times[page.Page] = page.Times
	}
	assert.EqualValues(t, 2, times["https://a.example/visit"], "the width that was seen once has made way")
	assert.EqualValues(t, 1, times["https://b.example/new"], "a new page is not kept out")
	assert.Len(t, pages, 400)

	of, err := s.Placing.PlacementsOf(ctx, d.ID)
	require.NoError(t, err)
	require.Len(t, of, 1)
	was, err := s.Placing.WasPublished(ctx, p.ID)
	require.NoError(t, err)
	assert.False(t, was)
	settings := setting.Default()
	settings.Guarded = true
	require.NoError(t, s.Placing.Publish(ctx, p.ID, e.ID, 0, settings))
	standings, err := s.Placing.Standings(ctx, p.ID)
	require.NoError(t, err)
	st := standings[p.ID]
	assert.True(t, st.Guarded && st.Locked)
	assert.InDelta(t, 595.0/842, st.CoverHeight, 0.001)
	assert.Equal(t, "Tide tables", st.Entry("Tide tables").Category)
	list, err := s.Placing.PlacementsBelow(ctx, 0)
	require.NoError(t, err)
	assert.Equal(t, []any{1, "tides", 3}, []any{list.All, list.Rows[0].Title, list.Rows[0].Pages})
}
