// Package conformance is what every pdf.Engine must do with the demo's
// documents, whose facts are known because we made them.
package conformance

import (
	"bytes"
	"image"
	_ "image/jpeg" // page images are PNG or JPEG
	_ "image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/legible"
	"incipit/internal/core/overlay"
	"incipit/internal/pdf"
)

// expectation is what is known of one document.
type expectation struct {
	file       string
	pages      int
	sizes      map[int][3]float64 // page → width, height in points, rotation
	labels     map[int]string
	headings   int
	first      string // heading
	tagged     bool
	fields     map[string]string
	texts      map[int]string // page → words in it
	links      map[int]int    // page → how many
	mediaTypes map[int]string
	body       float64 // size of the body text in points; 0 for scans
	running    bool    // it is running text
}

var documents = []expectation{
	{file: "tide-table.pdf", pages: 2, body: 6.3, sizes: map[int][3]float64{1: {842, 595, 0}, 2: {842, 595, 0}},
		labels:   map[int]string{1: "1", 2: "2"},
		headings: 2, first: "Tide and hide access, April to June 2027", tagged: true, texts: map[int]string{1: "Scrape path closed", 2: "July"},
		mediaTypes: map[int]string{1: "image/png"}},
	{file: "volunteer-handbook.pdf", pages: 52, body: 11, running: true, sizes: map[int][3]float64{1: {420, 595, 0}},
		labels:   map[int]string{1: "i", 4: "iv", 5: "1", 52: "48"},
		headings: 51, first: "Volunteer handbook", tagged: true, texts: map[int]string{9: "How we speak to each other"},
		links: map[int]int{3: 22, 2: 3, 7: 1}, mediaTypes: map[int]string{9: "image/png"}},
	{file: "trail-map.pdf", pages: 1, body: 13, sizes: map[int][3]float64{1: {1191, 842, 0}}, tagged: true,
		texts: map[int]string{1: "Landward round, 2.4 km"}},
	{file: "survey-form.pdf", pages: 1, body: 9.5, sizes: map[int][3]float64{1: {595, 842, 0}}, headings: 1, first: "Wader count form",
		tagged: true,
		fields: map[string]string{"date": "text", "sector": "choice", "visibility": "radio", "estimate.1": "check", "count3.12": "text",
			"disturbance": "text"}},
	{file: "leaflet-welcome.pdf", pages: 1, body: 11, running: true, headings: 5, first: "Welcome to Harrowmere", tagged: true,
		texts: map[int]string{1: "człowiek"}},
	{file: "annual-report.pdf", pages: 7, body: 11.5, running: true,
		sizes:    map[int][3]float64{1: {595, 842, 0}, 3: {842, 595, 0}, 5: {1191, 842, 0}, 6: {842, 595, 90}},
		headings: 8, first: "Annual report 2025", tagged: true, texts: map[int]string{6: "This page is stored upright and turned by the file itself,"}, links: map[int]int{7: 1}},
	{file: "logbook-1953.pdf", pages: 12, sizes: map[int][3]float64{1: {499, 641, 0}}, mediaTypes: map[int]string{1: "image/jpeg"}},
}

// source makes a Source of a demo document.
func source(t testing.TB, file string) pdf.Source {
	t.Helper()
	b, err := demo.PDF(file)
	require.NoError(t, err)
	return pdf.Source{ID: file, Size: int64(len(b)), Bytes: bytes.NewReader(b)}
}

// Run runs the suite against an engine.
func Run(t *testing.T, e pdf.Engine) {
	for _, want := range documents {
		t.Run(want.file, func(t *testing.T) {
			src := source(t, want.file)
			cover, err := e.Cover(t.Context(), src)
			require.NoError(t, err)
			assert.Equal(t, want.pages, cover.Pages)
			sheets, err := e.Sheets(t.Context(), src, 1, want.pages)
			require.NoError(t, err)
			require.Len(t, sheets, want.pages)
			assert.Equal(t, sheets[0], cover.First)
			for page, size := range want.sizes {
				assert.InDelta(t, size[0], sheets[page-1].Width, 1, "width of page %d", page)
				assert.InDelta(t, size[1], sheets[page-1].Height, 1, "height of page %d", page)
				assert.Equal(t, int(size[2]), sheets[page-1].Rotation, "rotation of page %d", page)
			}
			for page, label := range want.labels {
				assert.Equal(t, label, sheets[page-1].Label)
			}
			facts, err := e.Facts(t.Context(), src)
			require.NoError(t, err)
			assert.Equal(t, want.tagged, facts.Tagged)
			assert.False(t, facts.Encrypted)
			assert.Len(t, facts.Outline, want.headings)
			if want.headings > 0 {
				first := facts.Outline[0]
				assert.Equal(t, []any{want.first, 1, 1}, []any{first.Title, first.Level, first.Page})
				assert.InDelta(t, sheets[0].Height/2, first.Top, sheets[0].Height/2, "on its page")
			}
			fields, text, err := e.Fields(t.Context(), src, 1, want.pages)
			require.NoError(t, err)
			assert.Equal(t, want.file != "logbook-1953.pdf", text)
			types := map[string]string{}
			for _, f := range fields {
				types[f.Name] = f.Type
			}
			for name, kind := range want.fields {
				assert.Equal(t, kind, types[name], "field %s", name)
			}
			layers(t, e, src, want)
			images(t, e, src, want)
			measuredType(t, e, src, want)
		})
	}
	t.Run("pages that do not exist", func(t *testing.T) {
		src := source(t, "tide-table.pdf")
		for _, page := range []int{-1, 0, 3} {
			_, err := e.Image(t.Context(), src, page, 200)
			assert.Equal(t, pdf.NoSuchPage, pdf.KindOf(err), "page %d", page)
			_, err = e.Layer(t.Context(), src, page)
			assert.Equal(t, pdf.NoSuchPage, pdf.KindOf(err), "page %d", page)
		}
	})
}

