package placing_test

import (
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/vary"
)

// What the database counts of a change of house style is what core makes of each placement.
func TestReachIsWhatFollows(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	a := people.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.People.AddAccount(ctx, &a))
	d, e := testkit.Added(t, s, "tides")
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
		p, err := s.Placing.Place(ctx, d.ID, placing.Start{Patch: own})
		require.NoError(t, err)
		one := placed{own: own}
		if i%3 > 0 {
			seen := vary.Settings(r).Canonical()
			require.NoError(t, s.Placing.Publish(ctx, p.ID, e.ID, a.ID, seen))
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
		want := placing.Reached{}
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
		got, err := s.Placing.Reach(ctx, change)
		require.NoError(t, err)
		assert.Equal(t, want, got, "%v", change)
		drafts, err := s.Placing.Drafts(ctx, change, 100)
		require.NoError(t, err)
		assert.Len(t, drafts, want.Drafts)
	}
}
