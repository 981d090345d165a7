package sandbox

import (
	"bytes"
	"math"
	"slices"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/klippa-app/go-pdfium/requests"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/config"
	"incipit/internal/core/find"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf/wire"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
)

// reading opens a file in an engine of this process.
func reading(t *testing.T, b []byte) *document {
	t.Helper()
	e, err := start(t.Context(), config.EngineCache(), DefaultLimits(), func(n wire.Need) ([]byte, error) {
		return b[n.Offset:min(n.Offset+int64(n.Length), int64(len(b)))], nil
	})
	require.NoError(t, err)
	d, err := openDocument(e, wire.Ask{ID: "x", Size: int64(len(b))})
	require.NoError(t, err)
	t.Cleanup(d.close)
	return d
}

// cropped are pages whose visible part lies away from the corner, turned by each
// quarter.
func cropped() []byte {
	text := "BT /F 14 Tf 130 300 Td (Knot and Dunlin on the scrape) Tj 0 -40 Td (High water at noon) Tj ET"
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R 4 0 R 5 0 R 6 0 R] /Count 4>>"}
	for _, turn := range []string{"0", "90", "180", "270"} {
		objects = append(objects, "<</Type /Page /Parent 2 0 R /MediaBox [0 0 700 800] /CropBox [100 200 420 520] /Rotate "+turn+
			" /Contents 7 0 R /Resources <</Font <</F 8 0 R>>>>>>")
	}
	return hostile.Build(append(objects, hostile.Stream("", text), "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>")...)
}

// enginesOwn gives where the engine itself finds a word: for each hit the boxes
// of its letters' ink.
func enginesOwn(t *testing.T, d *document, number int, word string) [][]sheet.Rect {
	t.Helper()
	in := d.engine.instance
	page, err := d.page(number)
	require.NoError(t, err)
	crop, rotation, err := d.box(page)
	require.NoError(t, err)
	text, err := in.FPDFText_LoadPage(&requests.FPDFText_LoadPage{Page: page})
	require.NoError(t, err)
	defer func() { _, _ = in.FPDFText_ClosePage(&requests.FPDFText_ClosePage{TextPage: text.TextPage}) }()
	search, err := in.FPDFText_FindStart(&requests.FPDFText_FindStart{TextPage: text.TextPage, Find: word})
	require.NoError(t, err)
	defer func() { _, _ = in.FPDFText_FindClose(&requests.FPDFText_FindClose{Search: search.Search}) }()
	var out [][]sheet.Rect
	for {
		next, err := in.FPDFText_FindNext(&requests.FPDFText_FindNext{Search: search.Search})
		if err != nil || !next.GotMatch {
			return out
		}
		first, err := in.FPDFText_GetSchResultIndex(&requests.FPDFText_GetSchResultIndex{Search: search.Search})
		require.NoError(t, err)
		count, err := in.FPDFText_GetSchCount(&requests.FPDFText_GetSchCount{Search: search.Search})
		require.NoError(t, err)
		var letters []sheet.Rect
		for i := first.Index; i < first.Index+count.Count; i++ {
			b, err := in.FPDFText_GetCharBox(&requests.FPDFText_GetCharBox{TextPage: text.TextPage, Index: i})
			if err != nil || b.Left == b.Right {
				continue
			}
			r := crop.RectToSheet(rotation, b.Left, b.Bottom, b.Right, b.Top)
			letters = append(letters, r)
		}
		out = append(out, letters)
	}
}

// Where the engine finds a word, one of our hits covers it, and little more.
func TestHitsCoverTheWords(t *testing.T) {
	pace.Unraced(t)
	files := map[string][]byte{"cropped and turned": cropped()}
	for _, d := range demo.Documents() {
		b, err := demo.PDF(d.File)
		require.NoError(t, err)
		files[d.File] = b
	}
	for name, b := range files {
		t.Run(name, func(t *testing.T) {
			d := reading(t, b)
			checked, missed := 0, 0
			for page := 1; page <= min(d.pages, 14); page++ {
				layer, err := d.layer(page)
				require.NoError(t, err)
				text := find.Of(layer.Runs)
				plain := text.Plain()
				seen := map[string]bool{}
				for _, word := range strings.FieldsFunc(plain, func(r rune) bool { return !unicode.IsLetter(r) }) {
					if utf8.RuneCountInString(word) < 4 || seen[word] || len(seen) > 40 {
						continue
					}
					seen[word] = true
					q, err := find.Ask(word, find.Options{})
					require.NoError(t, err)
					var ours []sheet.Rect
					for _, h := range q.In(plain) {
						ours = append(ours, text.Boxes(h)...)
					}
					for _, letters := range enginesOwn(t, d, page, word) {
						checked++
						for _, want := range letters {
							if !slices.ContainsFunc(ours, func(r sheet.Rect) bool { return covers(r, want) }) {
								missed++
								t.Logf("page %d: a letter of %q at %.1f is not covered by %.1f", page, word, want, ours)
							}
						}
					}
					for _, r := range ours {
						long, em := math.Max(r.W, r.H), math.Min(r.W, r.H)
						assert.LessOrEqual(t, long, em*float64(utf8.RuneCountInString(word)+1), "%q: no box is longer than its word can be", word)
					}
				}
			}
			if name == "logbook-1953.pdf" {
				assert.Zero(t, checked, "scans have no words")
				return
			}
			t.Logf("%d words checked", checked)
			assert.Greater(t, checked, 7)
			assert.Zero(t, missed)
		})
	}
}

// covers says whether one box holds another, but for a hair.
func covers(r, want sheet.Rect) bool {
	const hair = 0.8
	return r.X <= want.X+hair && r.Y <= want.Y+hair && r.X+r.W >= want.X+want.W-hair && r.Y+r.H >= want.Y+want.H-hair
}

func TestCroppedPagesAreWhatIsSeen(t *testing.T) {
	d := reading(t, cropped())
	sheets, err := d.sheets(1, 4)
	require.NoError(t, err)
	for _, s := range sheets {
		assert.InDelta(t, 320, s.Width, 1e-3)
		assert.InDelta(t, 320, s.Height, 1e-3)
	}
	layer, err := d.layer(2)
	require.NoError(t, err)
	require.Len(t, layer.Runs, 2)
	assert.InDelta(t, 90, layer.Runs[0].Angle, 0.1)
	assert.True(t, bytes.Contains([]byte(find.Of(layer.Runs).Plain()), []byte("on the scrape")))
}
