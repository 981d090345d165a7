package library_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/compare"
	"incipit/internal/core/report"
	"incipit/internal/core/sheet"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/testkit"
)

// What became of pages is known in both directions once two editions were compared, and
// by number before; a comparison and a report are asked for once, whoever looks.
func TestWherePagesOfEditionsAre(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, first := testkit.Added(t, s, "Tides")
	next := library.Edition{SHA256: fmt.Sprintf("%064d", 7), BlobKey: "files/next", Pages: 2, PagesKnown: 1, Sheets: []sheet.Sheet{{Width: 9, Height: 9}}}
	require.NoError(t, s.Library.AddEdition(ctx, d.ID, &next, testkit.Job))
	assert.Equal(t, 2, next.Number)
	ask := func(from, to library.Edition, page int) (int, bool) {
		where, _, err := s.Library.Where(ctx, from, to)
		require.NoError(t, err)
		return where(page)
	}
	compared := func(want bool) {
		t.Helper()
		_, known, err := s.Library.Where(ctx, next, first)
		require.NoError(t, err)
		assert.Equal(t, want, known)
	}
	now, there := ask(first, next, 3)
	assert.Equal(t, []any{2, false}, []any{now, there}, "there is no third page")
	compared(false)

	jobs := testkit.Jobs(t, s)
	for range 3 {
		require.NoError(t, s.Library.CompareLater(ctx, first.ID, next.ID, testkit.Job(next.ID)))
		r, err := s.Library.ReportLater(ctx, next.ID, testkit.Job(next.ID))
		require.NoError(t, err)
		assert.Nil(t, r.Result)
	}
	assert.Equal(t, jobs+2, testkit.Jobs(t, s))
	c := library.Comparison{BeforeID: first.ID, EditionID: next.ID, Done: 4, Pages: 5, Budgets: 1}
	require.NoError(t, s.Library.ComparedSoFar(ctx, c))
	compared(false)
	c.Trouble = "It cannot be."
	require.NoError(t, s.Library.KeepCompared(ctx, c))
	kept, err := s.Library.Compared(ctx, first.ID, next.ID)
	require.NoError(t, err)
	assert.Equal(t, c, kept)
	now, _ = ask(first, next, 1)
	assert.Equal(t, 1, now, "what could not be compared goes by number")
	compared(true)

	c.Trouble, c.Result = "", &library.Compared{Comparison: compare.Comparison{Pages: []compare.Pair{
		{Old: 1, New: 2, Change: compare.Moved}, {Old: 2, Change: compare.Removed}, {Old: 3, New: 1, Change: compare.Same}}}}
	require.NoError(t, s.Library.KeepCompared(ctx, c))
	for old, want := range map[int]int{1: 2, 2: 1, 3: 1} {
		now, there := ask(first, next, old)
		assert.Equal(t, want, now, "page %d", old)
		assert.Equal(t, old != 2, there)
	}
	now, there = ask(next, first, 1)
	assert.Equal(t, []any{3, true}, []any{now, there}, "and back")
	page, err := s.Library.PageNow(ctx, first, next.SHA256[:16], 2)
	require.NoError(t, err)
	assert.Equal(t, 1, page)
	page, err = s.Library.PageNow(ctx, first, "no such edition", 9)
	require.NoError(t, err)
	assert.Equal(t, 3, page, "within the edition")

	require.NoError(t, s.Library.KeepReport(ctx, library.Report{EditionID: next.ID, Result: &report.Report{Language: "en", Findings: []report.Finding{}}}))
	r, err := s.Library.ReportLater(ctx, next.ID, testkit.Job(next.ID))
	require.NoError(t, err)
	require.NotNil(t, r.Result)
	assert.Equal(t, "en", r.Result.Language)
}

