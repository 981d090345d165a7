package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/legible"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/draft"
	"incipit/internal/intake"
	"incipit/internal/pdf"
	"incipit/internal/store"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func open(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), testkit.Database(t), store.Share(0))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}

type job struct {
	Edition int64 `json:"edition"`
}

func (job) Kind() string { return "examine" }

func jobFor(id int64) river.JobArgs { return job{id} }

func add(t *testing.T, s *store.Store, title string) (store.Document, store.Edition) {
	t.Helper()
	d := store.Document{Title: title}
	e := store.Edition{SHA256: "sha of " + title, Bytes: 7, FileName: title + ".pdf", BlobKey: "files/" + title, Pages: 3, PagesKnown: 1,
		Sheets: []sheet.Sheet{{Width: 842, Height: 595, Label: "1"}}}
	require.NoError(t, s.AddDocument(t.Context(), &d, &e, jobFor))
	return d, e
}

func jobs(t *testing.T, s *store.Store) (n int) {
	t.Helper()
	require.NoError(t, s.Pool.QueryRow(t.Context(), "SELECT count(*) FROM river_job").Scan(&n))
	return n
}

func TestADocumentAndItsJobComeTogether(t *testing.T) {
	s := open(t)
	_, e := add(t, s, "tides")
	assert.Equal(t, 1, jobs(t, s))
	got, err := s.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Examining, got.State)
	assert.Len(t, got.AllSheets(), 3)
	assert.Equal(t, "3", got.AllSheets()[2].Label)

	// The same key again: neither row nor job.
	d := store.Document{Title: "again"}
	require.Error(t, s.AddDocument(t.Context(), &d, &store.Edition{BlobKey: "files/tides", SHA256: "x"}, jobFor))
	assert.Equal(t, 1, jobs(t, s))
	all, err := s.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Len(t, all, 1)
}

func TestExaminationIsKept(t *testing.T) {
	s := open(t)
	_, e := add(t, s, "tides")
	require.NoError(t, s.ExaminedSoFar(t.Context(), e.ID, 2))
	all, err := s.Documents(t.Context(), "TIDE")
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, 2, all[0].PagesKnown)
	assert.InDelta(t, 842, all[0].Width, 1e-6)
	measure := func(id int64) river.JobArgs { return intake.MeasureArgs{Edition: id} }
	index := func(id int64) river.JobArgs { return intake.IndexArgs{Edition: id} }
	n, err := s.Resume(t.Context(), jobFor, measure, index)
	require.NoError(t, err)
	assert.Zero(t, n, "it has a job")
	require.NoError(t, s.Examined(t.Context(), e.ID, []sheet.Sheet{{Width: 1}, {Width: 2}, {Width: 3}}, pdf.Facts{Language: "en"},
		true, jobFor(e.ID)))
	got, err := s.LatestEdition(t.Context(), e.DocumentID)
	require.NoError(t, err)
	assert.Equal(t, store.Ready, got.State)
	assert.Equal(t, "en", got.Facts.Language)
	assert.True(t, got.HasText)
	n, err = s.Resume(t.Context(), jobFor, measure, index)
	require.NoError(t, err)
	assert.Equal(t, 2, n, "it is neither measured nor indexed yet")
	measured := legible.Type{Of: 3, Pages: []legible.Page{{Number: 1, Bins: []legible.Bin{{Size: 6.3, Chars: 90, XHeight: 3.25}}}}}
	require.NoError(t, s.MeasuredAs(t.Context(), e.ID, measured, map[int]int64{160: 9000}))
	got, err = s.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	assert.Equal(t, measured, got.Type)
	assert.Equal(t, map[int]int64{160: 9000}, got.Images)
	require.NoError(t, s.KeepTexts(t.Context(), e.ID, nil, 3))
	n, err = s.Resume(t.Context(), jobFor, measure, index)
	require.NoError(t, err)
	assert.Zero(t, n)
}

