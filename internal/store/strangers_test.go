package store_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/webpage"
	"incipit/internal/pdf"
	"incipit/internal/store"
)

// Invented websites, each named once, push out nobody who was refused more often.
func TestInventedWebsitesPushNobodyOut(t *testing.T) {
	s := open(t)
	d, _ := add(t, s, "Tides")
	p, err := s.Place(t.Context(), d.ID, store.Start{})
	require.NoError(t, err)
	for range 3 {
		require.NoError(t, s.NoteRefused(t.Context(), p.ID, "https://school.example"))
	}
	for i := range 120 {
		require.NoError(t, s.NoteRefused(t.Context(), p.ID, fmt.Sprintf("https://invented-%d.example", i)))
	}
	all, err := s.RefusedSites(t.Context(), p.ID)
	require.NoError(t, err)
	assert.Len(t, all, 50)
	times := map[string]int64{}
	for _, r := range all {
		times[r.Origin] = r.Times
	}
	assert.EqualValues(t, 3, times["https://school.example"])
	assert.EqualValues(t, 1, times["https://invented-119.example"], "the latest is among them")
	require.NoError(t, s.NoteRefused(t.Context(), p.ID, "https://school.example"))
	all, err = s.RefusedSites(t.Context(), p.ID)
	require.NoError(t, err)
	assert.Equal(t, "https://school.example", all[0].Origin)
}

// Pictures that stand nowhere are forgotten after a while: not those of a draft, of
// what an undo brings back, of an earlier version, or of code elsewhere.
func TestPicturesThatStandNowhere(t *testing.T) {
	s := open(t)
	added := map[string]int64{}
	for i, name := range []string{"nowhere", "draft", "undone", "published", "elsewhere"} {
		p, err := s.AddPicture(t.Context(), store.Picture{SHA256: fmt.Sprintf("%064d", i), Name: name, Width: 1, Height: 1,
			MediaType: "image/png", Widths: []int{1}})
		require.NoError(t, err)
		added[name] = p.ID
	}
	showing := func(name string) webpage.Page {
		return webpage.Page{Title: "Visiting", Rows: []webpage.Row{{ID: "r", Columns: []webpage.Column{{Blocks: []webpage.Block{{ID: "b",
			Kind: webpage.Picture, Of: added[name]}}}}}}}
	}
	page, err := s.AddWebPage(t.Context(), "visiting", showing("published"), "Maren")
	require.NoError(t, err)
	step, err := s.WebPageDraft(t.Context(), page.ID)
	require.NoError(t, err)
	require.NoError(t, s.PublishWebPage(t.Context(), page.ID, step.Revision, "Maren", webpage.Plan{}))
	for _, name := range []string{"undone", "draft"} {
		step, err = s.WebPageDraft(t.Context(), page.ID)
		require.NoError(t, err)
		require.NoError(t, s.Rewrite(t.Context(), page.ID, step.Revision, "Maren", func(store.Rewritten) (webpage.Page,
			error) {
			return showing(name), nil
		}))
	}
	require.NoError(t, s.GiveOut(t.Context(), added["elsewhere"]))
	n, err := s.ForgetPictures(t.Context(), time.Now().Add(-time.Hour))
	require.NoError(t, err)
	assert.Zero(t, n, "young ones may be on somebody's screen")
	n, err = s.ForgetPictures(t.Context(), time.Now().Add(time.Hour))
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	left, _, err := s.OfferedPictures(t.Context())
	require.NoError(t, err)
	var names []string
	for _, p := range left {
		names = append(names, p.Name)
	}
	assert.ElementsMatch(t, []string{"draft", "undone", "published", "elsewhere"}, names)
}

// What an editor has examined again is examined, and has a job.
func TestExamineAgain(t *testing.T) {
	s := open(t)
	d, e := add(t, s, "Tides")
	require.NoError(t, s.ExaminationFailed(t.Context(), e.ID, pdf.Problemf(pdf.Damaged, "It was killed.")))
	failed, err := s.FailedEditions(t.Context())
	require.NoError(t, err)
	assert.Equal(t, map[int64]int64{d.ID: e.ID}, failed)
	before := jobs(t, s)
	require.NoError(t, s.ExamineAgain(t.Context(), e.ID, jobFor))
	assert.Equal(t, before+1, jobs(t, s))
	e, err = s.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Examining, e.State)
	assert.Empty(t, e.ProblemMessage)
	require.ErrorIs(t, s.ExamineAgain(t.Context(), 999, jobFor), store.ErrNotFound)
}

// When a sign-in was last used is noted, now and then.
func TestASignInIsSeen(t *testing.T) {
	s := open(t)
	a := store.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.AddAccount(t.Context(), &a))
	_, err := s.Pool.Exec(t.Context(), "INSERT INTO sessions (token, data, expiry) VALUES ('here', '', now() + interval '1 hour')")
	require.NoError(t, err)
	require.NoError(t, s.NoteSignIn(t.Context(), store.SignIn{AccountID: a.ID, Session: "here", Agent: "A browser"}))
	_, err = s.Pool.Exec(t.Context(), "UPDATE sign_ins SET begun = now() - interval '1 day', seen = now() - interval '1 day'")
	require.NoError(t, err)
	require.NoError(t, s.SeeSignIn(t.Context(), "here"))
	all, err := s.SignIns(t.Context(), a.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.WithinDuration(t, time.Now(), all[0].Seen, time.Minute)
}
