package reader_test

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/picture"
	"incipit/internal/placing"
	"incipit/internal/press"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
)

// mostPage bounds what a reader's page may have, in bytes: 10,000 pages, each with
// the longest label there may be.
const mostPage = 4 << 20

// A file whose texts have no end costs its readers no more than another, and what
// is kept of it is cut.
func TestTheNastiestFileMakesNoLargePage(t *testing.T) {
	pace.Unraced(t)
	h := testkit.Open(t)
	b := hostile.LongTexts(10_000, 4_000)
	_, e, err := h.Intake.Receive(t.Context(), "long.pdf", bytes.NewReader(b), 0)
	require.NoError(t, err)
	require.Equal(t, library.Ready, h.Examined(t, "Long").State)
	e, err = h.Library.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	long := func(text string) bool { return len([]rune(text)) > pdf.MostWords }
	f := e.Facts
	for _, text := range []string{f.Title, f.Author, f.Subject, f.Keywords, f.Language, f.Outline[0].Title, f.Fields[0].Name,
		f.Attached[0].Name, f.Attached[0].About, f.Layers[0].Name} {
		assert.NotEmpty(t, text)
		assert.False(t, long(text), "%.60s", text)
	}
	for _, s := range e.Sheets {
		require.LessOrEqual(t, len([]rune(s.Label)), pdf.MostLabel)
	}
	layer, err := h.Press.Layer(t.Context(), press.File{SHA256: e.SHA256, BlobKey: e.BlobKey, Bytes: e.Bytes}, 1)
	require.NoError(t, err)
	require.Len(t, layer.Links, 1, "an address without end leads nowhere")
	assert.Equal(t, "https://harrowmere.example/short", layer.Links[0].Address)
	p, err := h.Placing.Place(t.Context(), e.DocumentID, placing.Start{})
	require.NoError(t, err)
	s := setting.Default()
	s.Tools = toolbar.All()
	h.Publish(t, p.ID, s)
	for name, path := range map[string]string{"view": "", "plain": "/plain", "contents": "/contents/" + e.SHA256[:16], "about": "/about/" +
		e.SHA256[:16], "layers": "/layers/" + e.SHA256[:16]} {
		status, body, _ := read(t, h.URL+"/r/"+p.Key+path, nil)
		assert.Equal(t, http.StatusOK, status, name)
		assert.Less(t, len(body), mostPage, name)
	}
	_, body, _ := read(t, h.URL+"/r/"+p.Key, nil)
	assert.Greater(t, len(body), mostPage/4, "the bound is not out of reach")
}

// A document of pictures says that it has no text, not that it is being read.
func TestADocumentWithoutText(t *testing.T) {
	h := testkit.Open(t)
	p, e := h.Published(t, "logbook-1953.pdf", func(s *setting.Settings) { s.TextView = setting.Offered })
	h.Indexed(t, e.ID)
	status, body, _ := read(t, h.URL+"/r/"+p.Key+"/text", nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.Contains(t, body, "This document has no text")
}

// A document that opens to invited readers alone is named in no collection and on
// no page.
func TestGuardedDocumentsAreNotNamed(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "annual-report.pdf", func(s *setting.Settings) { s.Guarded = true })
	shown, _ := h.Published(t, "tide-table.pdf", nil)
	c, err := h.Publishing.AddCollection(t.Context(), collection.Collection{Name: "All", Arrangement: collection.List,
		Order: collection.ByTitle, Facts: true, Height: 640,
		Items: []collection.Item{{Placement: p.ID}, {Placement: shown.ID}}})
	require.NoError(t, err)
	_, body, _ := read(t, h.URL+"/c/"+c.Key, nil)
	assert.Contains(t, body, "Tide and hide access table")
	assert.NotContains(t, body, "Annual report")
	assert.NotContains(t, body, p.Key)
}

// A picture's address is not guessed.
func TestPicturesAreNotGuessed(t *testing.T) {
	h := testkit.Open(t)
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 40, 30))))
	pic, err := picture.Take(t.Context(), h.Intake.Engine, h.Publishing, h.Blobs, "draft.png", &b)
	require.NoError(t, err)
	for _, digit := range "0123456789abcdef" {
		status, _, _ := read(t, fmt.Sprintf("%s/pictures/%d/%c/40", h.URL, pic.ID, digit), nil)
		assert.Equal(t, http.StatusNotFound, status)
	}
	status, _, header := read(t, fmt.Sprintf("%s/pictures/%d/%s/40", h.URL, pic.ID, pic.SHA256[:12]), nil)
	assert.Equal(t, http.StatusOK, status)
	assert.False(t, strings.Contains(header.Get("Cache-Control"), "immutable"))
}
