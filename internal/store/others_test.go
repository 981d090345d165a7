package store_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/draft"
	"incipit/internal/store"
	"incipit/internal/testkit/vary"
)

// who lists who made what, without times.
func who(made []draft.Made) map[string][]string {
	out := map[string][]string{}
	for _, m := range made {
		out[m.By] = m.Members
	}
	return out
}

// Whoever is told of a change is told who made it: not whoever was last at something else.
func TestOthersAreNamedForWhatTheyMade(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	d, _ := add(t, s, "tides")
	p, err := s.Place(ctx, d.ID, store.Start{})
	require.NoError(t, err)
	change := func(seen int64, by string, patch setting.Patch) ([]draft.Made, error) {
		_, others, err := s.ChangeDraft(ctx, p.ID, seen, by, func(b store.Below) (setting.Patch, *store.Start, error) {
			next, err := patch.Over(b.House.Settings)
			return setting.Diff(b.House.Settings, next), nil, err
		}, func(setting.Patch, store.House) error { return nil })
		return others, err
	}
	_, err = change(0, "Maren", setting.PatchOf(setting.Padding, 4.0))
	require.NoError(t, err)
	_, err = change(1, "Piet", setting.PatchOf(setting.Padding, 4.0, setting.Corner, 2.0))
	require.NoError(t, err)

	// Piet was last, and Maren made what Ada changes, too.
	_, err = change(0, "Ada", setting.PatchOf(setting.Padding, 9.0))
	var clash *draft.Clash
	require.ErrorAs(t, err, &clash)
	assert.Equal(t, map[string][]string{"Maren": {"padding"}}, who(clash.Made))

	// Beside both: each with their own.
	others, err := change(0, "Ada", setting.PatchOf(setting.Print, false))
	require.NoError(t, err)
	assert.Equal(t, map[string][]string{"Maren": {"padding"}, "Piet": {"corner"}}, who(others))
	now, err := s.Placement(ctx, p.ID)
	require.NoError(t, err)
	held, err := s.Draft(ctx, now)
	require.NoError(t, err)
	assert.Equal(t, []setting.Key{setting.Print, setting.Padding, setting.Corner}, held.Patch.Keys())

	// The same to the same is no clash, and no step.
	others, err = change(1, "Ada", setting.PatchOf(setting.Padding, 4.0, setting.Corner, 2.0))
	require.NoError(t, err)
	assert.NotEmpty(t, others)
	again, err := s.Placement(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, now.Step, again.Step)

	var stale *draft.Stale
	require.ErrorAs(t, s.Move(ctx, p.ID, 1, "Maren", -1), &stale)
	assert.Equal(t, map[string][]string{"Piet": {"corner"}, "Ada": {"print"}}, who(stale.Made))

	// House style below what is published.
	h, err := s.House(ctx)
	require.NoError(t, err)
	h.Settings.Print = false
	_, err = s.ChangeHouse(ctx, h.Revision, "Wren", h, nil, nil)
	require.NoError(t, err)
	err = s.PublishDraft(ctx, p.ID, store.Seen{Revision: now.Step, House: h.Revision}, 1, 0, func(setting.Settings) error { return nil })
	require.ErrorAs(t, err, &stale)
	assert.Equal(t, draft.House, stale.Kind)
	assert.Equal(t, map[string][]string{"Wren": {"settings.print"}}, who(stale.Made))
}

func TestOthersOfACollectionAreNamed(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	kept, err := s.AddCollection(ctx, collection.New("Surveys"))
	require.NoError(t, err)
	first := kept.Content
	first.Name = "Counts"
	_, err = s.ChangeCollection(ctx, kept.ID, 0, "Maren", first, nil)
	require.NoError(t, err)
	second := first
	second.Arrangement = collection.Grid
	_, err = s.ChangeCollection(ctx, kept.ID, 1, "Piet", second, nil)
	require.NoError(t, err)
	mine := kept.Content
	mine.Name = "Tables"
	_, err = s.ChangeCollection(ctx, kept.ID, 0, "Ada", mine, nil)
	var clash *draft.Clash
	require.True(t, errors.As(err, &clash), "%v", err)
	require.Len(t, clash.Made, 1)
	assert.Equal(t, "Maren", clash.Made[0].By)
}