func layers(t *testing.T, e pdf.Engine, src pdf.Source, want expectation) {
	sheets, err := e.Sheets(t.Context(), src, 1, want.pages)
	require.NoError(t, err)
	for page := 1; page <= want.pages; page++ {
		layer, err := e.Layer(t.Context(), src, page)
		require.NoError(t, err)
		if words, ok := want.texts[page]; ok {
			assert.Contains(t, overlay.Plain(layer.Runs), words)
		}
		if n, ok := want.links[page]; ok {
			assert.Len(t, layer.Links, n, "links of page %d", page)
		}
		s := sheets[page-1]
		for _, r := range layer.Runs {
			assert.True(t, r.X > -5 && r.Y > -5 && r.X < s.Width+5 && r.Y < s.Height+5, "run %q at %.0f, %.0f stands on page %d", r.Text, r.X, r.Y,
				page)
			assert.Zero(t, r.Angle != 0 && !strings.Contains(want.file, "map"), "run %q is level", r.Text)
		}
		for _, l := range layer.Links {
			assert.True(t, l.Kind == overlay.ToFile || l.Kind == overlay.ToNowhere || l.Kind == overlay.ToPage && l.Page >= 1 &&
				l.Page <= want.pages || l.Kind == overlay.ToWeb && overlay.SafeAddress(l.Address))
			assert.True(t, l.Box.X >= 0 && l.Box.X+l.Box.W <= s.Width && l.Box.Y >= 0 && l.Box.Y+l.Box.H <= s.Height, "a link stands on page %d",
				page)
		}
	}
}

func images(t *testing.T, e pdf.Engine, src pdf.Source, want expectation) {
	sheets, err := e.Sheets(t.Context(), src, 1, want.pages)
	require.NoError(t, err)
	for _, page := range []int{1, want.pages} {
		made, err := e.Image(t.Context(), src, page, 300)
		require.NoError(t, err)
		if mt, ok := want.mediaTypes[page]; ok {
			assert.Equal(t, mt, made.MediaType)
		}
		img, format, err := image.Decode(bytes.NewReader(made.Bytes))
		require.NoError(t, err)
		assert.Equal(t, made.MediaType, "image/"+format)
		assert.Equal(t, 300, img.Bounds().Dx())
		assert.InDelta(t, 300*sheets[page-1].Height/sheets[page-1].Width, float64(img.Bounds().Dy()), 1)
		assert.True(t, inked(img), "page %d is not blank", page)
	}
}

// measuredType checks the type of a document against what it was set in: Source
// Sans 3 has an x-height of 0.486 em, Literata one of 0.52.
func measuredType(t *testing.T, e pdf.Engine, src pdf.Source, want expectation) {
	all := legible.Sample(want.pages, 20)
	pages, err := e.Type(t.Context(), src, all)
	require.NoError(t, err)
	require.Len(t, pages, len(all))
	for i, p := range pages {
		assert.Equal(t, all[i], p.Number)
	}
	s := legible.Type{Pages: pages, Of: want.pages}.Sizes()
	require.Equal(t, want.body > 0, s.Known, "scans have no type")
	if !s.Known {
		return
	}
	assert.InDelta(t, want.body, s.Body.Size, 0.11)
	assert.Equal(t, legible.Measured, s.Body.How)
	assert.True(t, s.Body.XHeight > 0.47*s.Body.Size && s.Body.XHeight < 0.56*s.Body.Size, "x-height %.2f of %.1f pt", s.Body.XHeight,
		s.Body.Size)
	assert.LessOrEqual(t, s.Smallest.Size, s.Body.Size)
	assert.Equal(t, want.running, s.Running >= 0.5, "%.0f %% runs in long lines", 100*s.Running)
	_, err = e.Type(t.Context(), src, []int{want.pages + 1})
	assert.Equal(t, pdf.NoSuchPage, pdf.KindOf(err))
}

// inked says whether a picture has more than one colour.
func inked(img image.Image) bool {
	first := img.At(0, 0)
	b := img.Bounds()
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			if img.At(x, y) != first {
				return true
			}
		}
	}
	return false
}
