package sandbox

import (
	"bytes"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/overlay"
	"incipit/internal/pdf"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
)

// What a file's own objects say is what the engine says, which loads page after
// page: sizes, rotation, labels, the outline, links. Also where the file is
// encrypted, or has lost its cross-references.
func TestObjectsAgreeWithTheEngine(t *testing.T) {
	pace.Unraced(t)
	files := map[string][]byte{"cropped": cropped(), "large": hostile.Large(), "linked": hostile.Linked(), "layered": hostile.Layered(),
		"forbids": hostile.Forbids()}
	for _, d := range demo.Documents() {
		b, err := demo.PDF(d.File)
		require.NoError(t, err)
		files[d.File] = b
	}
	more, err := filepath.Glob("../../intake/testdata/*.pdf")
	require.NoError(t, err)
	for _, name := range more {
		if files[name], err = os.ReadFile(name); err != nil {
			t.Fatal(err)
		}
	}
	files["without its table"] = bytes.ReplaceAll(cropped(), []byte("startxref"), []byte("startnone"))
	for name, b := range files {
		d := reading(t, b)
		f := d.objects()
		if !assert.NotNil(t, f, name) {
			continue
		}
		described := d.described(f.Pages(), 1)
		for n := 1; n <= d.pages; n++ {
			asked, err := d.sheet(n)
			require.NoError(t, err)
			assert.InDelta(t, asked.Width, described[n-1].Width, 0.002, "%s, page %d", name, n)
			assert.InDelta(t, asked.Height, described[n-1].Height, 0.002, "%s, page %d", name, n)
			assert.Equal(t, asked.Label, described[n-1].Label, "%s, page %d", name, n)
			assert.Equal(t, asked.Rotation, described[n-1].Rotation, "%s, page %d", name, n)
			page, err := d.page(n)
			require.NoError(t, err)
			crop, rotation, err := d.boxOf(page, n)
			require.NoError(t, err)
			theirs := d.links(page, crop, rotation)
			ours := slices.DeleteFunc(d.linked(f, n, crop, rotation), func(l overlay.Link) bool {
				return l.Kind == overlay.ToFile ||
					l.Kind == overlay.ToNowhere
			})
			if assert.Len(t, ours, len(theirs), "%s, page %d", name, n) {
				for i := range theirs {
					assert.Equal(t, []any{theirs[i].Page, theirs[i].Address}, []any{ours[i].Page, ours[i].Address}, "%s, page %d", name, n)
					assert.InDelta(t, theirs[i].Box.X, ours[i].Box.X, 0.05)
					assert.InDelta(t, theirs[i].Box.Y, ours[i].Box.Y, 0.05)
				}
			}
		}
		outline := []pdf.Heading{}
		d.headings(nil, 1, &outline)
		ours := d.outlined(f)
		if assert.Len(t, ours, len(outline), name) {
			for i := range outline {
				assert.Equal(t, []any{outline[i].Title, outline[i].Level, outline[i].Page}, []any{ours[i].Title, ours[i].Level, ours[i].Page}, name)
			}
		}
	}
}