// Of all who changed a page, the one is named who made what an act is about as it is, also
// past more steps than are read at once.
func TestOthersOfAPageAreNamed(t *testing.T) {
	s := open(t)
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
	w, err := s.AddWebPage(ctx, "visit", page, "Maren")
	require.NoError(t, err)
	change := func(seen int64, by, of, text string) error {
		return s.Rewrite(ctx, w.ID, seen, by, func(r store.Rewritten) (webpage.Page, error) {
			return r.Now.Content.Done(webpage.Act{Do: webpage.DoChange, Block: ids[of], New: block(text)})
		})
	}
	require.NoError(t, change(1, "Maren", "a", "Maren's"))
	for i := range 20 {
		require.NoError(t, change(1, "Piet", "b", fmt.Sprint("Piet's ", i)))
	}
	stop := errors.New("stop")
	for of, want := range map[string]string{"a": "Maren", "b": "Piet"} {
		err := s.Rewrite(ctx, w.ID, 1, "Ada", func(r store.Rewritten) (webpage.Page, error) {
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
	require.ErrorAs(t, s.MoveWebPage(ctx, w.ID, 1, "Ada", -1), &stale)
	assert.Len(t, stale.Made, 1, "all of it is in the rows, which Piet changed last")
}

// What the database counts of a change of house style is what core makes of each placement.
func TestReachIsWhatFollows(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	a := store.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.AddAccount(ctx, &a))
	d, e := add(t, s, "tides")
	r := vary.Rand(1550)
	some := func(of setting.Patch, n int) setting.Patch {
		out := setting.Patch{}
		for k, v := range of {
			if r.IntN(n) == 0 {
				out[k] = v
			}
		}
		return out
	}
	type placed struct {
		own       setting.Patch
		published *setting.Settings
	}
	var all []placed
	for i := range 60 {
		own := some(setting.Diff(setting.Default(), vary.Settings(r)), 3)
		if i%4 == 0 { // colours follow, and their scheme does not
			own = setting.PatchOf(setting.Scheme, vary.One(r, setting.System, setting.Own))
		}
		p, err := s.Place(ctx, d.ID, store.Start{Patch: own})
		require.NoError(t, err)
		one := placed{own: own}
		if i%3 > 0 {
			seen := vary.Settings(r).Canonical()
			require.NoError(t, s.Publish(ctx, p.ID, e.ID, a.ID, seen))
			one.published = &seen
		}
		all = append(all, one)
	}
	for i := range 60 {
		house, err := some(setting.Diff(setting.Default(), vary.Settings(r)), 4).Over(setting.Default())
		require.NoError(t, err)
		made := some(setting.Diff(house, vary.Settings(r)), 12)
		if i%3 == 0 { // colours alone, or with their scheme
			house.Scheme, made = setting.Own, setting.PatchOf(setting.Colours, setting.Palette{Paper: "#102030", Ink: "#ffffff", Accent: "#abcdef"})
			if i%2 == 0 {
				house.Scheme, made = setting.System, setting.PatchOf(setting.Scheme, setting.Own, setting.Colours,
					setting.Palette{Paper: "#102030", Ink: "#ffffff", Accent: "#abcdef"})
			}
		}
		next, err := made.Over(house.Canonical())
		require.NoError(t, err)
		house = house.Canonical()
		change := setting.Diff(house, next)
		want := store.Reached{}
		for _, p := range all {
			before, err := p.own.Over(house)
			require.NoError(t, err)
			after, err := setting.Followed(before, p.own, change)
			require.NoError(t, err)
			if len(setting.Diff(before, after)) > 0 {
				want.Drafts++
			}
			if p.published == nil {
				continue
			}
			seen, err := setting.Followed(*p.published, p.own, change)
			require.NoError(t, err)
			if len(setting.Diff(*p.published, seen)) > 0 {
				want.Readers++
			}
		}
		got, err := s.Reach(ctx, change)
		require.NoError(t, err)
		assert.Equal(t, want, got, "%v", change)
		drafts, err := s.Drafts(ctx, change, 100)
		require.NoError(t, err)
		assert.Len(t, drafts, want.Drafts)
	}
}
