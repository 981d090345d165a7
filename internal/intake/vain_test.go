package intake_test

import (
	"testing"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/sheet"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

// Where the store has lost a file, who waits for a comparison or a report is told at last,
// and not before.
func TestWhoWaitsInVainIsTold(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "tide-table.pdf")
	first, err := h.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	lost := library.Edition{SHA256: "lost", Bytes: 900, BlobKey: "files/lost", Pages: 2, PagesKnown: 1, Sheets: []sheet.Sheet{{Width: 9, Height: 9}}}
	require.NoError(t, h.Library.AddEdition(t.Context(), d.ID, &lost, testkit.Job))
	require.NoError(t, h.Library.Examined(t.Context(), lost.ID, make([]sheet.Sheet, 2), pdf.Facts{}, false, library.Unread{}))
	// Nobody else works these: their jobs are of a kind that is done already.
	require.NoError(t, h.Library.CompareLater(t.Context(), first.ID, lost.ID, testkit.Job(first.ID)))
	_, err = h.Library.ReportLater(t.Context(), lost.ID, testkit.Job(first.ID))
	require.NoError(t, err)
	in := *h.Intake
	for attempt := 1; attempt <= 2; attempt++ {
		row := &rivertype.JobRow{Attempt: attempt, MaxAttempts: 2}
		require.Error(t, (&intake.Comparer{Intake: &in}).Work(t.Context(), &river.Job[intake.CompareArgs]{JobRow: row,
			Args: intake.CompareArgs{Before: first.ID, Edition: lost.ID}}))
		require.Error(t, (&intake.Reporter{Intake: &in}).Work(t.Context(), &river.Job[intake.ReportArgs]{JobRow: row, Args: intake.ReportArgs{Edition: lost.ID}}))
		c, err := h.Library.Compared(t.Context(), first.ID, lost.ID)
		require.NoError(t, err)
		r, err := h.Library.ReportLater(t.Context(), lost.ID, testkit.Job(first.ID))
		require.NoError(t, err)
		assert.Equal(t, attempt == 2, c.Trouble != "", "a comparison, attempt %d", attempt)
		assert.Equal(t, attempt == 2, r.Trouble != "", "a report, attempt %d", attempt)
	}
}