func patch(t *testing.T, text string) setting.Patch {
	t.Helper()
	var p setting.Patch
	require.NoError(t, json.Unmarshal([]byte(text), &p))
	return p
}

func TestDraftStepsGoBackAndForward(t *testing.T) {
	s := open(t)
	d, _ := add(t, s, "tides")
	p, err := s.Place(t.Context(), d.ID, store.Start{})
	require.NoError(t, err)
	assert.Len(t, p.Key, 20)
	reload := func() store.Draft {
		p, err = s.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		draft, err := s.Draft(t.Context(), p)
		require.NoError(t, err)
		return draft
	}
	assert.False(t, reload().Undo)
	require.NoError(t, s.Move(t.Context(), p.ID, 0, "Maren", -1), "there is nothing to undo, and that is no error")
	require.NoError(t, s.Redraft(t.Context(), p.ID, 0, patch(t, `{"download":false}`)))
	require.NoError(t, s.Redraft(t.Context(), p.ID, 1, patch(t, `{"download":false,"print":false}`)))
	require.ErrorIs(t, s.Redraft(t.Context(), p.ID, 1, patch(t, `{}`)), store.ErrStale)
	require.ErrorIs(t, s.Move(t.Context(), p.ID, 1, "Maren", -1), store.ErrStale, "what was not seen is not undone")
	require.NoError(t, s.Move(t.Context(), p.ID, 2, "Maren", -1))
	draft := reload()
	assert.Equal(t, []setting.Key{setting.Download}, draft.Patch.Keys())
	assert.True(t, draft.Undo && draft.Redo)
	assert.Equal(t, int64(3), draft.Revision, "an undo is a step of its own")
	assert.Equal(t, "Maren", draft.By)
	require.NoError(t, s.Move(t.Context(), p.ID, 3, "Maren", 1))
	assert.Equal(t, []setting.Key{setting.Download, setting.Print}, reload().Patch.Keys())
	require.NoError(t, s.Move(t.Context(), p.ID, 4, "Maren", -1))
	require.NoError(t, s.Move(t.Context(), p.ID, 5, "Maren", -1))
	assert.Empty(t, reload().Patch, "undo goes on past an undo")
	require.NoError(t, s.Move(t.Context(), p.ID, 6, "Maren", 1))
	require.NoError(t, s.Redraft(t.Context(), p.ID, 7, patch(t, `{"align":"left"}`)))
	assert.False(t, reload().Redo, "a change drops what lay ahead")
}

