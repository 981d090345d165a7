package library_test

import (
	"context"
	"testing"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/sheet"
	"incipit/internal/core/textflow"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

// What is not known of an edition yet is taken to be like what is.
func TestAnEditionBeforeItIsRead(t *testing.T) {
	e := library.Edition{State: library.Examining, Pages: 3, Sheets: []sheet.Sheet{{Width: 842, Height: 595, Label: "i"}}}
	all := e.AllSheets()
	require.Len(t, all, 3)
	assert.Equal(t, []string{"i", "2", "3"}, []string{all[0].Label, all[1].Label, all[2].Label})
	assert.Equal(t, 842.0, all[2].Width)
	assert.True(t, e.ProofFacts().Text, "it may have text")
	assert.Equal(t, 3, e.Holds().Pages)

	e.State, e.Sheets = library.Ready, all
	assert.False(t, e.ProofFacts().Text, "it was looked at, and has none")
	assert.Empty(t, e.Language())
	e.Flow = textflow.Style{Language: "de"}
	assert.Equal(t, "de", e.Language(), "what its text is in")
	e.Facts = pdf.Facts{Language: "en-GB"}
	assert.Equal(t, "en-GB", e.Language(), "what the file says comes first")
}

// Of a document with a password nothing is kept but how large its pages are.
func TestALockedDocument(t *testing.T) {
	s := testkit.Nouns(t)
	d := library.Document{Title: "Ringing register"}
	e := library.Edition{SHA256: "aa", BlobKey: "files/aa", Pages: 2, PagesKnown: 2,
		Sheets: []sheet.Sheet{{Width: 595, Height: 842}, {Width: 595, Height: 842}}}
	require.NoError(t, s.Library.AddLocked(t.Context(), &d, &e, library.Origin{}, testkit.Job))
	kept, err := s.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	assert.True(t, kept.Locked && kept.Measured && kept.State == library.Ready)
	assert.Equal(t, 1, testkit.Jobs(t, s), "nobody reads it: its title is all that it is found by")
	require.ErrorIs(t, s.Library.ExamineAgain(t.Context(), e.ID, func(id int64) river.JobArgs { return testkit.Job(id) }),
		database.ErrNotFound)
}

func TestWhoseBytesTheseAre(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, e := testkit.Added(t, s, "tides")
	for _, is := range []struct {
		name string
		ask  func(context.Context, string) (bool, error)
		ours string
	}{{"file", s.Library.OwnsFile, e.BlobKey}, {"pages", s.Library.OwnsPages, e.SHA256}} {
		owned, err := is.ask(ctx, is.ours)
		require.NoError(t, err)
		assert.True(t, owned, is.name)
		owned, err = is.ask(ctx, is.ours+"x")
		require.NoError(t, err)
		assert.False(t, owned, is.name)
	}
	other := library.Document{Title: "Tide tables"}
	again := e
	again.ID, again.BlobKey = 0, "files/again"
	require.NoError(t, s.Library.AddDocument(ctx, &other, &again, testkit.Job))
	twice, err := s.Library.SameFile(ctx, e.SHA256, other.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"tides"}, twice)
	require.NoError(t, s.Library.Retitle(ctx, d.ID, "Tides of the Harrow"))
	renamed, err := s.Library.Document(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, "Tides of the Harrow", renamed.Title)
	require.ErrorIs(t, s.Library.Retitle(ctx, d.ID+100, "nothing"), database.ErrNotFound)
	jobs, err := s.Library.Jobs(ctx)
	require.NoError(t, err)
	require.Len(t, jobs, 1)
	assert.Equal(t, []any{"examine", "available", 2}, []any{jobs[0].Kind, jobs[0].State, jobs[0].N})
	assert.GreaterOrEqual(t, jobs[0].Age, 0.0)
}

// The title in a file is offered where it is one, and not the document's already.
func TestTheFilesOwnTitle(t *testing.T) {
	l := library.Listed{Title: "survey 2026 final", FileName: "survey 2026 final.pdf", FileTitle: "Wader survey 2026"}
	assert.Equal(t, "Wader survey 2026", l.OwnTitle())
	l.Title = "Wader survey 2026"
	assert.Empty(t, l.OwnTitle())
}