// A document has a bounded number of editions, and says so.
func TestEditionsAreBounded(t *testing.T) {
	s := testkit.Nouns(t)
	d, _ := testkit.Added(t, s, "Tides")
	_, err := s.DB.Pool.Exec(t.Context(), `INSERT INTO editions (document_id, number, sha256, bytes, file_name, blob_key, state, pages)
		SELECT $1, n, 'x', 1, 'x', 'files/' || n, 'ready', 1 FROM generate_series(2, $2) n`, d.ID, library.MostEditions)
	require.NoError(t, err)
	e := library.Edition{SHA256: "y", BlobKey: "files/y", Pages: 1, Sheets: []sheet.Sheet{{Width: 9, Height: 9}}}
	require.ErrorIs(t, s.Library.AddEdition(t.Context(), d.ID, &e, testkit.Job), library.ErrTooManyEditions)
	require.NoError(t, s.Library.RemoveEdition(t.Context(), d.ID, 100, "Maren Oakes"))
	require.NoError(t, s.Library.AddEdition(t.Context(), d.ID, &e, testkit.Job))
	assert.Equal(t, library.MostEditions+1, e.Number, "numbers go on")
	require.ErrorIs(t, s.Library.RemoveEdition(t.Context(), d.ID, 1, "Maren Oakes"), library.ErrInUse)
	require.NoError(t, s.Library.RemoveDocument(t.Context(), d.ID, "Maren Oakes"), "with all its editions")
}

// An edition that was removed comes back at its number, as what it was made of, its file kept
// meanwhile; its number is nobody else's, and after a while it is gone for good.
func TestARemovedEditionComesBack(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, _ := testkit.Added(t, s, "Tides")
	add := func(name string) library.Edition {
		e := library.Edition{SHA256: name, Bytes: 9, FileName: name + ".pdf", BlobKey: "files/" + name, Pages: 3, PagesKnown: 1, Sheets: []sheet.Sheet{{Width: 595, Height: 842, Label: "1"}},
			Alternatives: map[int]string{7: "A tern"}, Recognised: []int{1, 3}, RecognisedIn: "eng"}
		require.NoError(t, s.Library.AddEdition(ctx, d.ID, &e, testkit.Job))
		return e
	}
	second := add("second")
	require.NoError(t, s.Library.RemoveEdition(ctx, d.ID, 2, "Maren Oakes"))
	require.ErrorIs(t, s.Library.RemoveEdition(ctx, d.ID, 2, "Maren Oakes"), library.ErrInUse, "it is there no more")
	require.ErrorIs(t, s.Library.RemoveEdition(ctx, d.ID, 1, "Maren Oakes"), library.ErrInUse)
	third := add("third")
	assert.Equal(t, 3, third.Number)
	owned, err := s.Library.OwnsFile(ctx, "files/second")
	require.NoError(t, err)
	assert.True(t, owned)
	gone, err := s.Library.RemovedEditions(ctx, d.ID)
	require.NoError(t, err)
	require.Len(t, gone, 1)
	assert.Equal(t, []any{2, "second.pdf", "Maren Oakes"}, []any{gone[0].Number, gone[0].FileName, gone[0].RemovedBy})

	before := testkit.Jobs(t, s)
	require.NoError(t, s.Library.PutBackEdition(ctx, d.ID, 2, testkit.Job, testkit.Job))
	assert.Equal(t, before+1, testkit.Jobs(t, s), "it is examined anew")
	require.ErrorIs(t, s.Library.PutBackEdition(ctx, d.ID, 2, testkit.Job, testkit.Job), database.ErrNotFound)
	back, err := s.Library.EditionOf(ctx, d.ID, 2)
	require.NoError(t, err)
	assert.Equal(t, []any{second.SHA256, second.BlobKey, 3, second.Alternatives, second.Recognised, "eng", library.Examining},
		[]any{back.SHA256, back.BlobKey, back.Pages, back.Alternatives, back.Recognised, back.RecognisedIn, back.State})
	assert.WithinDuration(t, second.CreatedAt, back.CreatedAt, time.Millisecond)

	// A bound on what is kept, and an end to it.
	for n := range library.MostRemovedEditions + 3 {
		e := add(fmt.Sprint("more", n))
		require.NoError(t, s.Library.RemoveEdition(ctx, d.ID, e.Number, "Maren Oakes"))
	}
	gone, err = s.Library.RemovedEditions(ctx, d.ID)
	require.NoError(t, err)
	assert.Len(t, gone, library.MostRemovedEditions)
	owned, err = s.Library.OwnsFile(ctx, "files/more0")
	require.NoError(t, err)
	assert.False(t, owned)
	require.NoError(t, s.Library.ForgetRemoved(ctx, time.Now().Add(time.Minute)))
	gone, err = s.Library.RemovedEditions(ctx, d.ID)
	require.NoError(t, err)
	assert.Empty(t, gone)
}
