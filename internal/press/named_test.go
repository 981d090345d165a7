package press_test

import (
	"bytes"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/blob"
	"incipit/internal/pdf"
	"incipit/internal/press"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

// A page by itself is the same bytes each time, another page is other ones, and what is
// written can be read.
func TestAPageByItselfStaysTheSame(t *testing.T) {
	engine := testkit.Workers(t, 1, 20*time.Second)
	blobs, err := blob.Open(t.Context(), (&url.URL{Scheme: "file", Path: t.TempDir()}).String())
	require.NoError(t, err)
	t.Cleanup(func() { blobs.Close() })
	content := hostile.ManyPages(3)
	_, err = blobs.Write(t.Context(), "files/ab/x", bytes.NewReader(content))
	require.NoError(t, err)
	file := press.File{SHA256: "aaaaaaaaaaaaaaaaaaaaaaaa", BlobKey: "files/ab/x", Bytes: int64(len(content))}
	p := press.New(engine, blobs, plenty)
	first, err := p.Extract(t.Context(), file, 1)
	require.NoError(t, err)
	again, err := p.Extract(t.Context(), file, 1)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(first, again))
	second, err := p.Extract(t.Context(), file, 2)
	require.NoError(t, err)
	assert.False(t, bytes.Equal(first, second))
	cover, err := engine.Cover(t.Context(), pdf.Source{ID: "leaf", Size: int64(len(first)), Bytes: bytes.NewReader(first)})
	require.NoError(t, err)
	assert.Equal(t, 1, cover.Pages)
}
