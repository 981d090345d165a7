package placing_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/draft"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// A change of house style that is applied at once reaches readers of placements
// that follow it, in the changed settings alone.
func TestHouseStyleAtOnce(t *testing.T) {
	s := testkit.Nouns(t)
	a := people.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.People.AddAccount(t.Context(), &a))
	place := func(own string) placing.Placement {
		d, e := testkit.Added(t, s, "of "+own)
		p, err := s.Placing.Place(t.Context(), d.ID, placing.Start{Starter: "plan", Reason: "for the test", Patch: testkit.Patch(t, own)})
		require.NoError(t, err)
		settings, err := s.Placing.DraftSettings(t.Context(), p)
		require.NoError(t, err)
		require.NoError(t, s.Placing.Publish(t.Context(), p.ID, e.ID, a.ID, settings))
		return p
	}
	follows, chose := place(`{"align":"left"}`), place(`{"flow":"across"}`)
	// A change that readers of the first one have not been given.
	require.NoError(t, s.Placing.Redraft(t.Context(), follows.ID, 0, testkit.Patch(t, `{"align":"right"}`)))
	house := setting.Default()
	house.Flow, house.Padding = setting.Turn, 8
	h, err := s.Placing.House(t.Context())
	require.NoError(t, err)
	h.Settings = house
	reach, err := s.Placing.Reach(t.Context(), setting.Diff(setting.Default(), house))
	require.NoError(t, err)
	assert.Equal(t, placing.Reached{Drafts: 2, Readers: 2}, reach)
	atOnce := func() int {
		_, err = s.Placing.ChangeHouse(t.Context(), h.Revision, "Maren", h, &placing.AtOnce{By: a.ID})
		require.NoError(t, err)
		for more := true; more; {
			more, err = s.Placing.CarryOn(t.Context())
			require.NoError(t, err)
		}
		last, all, err := s.Placing.LastCarry(t.Context())
		require.NoError(t, err)
		assert.Equal(t, 2, all)
		assert.NotNil(t, last.EndedAt)
		return last.Published
	}
	assert.Equal(t, 2, atOnce())
	seen := func(p placing.Placement) setting.Settings {
		p, err := s.Placing.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		v, err := s.Placing.PublishedVersion(t.Context(), p)
		require.NoError(t, err)
		assert.Equal(t, 2, v.Number)
		return v.Settings
	}
	assert.Equal(t, []string{"turn", "left"}, []string{seen(follows).Flow, seen(follows).Align})
	assert.Equal(t, "across", seen(chose).Flow, "its own choice stays")
	assert.InDelta(t, 8, seen(chose).Padding, 0)
	h, err = s.Placing.House(t.Context())
	require.NoError(t, err)
	assert.Zero(t, atOnce(), "nothing changes, nothing is published")

	n, own, err := s.Placing.Chosen(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	assert.Equal(t, map[setting.Key]int{setting.Align: 1, setting.Flow: 1}, own)
	drafts, err := s.Placing.Drafts(t.Context(), setting.PatchOf(setting.Padding, 9.0, setting.Flow, setting.Turn), 10)
	require.NoError(t, err)
	require.Len(t, drafts, 2)
	draft, err := s.Placing.Draft(t.Context(), drafts[0].Placement)
	require.NoError(t, err)
	assert.Equal(t, []string{"plan", "for the test"}, []string{draft.Starter, draft.Reason}, "a change keeps what the draft was begun with")
	_, _, err = s.Placing.ChangeDraft(t.Context(), follows.ID, draft.Revision, "Maren", 3,
		func(_, house setting.Settings) (placing.Made, error) {
			return placing.Made{Settings: house, Start: &placing.Start{Starter: "menu"}}, nil
		})
	require.NoError(t, err)
	require.NoError(t, s.Placing.Move(t.Context(), follows.ID, draft.Revision+1, "Maren", -1))
	now, err := s.Placing.Placement(t.Context(), follows.ID)
	require.NoError(t, err)
	draft, err = s.Placing.Draft(t.Context(), now)
	require.NoError(t, err)
	assert.Equal(t, "plan", draft.Starter, "undo goes back to the earlier beginning")
	assert.Equal(t, []setting.Key{setting.Align}, drafts[0].Own.Keys())
	h, err = s.Placing.House(t.Context())
	require.NoError(t, err)
	h.Terms, h.Sites = proof.Terms{Budget: 250_000}, []proof.Site{{Name: "Harrowmere", Column: 704, Margin: 20}}
	_, err = s.Placing.ChangeHouse(t.Context(), h.Revision, "Maren", h, nil)
	require.NoError(t, err)
	h, err = s.Placing.House(t.Context())
	require.NoError(t, err)
	assert.EqualValues(t, 250_000, h.Terms.Budget)
	assert.Equal(t, "Harrowmere", h.Sites[0].Name)
}

// House style put in force at once, drafts and publishing get along: nobody waits for
// each other in a ring, and nothing is half done.
func TestHouseStyleAndPlacementsTogether(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	a := people.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.People.AddAccount(ctx, &a))
	var placements []placing.Placement
	for i := range 6 {
		d, e := testkit.Added(t, s, fmt.Sprint("tides ", i))
		p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
		require.NoError(t, err)
		require.NoError(t, s.Placing.Publish(ctx, p.ID, e.ID, a.ID, setting.Default()))
		placements = append(placements, p)
	}
	var all sync.WaitGroup
	var kept atomic.Int64
	for i := range 8 {
		all.Go(func() {
			for n := range 6 {
				h, err := s.Placing.House(context.Background())
				if !assert.NoError(t, err) {
					return
				}
				h.Settings.Padding = float64(1 + (i+n)%9)
				_, err = s.Placing.ChangeHouse(context.Background(), h.Revision, "Maren", h, &placing.AtOnce{By: a.ID})
				var clash *draft.Clash
				if assert.True(t, err == nil || errors.As(err, &clash), "house style: %v", err) && err == nil {
					kept.Add(1)
				}
				if n%2 == 0 {
					_, err = s.Placing.CarryOn(context.Background())
					assert.NoError(t, err)
				}
			}
		})
		all.Go(func() {
			for n := range 6 {
				p, err := s.Placing.Placement(context.Background(), placements[(i+n)%len(placements)].ID)
				if !assert.NoError(t, err) {
					return
				}
				err = s.Placing.Redraft(context.Background(), p.ID, p.Step, setting.PatchOf(setting.Corner, float64(n+1)))
				assert.True(t, err == nil || errors.Is(err, placing.ErrStale), "a draft: %v", err)
				h, err := s.Placing.House(context.Background())
				assert.NoError(t, err)
				err = s.Placing.PublishDraft(context.Background(), p.ID, placing.Seen{Revision: p.Step + 1, House: h.Revision}, a.ID)
				assert.True(t, err == nil || errors.Is(err, placing.ErrStale), "publishing: %v", err)
			}
		})
	}
	all.Wait()
	for more := true; more; {
		var err error
		more, err = s.Placing.CarryOn(ctx)
		require.NoError(t, err)
	}
	h, err := s.Placing.House(ctx)
	require.NoError(t, err)
	for _, p := range placements {
		now, err := s.Placing.Placement(ctx, p.ID)
		require.NoError(t, err)
		v, err := s.Placing.PublishedVersion(ctx, now)
		require.NoError(t, err)
		assert.Equal(t, h.Settings.Padding, v.Settings.Padding, "readers have the last change, whatever came between")
	}
	assert.Positive(t, kept.Load())
	assert.Equal(t, kept.Load(), h.Revision, "each change that was kept is a step, and no other")
}
