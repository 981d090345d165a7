package intake_test

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/library"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
)

// A web link that leads nowhere twice, a day apart, is told; one that is there again is not.
func TestWebLinksInDocuments(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	offer(t, h, "there.pdf", "leaflet-welcome.pdf")
	there, gone := h.Website+"/files/plain/there.pdf", h.Website+"/files/plain/gone.pdf"
	d, e, err := h.Intake.Receive(ctx, "links.pdf", bytes.NewReader(paper.WebLinks(there+"#page=2", gone, gone, "mailto:desk@harrowmere.example")), 0)
	require.NoError(t, err)
	h.Measured(t, d.ID)
	h.Indexed(t, e.ID)
	require.NoError(t, h.Intake.GatherLinks(ctx))
	const month = 30 * 24 * time.Hour
	now := time.Now().Add(time.Minute)
	looked := func() (n int) {
		require.NoError(t, h.DB.Pool.QueryRow(ctx, "SELECT count(*) FROM web_links WHERE looked_at IS NOT NULL").Scan(&n))
		return n
	}
	broken := func() []library.WebLink {
		out, err := h.Library.BrokenLinks(ctx, e.ID)
		require.NoError(t, err)
		return out
	}
	// One of a website at a time, and each once.
	require.NoError(t, h.Intake.LookAtLinks(ctx, now, month))
	assert.Equal(t, 1, looked())
	require.NoError(t, h.Intake.LookAtLinks(ctx, now.Add(time.Second), month))
	assert.Equal(t, 2, looked())
	asked := h.Pages.Files.Asked("/files/plain/there.pdf")
	require.NoError(t, h.Intake.LookAtLinks(ctx, now.Add(time.Hour), month))
	assert.Equal(t, asked, h.Pages.Files.Asked("/files/plain/there.pdf"), "not before its time")
	assert.Empty(t, broken(), "a website may be away for a day")
	require.NoError(t, h.Intake.LookAtLinks(ctx, now.Add(25*time.Hour), month))
	assert.Equal(t, []library.WebLink{{Address: gone, Page: 1, Said: "There is nothing at this address (status 404)."}}, broken())
	page, err := h.Library.Find(ctx, library.Wanted{Care: "links"})
	require.NoError(t, err)
	assert.Equal(t, 1, page.All)
	_, screen, _ := h.Editor(t).Get("/documents/1")
	assert.Contains(t, screen, "Web links that lead nowhere")

	offer(t, h, "gone.pdf", "leaflet-welcome.pdf")
	require.NoError(t, h.Intake.LookAtLinks(ctx, now.Add(10*24*time.Hour), month))
	assert.Empty(t, broken())

	// Of a document that is not there nothing is asked; links that stand nowhere are let go of.
	require.NoError(t, h.Library.RemoveDocument(ctx, d.ID, "Maren Oakes"))
	due, err := h.Library.TakeDueLinks(ctx, now.Add(10*month), 10)
	require.NoError(t, err)
	assert.Empty(t, due)
	_, err = h.DB.Pool.Exec(ctx, "DELETE FROM edition_links WHERE address = $1", there)
	require.NoError(t, err)
	require.NoError(t, h.Library.ForgetLinks(ctx))
	var left int
	require.NoError(t, h.DB.Pool.QueryRow(ctx, "SELECT count(*) FROM web_links").Scan(&left))
	assert.Equal(t, 1, left)
}
