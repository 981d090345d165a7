package e2e

import (
	"bytes"
	"context"
	"fmt"
	"image"
	_ "image/jpeg" // what the engine makes
	_ "image/png"  // likewise
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/pdf"
	"incipit/internal/testkit"
)

// onPaper prints what a tab shows, as its browser would, and gives the pages'
// words and the share of their area that is not white.
func onPaper(t *testing.T, tab *testkit.Tab) (words string, inked []float64) {
	t.Helper()
	var paper []byte
	tab.Do(func(ctx context.Context, target *chromedp.Target) (none chromedp.Void, err error) {
		paper, err = chromedp.PrintToPDF(chromedp.PDFPaper(chromedp.PaperA4))(ctx, target)
		return none, err
	})
	engine := testkit.Engine(t)
	src := pdf.Source{ID: fmt.Sprintf("paper of %s %d", t.Name(), len(paper)), Size: int64(len(paper)), Bytes: bytes.NewReader(paper)}
	cover, err := engine.Cover(t.Context(), src)
	require.NoError(t, err)
	for page := 1; page <= cover.Pages; page++ {
		layer, err := engine.Layer(t.Context(), src, page)
		require.NoError(t, err)
		for _, r := range layer.Runs {
			words += r.Text + " "
		}
		made, err := engine.Image(t.Context(), src, page, 360)
		require.NoError(t, err)
		inked = append(inked, inkOf(t, made.Bytes))
	}
	return words, inked
}

// Where printing is off, the browser's own print gives the note alone, wherever
// the reader stands and however its pages go; where it is on, the page that is
// read comes whole.
func TestTheBrowsersOwnPrint(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "trail-map.pdf")
	editor, step := h.Editor(t), 0
	for _, printing := range []bool{false, true} {
		for _, flow := range []string{setting.Down, setting.Across, setting.Turn, setting.Tiles} {
			status, body, _ := editor.Send("PATCH", fmt.Sprintf("/placements/%d/draft", p.ID), "application/json",
				fmt.Sprintf(`{"revision":%d,"set":{"print":%t,"flow":%q}}`, step, printing, flow))
			step++
			require.Equal(t, 200, status, body)
			status, body, _ = editor.Send("POST", fmt.Sprintf("/placements/%d/publish?anyway=1", p.ID), "application/json",
				fmt.Sprintf(`{"revision":%d}`, step))
			require.Equal(t, 200, status, body)
			for _, framed := range []bool{false, true} {
				t.Run(fmt.Sprintf("printing %t %s framed %t", printing, flow, framed), func(t *testing.T) {
					inner, address := "document", h.URL+"/r/"+p.Key
					if framed {
						// On a page under the same address: a frame of another site is put on
						// paper by a part of the browser that its headless kind leaves out.
						page := fmt.Sprintf(`<!doctype html><title>Marsh</title><h1>On the marsh</h1><iframe src="/r/%s" title="Map" width="700" height="500" style="border:0"></iframe><p>Bring boots.</p>`, p.Key)
						address = through(t, h, func(w http.ResponseWriter, r *http.Request) bool {
							if r.URL.Path != "/printed" {
								return false
							}
							w.Header().Set("Content-Type", "text/html; charset=utf-8")
							_, _ = w.Write([]byte(page))
							return true
						}) + "/printed"
						inner = `document.querySelector('iframe').contentDocument`
					}
					// The tab is closed before what stands between, which it still asks for fonts.
					tab := testkit.Browse(t, 900, 700)
					tab.Do(chromedp.Navigate(address))
					tab.Until(tab.Ctx, `[...`+inner+`.querySelectorAll('.sheet img')].some((i) => i.complete && i.naturalWidth > 100)`)
					words, inked := onPaper(t, tab)
					if printing {
						assert.NotContains(t, words, "for reading on the screen")
						assert.Greater(t, inked[0], 0.1, "the page is there")
						assert.LessOrEqual(t, len(inked), 2)
						return
					}
					assert.Contains(t, words, "for reading on the screen")
					for _, ink := range inked {
						assert.Less(t, ink, 0.04, "nothing but words")
					}
				})
			}
		}
	}
}

// inkOf gives the share of a picture that is not white.
func inkOf(t *testing.T, encoded []byte) float64 {
	t.Helper()
	img, _, err := image.Decode(bytes.NewReader(encoded))
	require.NoError(t, err)
	b, inked := img.Bounds(), 0
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			if r, g, bl, _ := img.At(x, y).RGBA(); min(r, g, bl) < 0xf000 {
				inked++
			}
		}
	}
	return float64(inked) / float64(b.Dx()*b.Dy())
}
