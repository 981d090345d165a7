package library_test

import (
	"fmt"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/legible"
	"incipit/internal/core/sheet"
	"incipit/internal/database"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

func TestADocumentAndItsJobComeTogether(t *testing.T) {
	s := testkit.Nouns(t)
	_, e := testkit.Added(t, s, "tides")
	assert.Equal(t, 1, testkit.Jobs(t, s))
	got, err := s.Library.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	assert.Equal(t, library.Examining, got.State)
	assert.Len(t, got.AllSheets(), 3)
	assert.Equal(t, "3", got.AllSheets()[2].Label)

	// The same key again: neither row nor job.
	d := library.Document{Title: "again"}
	require.Error(t, s.Library.AddDocument(t.Context(), &d, &library.Edition{BlobKey: "files/tides", SHA256: "x"}, testkit.Job))
	assert.Equal(t, 1, testkit.Jobs(t, s))
	all, err := s.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Len(t, all, 1)
}

func TestExaminationIsKept(t *testing.T) {
	s := testkit.Nouns(t)
	_, e := testkit.Added(t, s, "tides")
	require.NoError(t, s.Library.ExaminedSoFar(t.Context(), e.ID, 2))
	all, err := s.Library.Documents(t.Context(), "TIDE")
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, 2, all[0].PagesKnown)
	assert.InDelta(t, 842, all[0].Width, 1e-6)
	in := &intake.Intake{All: s}
	n, err := in.Resume(t.Context())
	require.NoError(t, err)
	assert.Zero(t, n, "it has a job")
	require.NoError(t, s.Library.Examined(t.Context(), e.ID, []sheet.Sheet{{Width: 1}, {Width: 2}, {Width: 3}}, pdf.Facts{Language: "en"},
		true, library.Unread{Text: []int{2}}, testkit.Job(e.ID)))
	got, err := s.Library.CurrentEdition(t.Context(), e.DocumentID)
	require.NoError(t, err)
	assert.Equal(t, library.Ready, got.State)
	assert.Equal(t, "en", got.Facts.Language)
	assert.True(t, got.HasText)
	n, err = in.Resume(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 2, n, "it is neither measured nor indexed yet")
	measured := legible.Type{Of: 3, Pages: []legible.Page{{Number: 1, Bins: []legible.Bin{{Size: 6.3, Chars: 90, XHeight: 3.25}}}}}
	require.NoError(t, s.Library.MeasuredAs(t.Context(), e.ID, measured, map[int]int64{160: 9000}))
	got, err = s.Library.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	assert.Equal(t, measured, got.Type)
	assert.Equal(t, map[int]int64{160: 9000}, got.Images)
	require.NoError(t, s.Library.KeepTexts(t.Context(), e.ID, nil, 3))
	require.NoError(t, s.Library.KeepWords(t.Context(), got))
	n, err = in.Resume(t.Context())
	require.NoError(t, err)
	assert.Zero(t, n)
}

// A document is being read until all that is made of it is there.
func TestReadingIsToldToTheEnd(t *testing.T) {
	for want, l := range map[string]library.Listed{
		"Examining page 3 of 10":         {State: library.Examining, Pages: 10, PagesKnown: 3},
		"Reading the text: page 4 of 10": {State: library.Ready, Pages: 10, PagesKnown: 10, HasText: true, Indexed: 4, Measured: true},
		"Measuring its type":             {State: library.Ready, Pages: 10, HasText: true, Indexed: 10},
		"":                               {State: library.Ready, Pages: 10, HasText: true, Indexed: 10, Measured: true},
	} {
		assert.Equal(t, want, l.Reading())
	}
	assert.Empty(t, library.Listed{State: library.Failed, Pages: 10}.Reading(), "it is not read any more")
	assert.Equal(t, "Measuring its type", library.Listed{State: library.Ready, Pages: 10}.Reading(), "pictures of pages have no text")
	s := testkit.Nouns(t)
	_, e := testkit.Added(t, s, "tides")
	all, err := s.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, fmt.Sprintf("Examining page 1 of %d", e.Pages), all[0].Reading())
}

// What an editor has examined again is examined, and has a job.
func TestExamineAgain(t *testing.T) {
	s := testkit.Nouns(t)
	d, e := testkit.Added(t, s, "Tides")
	require.NoError(t, s.Library.ExaminationFailed(t.Context(), e.ID, pdf.Problemf(pdf.Damaged, "It was killed.")))
	failed, err := s.Library.FailedEditions(t.Context())
	require.NoError(t, err)
	assert.Equal(t, map[int64]int64{d.ID: e.ID}, failed)
	before := testkit.Jobs(t, s)
	require.NoError(t, s.Library.ExamineAgain(t.Context(), e.ID, testkit.Job))
	assert.Equal(t, before+1, testkit.Jobs(t, s))
	e, err = s.Library.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	assert.Equal(t, library.Examining, e.State)
	assert.Empty(t, e.ProblemMessage)
	require.ErrorIs(t, s.Library.ExamineAgain(t.Context(), 999, testkit.Job), database.ErrNotFound)
}
