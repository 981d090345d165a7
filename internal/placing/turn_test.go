package placing_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/compare"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/pdf"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// another adds an edition of some pages to a document; ready says that it was examined.
func another(t *testing.T, s nouns.All, document int64, pages int, ready bool) library.Edition {
	t.Helper()
	all, err := s.Library.Editions(t.Context(), document)
	require.NoError(t, err)
	name := fmt.Sprintf("files/%d-%d", document, len(all)+1)
	e := library.Edition{SHA256: "sha of " + name, BlobKey: name, Pages: pages, PagesKnown: 1, Sheets: []sheet.Sheet{{Width: 842, Height: 595, Label: "1"}}}
	require.NoError(t, s.Library.AddEdition(t.Context(), document, &e, testkit.Job))
	if ready {
		require.NoError(t, s.Library.Examined(t.Context(), e.ID, make([]sheet.Sheet, pages), pdf.Facts{}, false, library.Unread{}))
	}
	return e
}

func same(page int) (int, bool) { return page, true }

// What comes into force is drafted and published in it at once, opening pages with it; what
// nobody published stays a draft, and nothing else of a placement changes.
func TestAnEditionComesIntoForce(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, first := testkit.Added(t, s, "Tides")
	require.NoError(t, s.Library.Examined(ctx, first.ID, make([]sheet.Sheet, 3), pdf.Facts{}, false, library.Unread{}))
	shown, err := s.Placing.Place(ctx, d.ID, placing.Start{Patch: testkit.Patch(t, `{"open_at":3,"print":false}`)})
	require.NoError(t, err)
	draftOnly, err := s.Placing.Place(ctx, d.ID, placing.Start{Patch: testkit.Patch(t, `{"open_at":2}`)})
	require.NoError(t, err)
	was := setting.Default()
	was.OpenAt, was.Print, was.Padding = 3, false, 7
	require.NoError(t, s.Placing.Publish(ctx, shown.ID, first.ID, 0, was))
	next := another(t, s, d.ID, 2, true)

	// Until then nothing of it is seen.
	k, err := s.Placing.ShownByKey(ctx, shown.Key)
	require.NoError(t, err)
	assert.Equal(t, first.ID, k.Edition.ID)
	now, err := s.Library.CurrentEdition(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, first.ID, now.ID)

	moved := compare.Comparison{Pages: []compare.Pair{{Old: 1, New: 0, Change: compare.Removed}, {Old: 2, New: 1, Change: compare.Same}, {Old: 3, New: 2, Change: compare.Same}}}
	follows, err := s.Placing.Follows(ctx, d.ID, moved.Where)
	require.NoError(t, err)
	require.Len(t, follows, 2)
	assert.Equal(t, []any{3, 2, false, true}, []any{follows[0].From, follows[0].To, follows[0].Gone, follows[0].Published})
	require.NoError(t, s.Placing.TurnTo(ctx, d.ID, 1, 2, 0, "Maren", moved.Where))
	k, err = s.Placing.ShownByKey(ctx, shown.Key)
	require.NoError(t, err)
	assert.Equal(t, next.ID, k.Edition.ID)
	was.OpenAt = 2
	assert.Equal(t, was, k.Version.Settings)
	for _, p := range []placing.Placement{shown, draftOnly} {
		w, err := s.Placing.Whole(ctx, p.ID)
		require.NoError(t, err)
		assert.Equal(t, next.ID, w.Edition.ID)
		settings, err := w.Settings()
		require.NoError(t, err)
		assert.Equal(t, map[int64]int{shown.ID: 2, draftOnly.ID: 1}[p.ID], settings.OpenAt)
		assert.Equal(t, p.ID == draftOnly.ID, w.Version.Number == 0, "a draft stays one")
	}
	turns, err := s.Library.Turns(ctx, d.ID)
	require.NoError(t, err)
	require.Len(t, turns, 1)
	assert.Equal(t, []any{2, "Maren"}, []any{turns[0].Number, turns[0].MadeBy})

	// Back, by number alone.
	require.NoError(t, s.Placing.TurnTo(ctx, d.ID, 2, 1, 0, "Piet", same))
	k, err = s.Placing.ShownByKey(ctx, shown.Key)
	require.NoError(t, err)
	assert.Equal(t, first.ID, k.Edition.ID)
	require.ErrorIs(t, s.Library.RemoveEdition(ctx, d.ID, 1, "Maren Oakes"), library.ErrInUse)
	require.ErrorIs(t, s.Library.RemoveEdition(ctx, d.ID, 2, "Maren Oakes"), library.ErrInUse, "readers saw it")
	unseen := another(t, s, d.ID, 1, true)
	require.NoError(t, s.Library.RemoveEdition(ctx, d.ID, unseen.Number, "Maren Oakes"))
}

// What is not whole does not come into force, and of two who are at it one is told.
func TestAnEditionThatCannotComeIntoForce(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	d, _ := testkit.Added(t, s, "Tides")
	p, err := s.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	var refused draft.Refused
	another(t, s, d.ID, 3, false)
	require.ErrorAs(t, s.Placing.TurnTo(ctx, d.ID, 1, 2, 0, "Maren", same), &refused)
	broken := another(t, s, d.ID, 3, false)
	require.NoError(t, s.Library.ExaminationFailed(ctx, broken.ID, pdf.Problemf(pdf.Damaged, "It is cut off.")))
	require.ErrorAs(t, s.Placing.TurnTo(ctx, d.ID, 1, 3, 0, "Maren", same), &refused)
	assert.Contains(t, string(refused), "It is cut off.")
	require.Error(t, s.Placing.TurnTo(ctx, d.ID, 1, 9, 0, "Maren", same))
	now, err := s.Library.Document(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, now.Edition)

	another(t, s, d.ID, 2, true)
	another(t, s, d.ID, 4, true)
	errs := make([]error, 2)
	var all sync.WaitGroup
	for i := range errs {
		all.Go(func() { errs[i] = s.Placing.TurnTo(ctx, d.ID, 1, 4+i, 0, "Maren", same) })
	}
	all.Wait()
	assert.True(t, (errs[0] == nil) != (errs[1] == nil), "%v", errs)
	for _, err := range errs {
		if err != nil {
			require.ErrorIs(t, err, placing.ErrStale)
		}
	}

	// A draft that cannot stand in the edition in force is not published, nor one whose
	// file cannot be read.
	house, err := s.Placing.House(ctx)
	require.NoError(t, err)
	q, err := s.Placing.Place(ctx, d.ID, placing.Start{Patch: testkit.Patch(t, `{"open_at":9}`)})
	require.NoError(t, err)
	var problems setting.Problems
	q, err = s.Placing.Placement(ctx, q.ID)
	require.NoError(t, err)
	require.ErrorAs(t, s.Placing.PublishDraft(ctx, q.ID, placing.Seen{Revision: q.Step, House: house.Revision}, 0), &problems)
	e, err := s.Library.CurrentEdition(ctx, d.ID)
	require.NoError(t, err)
	require.NoError(t, s.Library.ExaminationFailed(ctx, e.ID, pdf.Problemf(pdf.Damaged, "It is cut off.")))
	p, err = s.Placing.Placement(ctx, p.ID)
	require.NoError(t, err)
	require.ErrorAs(t, s.Placing.PublishDraft(ctx, p.ID, placing.Seen{Revision: p.Step, House: house.Revision}, 0), &refused)
}
