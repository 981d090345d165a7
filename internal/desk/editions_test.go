package desk_test

import (
	"net/http"
	"testing"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/sheet"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

// What nobody can have seen the changes of is not given to readers, whoever asks for it;
// nor is what is in use removed.
func TestAnEditionIsLookedAtFirst(t *testing.T) {
	h := testkit.Open(t)
	p, first := h.Published(t, "tide-table.pdf", nil)
	next := library.Edition{SHA256: "next", Bytes: 9, BlobKey: "files/next", Pages: 2, PagesKnown: 1, Sheets: []sheet.Sheet{{Width: 9, Height: 9}}}
	require.NoError(t, h.Library.AddEdition(t.Context(), first.DocumentID, &next, func(int64) river.JobArgs { return testkit.Job(first.ID) }))
	require.NoError(t, h.Library.Examined(t.Context(), next.ID, make([]sheet.Sheet, 2), pdf.Facts{}, false, library.Unread{}))
	editor := h.Editor(t)
	post := func(path, body string) (int, string) {
		status, said, _ := editor.Send("POST", path, "application/x-www-form-urlencoded", body)
		return status, said
	}
	status, said := post("/documents/1/editions/2/turn", "seen=1")
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, said, "Edition 2 is still being compared with edition 1.")
	status, _ = post("/documents/1/editions/2/turn", "")
	assert.Equal(t, http.StatusBadRequest, status)
	status, said = post("/documents/1/editions/1/remove", "")
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, said, "Edition 1 is kept")
	shown, err := h.Placing.ShownByKey(t.Context(), p.Key)
	require.NoError(t, err)
	assert.Equal(t, first.ID, shown.Edition.ID)

	// What cannot be compared may be given all the same; who saw another one in force is told.
	require.NoError(t, h.Library.CompareLater(t.Context(), first.ID, next.ID, testkit.Job(first.ID)))
	require.NoError(t, h.Library.KeepCompared(t.Context(), library.Comparison{BeforeID: first.ID, EditionID: next.ID, Trouble: "They are too long."}))
	status, _ = post("/documents/1/editions/2/turn", "seen=1")
	assert.Equal(t, http.StatusSeeOther, status)
	status, said = post("/documents/1/editions/2/turn", "seen=1")
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, said, "Somebody else put another edition in force meanwhile.")
}