func TestPublishingPinsWhatReadersSee(t *testing.T) {
	s := open(t)
	d, e := add(t, s, "tides")
	a := store.Account{Email: "Maren@Harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.AddAccount(t.Context(), &a))
	p, err := s.Place(t.Context(), d.ID, store.Start{})
	require.NoError(t, err)
	_, err = s.PublishedVersion(t.Context(), p)
	require.ErrorIs(t, err, store.ErrNotFound)
	settings, err := s.DraftSettings(t.Context(), p)
	require.NoError(t, err)
	require.NoError(t, s.Publish(t.Context(), p.ID, e.ID, a.ID, settings))
	house := setting.Default()
	house.Print = false
	h, err := s.House(t.Context())
	require.NoError(t, err)
	h.Settings = house
	_, err = s.ChangeHouse(t.Context(), h.Revision, "Maren", h, nil, nil)
	require.NoError(t, err)
	p, err = s.PlacementByKey(t.Context(), p.Key)
	require.NoError(t, err)
	v, err := s.PublishedVersion(t.Context(), p)
	require.NoError(t, err)
	assert.True(t, v.Settings.Print, "house style does not reach readers before the next publication")
	draft, err := s.DraftSettings(t.Context(), p)
	require.NoError(t, err)
	assert.False(t, draft.Print, "a draft follows house style")
	require.ErrorIs(t, s.Withdraw(t.Context(), p.ID, 7), store.ErrStale)
	require.NoError(t, s.Withdraw(t.Context(), p.ID, 1))
	p, err = s.Placement(t.Context(), p.ID)
	require.NoError(t, err)
	_, err = s.PublishedVersion(t.Context(), p)
	require.ErrorIs(t, err, store.ErrNotFound)
	require.NoError(t, s.RemoveDocument(t.Context(), d.ID))
	_, err = s.Placement(t.Context(), p.ID)
	require.ErrorIs(t, err, store.ErrNotFound)
	owns, err := s.OwnsFile(t.Context(), e.BlobKey)
	require.NoError(t, err)
	assert.False(t, owns)
}

func TestWhatIsMissingIsSaid(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	for name, f := range map[string]func() error{
		"edition":   func() error { _, err := s.Edition(ctx, 9); return err },
		"document":  func() error { _, err := s.Document(ctx, 9); return err },
		"placement": func() error { _, err := s.PlacementByKey(ctx, "x"); return err },
		"title":     func() error { return s.Retitle(ctx, 9, "x") },
		"removal":   func() error { return s.RemoveDocument(ctx, 9) },
		"account":   func() error { _, err := s.AccountByEmail(ctx, "x"); return err },
		"publish":   func() error { return s.Publish(ctx, 9, 9, 9, setting.Default()) },
	} {
		assert.True(t, errors.Is(f(), store.ErrNotFound), name)
	}
}

func TestSetupAddressWorksOnce(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	require.NoError(t, s.OfferSetup(ctx, "old", time.Now().Add(time.Hour)))
	require.NoError(t, s.OfferSetup(ctx, "token", time.Now().Add(time.Hour)))
	old, err := s.SetupOpen(ctx, "old")
	require.NoError(t, err)
	assert.False(t, old, "a newer address ends the older one")
	require.ErrorIs(t, s.SetUp(ctx, "wrong", &store.Account{Email: "a@b.example"}), store.ErrNotFound)
	owner := store.Account{Email: "A@b.example", Name: "A", PasswordHash: "x"}
	require.NoError(t, s.SetUp(ctx, "token", &owner))
	assert.True(t, owner.Owner)
	require.ErrorIs(t, s.SetUp(ctx, "token", &store.Account{Email: "c@d.example"}), store.ErrNotFound)
	require.NoError(t, s.OfferSetup(ctx, "late", time.Now().Add(-time.Second)))
	open, err := s.SetupOpen(ctx, "late")
	require.NoError(t, err)
	assert.False(t, open)
}

func TestSessionsThatRanOutAreForgotten(t *testing.T) {
	s := open(t)
	for token, expiry := range map[string]string{"ran out": "now() - interval '1 second'", "lasts": "now() + interval '1 hour'"} {
		_, err := s.Pool.Exec(t.Context(), "INSERT INTO sessions (token, data, expiry) VALUES ($1, '', "+expiry+")", token)
		require.NoError(t, err)
	}
	require.NoError(t, s.ForgetSessions(t.Context(), time.Minute))
	var left []string
	require.NoError(t, s.Pool.QueryRow(t.Context(), "SELECT array_agg(token) FROM sessions").Scan(&left))
	assert.Equal(t, []string{"lasts"}, left)
}

func TestMigrateTwiceIsOnce(t *testing.T) {
	address := testkit.Database(t)
	require.NoError(t, store.Migrate(t.Context(), address))
	require.NoError(t, store.Migrate(t.Context(), address))
}

// A change of house style that is applied at once reaches readers of placements
// that follow it, in the changed settings alone.
func TestHouseStyleAtOnce(t *testing.T) {
	s := open(t)
	a := store.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.AddAccount(t.Context(), &a))
	place := func(own string) store.Placement {
		d, e := add(t, s, "of "+own)
		p, err := s.Place(t.Context(), d.ID, store.Start{Starter: "plan", Reason: "for the test", Patch: patch(t, own)})
		require.NoError(t, err)
		settings, err := s.DraftSettings(t.Context(), p)
		require.NoError(t, err)
		require.NoError(t, s.Publish(t.Context(), p.ID, e.ID, a.ID, settings))
		return p
	}
	follows, chose := place(`{"align":"left"}`), place(`{"flow":"across"}`)
	// A change that readers of the first one have not been given.
	require.NoError(t, s.Redraft(t.Context(), follows.ID, 0, patch(t, `{"align":"right"}`)))
	house := setting.Default()
	house.Flow, house.Padding = setting.Turn, 8
	h, err := s.House(t.Context())
	require.NoError(t, err)
	h.Settings = house
	reach, err := s.Reach(t.Context(), setting.Diff(setting.Default(), house))
	require.NoError(t, err)
	assert.Equal(t, store.Reached{Drafts: 2, Readers: 2}, reach)
	atOnce := func() int {
		_, err = s.ChangeHouse(t.Context(), h.Revision, "Maren", h, nil, &store.AtOnce{By: a.ID})
		require.NoError(t, err)
		for more := true; more; {
			more, err = s.CarryOn(t.Context())
			require.NoError(t, err)
		}
		last, all, err := s.LastCarry(t.Context())
		require.NoError(t, err)
		assert.Equal(t, 2, all)
		assert.NotNil(t, last.EndedAt)
		return last.Published
	}
	assert.Equal(t, 2, atOnce())
	seen := func(p store.Placement) setting.Settings {
		p, err := s.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		v, err := s.PublishedVersion(t.Context(), p)
		require.NoError(t, err)
		assert.Equal(t, 2, v.Number)
		return v.Settings
	}
	assert.Equal(t, []string{"turn", "left"}, []string{seen(follows).Flow, seen(follows).Align})
	assert.Equal(t, "across", seen(chose).Flow, "its own choice stays")
	assert.InDelta(t, 8, seen(chose).Padding, 0)
	h, err = s.House(t.Context())
	require.NoError(t, err)
	assert.Zero(t, atOnce(), "nothing changes, nothing is published")

	n, own, err := s.Chosen(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	assert.Equal(t, map[setting.Key]int{setting.Align: 1, setting.Flow: 1}, own)
	drafts, err := s.Drafts(t.Context(), setting.PatchOf(setting.Padding, 9.0, setting.Flow, setting.Turn), 10)
	require.NoError(t, err)
	require.Len(t, drafts, 2)
	draft, err := s.Draft(t.Context(), drafts[0].Placement)
	require.NoError(t, err)
	assert.Equal(t, []string{"plan", "for the test"}, []string{draft.Starter, draft.Reason}, "a change keeps what the draft was begun with")
	_, _, err = s.ChangeDraft(t.Context(), follows.ID, draft.Revision, "Maren", func(store.Below) (setting.Patch, *store.Start, error) {
		return patch(t, `{}`), &store.Start{Starter: "menu"}, nil
	}, func(setting.Patch, store.House) error { return nil })
	require.NoError(t, err)
	require.NoError(t, s.Move(t.Context(), follows.ID, draft.Revision+1, "Maren", -1))
	now, err := s.Placement(t.Context(), follows.ID)
	require.NoError(t, err)
	draft, err = s.Draft(t.Context(), now)
	require.NoError(t, err)
	assert.Equal(t, "plan", draft.Starter, "undo goes back to the earlier beginning")
	assert.Equal(t, []setting.Key{setting.Align}, drafts[0].Own.Keys())
	h, err = s.House(t.Context())
	require.NoError(t, err)
	h.Terms, h.Sites = proof.Terms{Budget: 250_000}, []proof.Site{{Name: "Harrowmere", Column: 704, Margin: 20}}
	_, err = s.ChangeHouse(t.Context(), h.Revision, "Maren", h, nil, nil)
	require.NoError(t, err)
	h, err = s.House(t.Context())
	require.NoError(t, err)
	assert.EqualValues(t, 250_000, h.Terms.Budget)
	assert.Equal(t, "Harrowmere", h.Sites[0].Name)
}

// A document is being read until all that is made of it is there.
func TestReadingIsToldToTheEnd(t *testing.T) {
	for want, l := range map[string]store.Listed{
		"Examining page 3 of 10":         {State: store.Examining, Pages: 10, PagesKnown: 3},
		"Reading the text: page 4 of 10": {State: store.Ready, Pages: 10, PagesKnown: 10, HasText: true, Indexed: 4, Measured: true},
		"Measuring its type":             {State: store.Ready, Pages: 10, HasText: true, Indexed: 10},
		"":                               {State: store.Ready, Pages: 10, HasText: true, Indexed: 10, Measured: true},
	} {
		assert.Equal(t, want, l.Reading())
	}
	assert.Empty(t, store.Listed{State: store.Failed, Pages: 10}.Reading(), "it is not read any more")
	assert.Equal(t, "Measuring its type", store.Listed{State: store.Ready, Pages: 10}.Reading(), "pictures of pages have no text")
	s := open(t)
	_, e := add(t, s, "tides")
	all, err := s.Documents(t.Context(), "")
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, fmt.Sprintf("Examining page 1 of %d", e.Pages), all[0].Reading())
}

// House style put in force at once, drafts and publishing get along: nobody waits for
// each other in a ring, and nothing is half done.
func TestHouseStyleAndPlacementsTogether(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	a := store.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.AddAccount(ctx, &a))
	var placements []store.Placement
	for i := range 6 {
		d, e := add(t, s, fmt.Sprint("tides ", i))
		p, err := s.Place(ctx, d.ID, store.Start{})
		require.NoError(t, err)
		require.NoError(t, s.Publish(ctx, p.ID, e.ID, a.ID, setting.Default()))
		placements = append(placements, p)
	}
	var all sync.WaitGroup
	var kept atomic.Int64
	for i := range 8 {
		all.Go(func() {
			for n := range 6 {
				h, err := s.House(context.Background())
				if !assert.NoError(t, err) {
					return
				}
				h.Settings.Padding = float64(1 + (i+n)%9)
				_, err = s.ChangeHouse(context.Background(), h.Revision, "Maren", h, nil, &store.AtOnce{By: a.ID})
				var clash *draft.Clash
				if assert.True(t, err == nil || errors.As(err, &clash), "house style: %v", err) && err == nil {
					kept.Add(1)
				}
				if n%2 == 0 {
					_, err = s.CarryOn(context.Background())
					assert.NoError(t, err)
				}
			}
		})
		all.Go(func() {
			for n := range 6 {
				p, err := s.Placement(context.Background(), placements[(i+n)%len(placements)].ID)
				if !assert.NoError(t, err) {
					return
				}
				err = s.Redraft(context.Background(), p.ID, p.Step, setting.PatchOf(setting.Corner, float64(n+1)))
				assert.True(t, err == nil || errors.Is(err, store.ErrStale), "a draft: %v", err)
				h, err := s.House(context.Background())
				assert.NoError(t, err)
				err = s.PublishDraft(context.Background(), p.ID, store.Seen{Revision: p.Step + 1, House: h.Revision}, 1, a.ID,
					func(setting.Settings) error { return nil })
				assert.True(t, err == nil || errors.Is(err, store.ErrStale), "publishing: %v", err)
			}
		})
	}
	all.Wait()
	for more := true; more; {
		var err error
		more, err = s.CarryOn(ctx)
		require.NoError(t, err)
	}
	h, err := s.House(ctx)
	require.NoError(t, err)
	for _, p := range placements {
		now, err := s.Placement(ctx, p.ID)
		require.NoError(t, err)
		v, err := s.PublishedVersion(ctx, now)
		require.NoError(t, err)
		assert.Equal(t, h.Settings.Padding, v.Settings.Padding, "readers have the last change, whatever came between")
	}
	assert.Positive(t, kept.Load())
	assert.Equal(t, kept.Load(), h.Revision, "each change that was kept is a step, and no other")
}
