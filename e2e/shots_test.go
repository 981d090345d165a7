package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/store"
	"incipit/internal/testkit"
)

// TestScreenshots takes the pictures of docs/screenshots, where INCIPIT_SHOTS
// names the folder: make screenshots.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("INCIPIT_SHOTS")
	if dir == "" {
		t.Skip("INCIPIT_SHOTS is not set")
	}
	h := testkit.Open(t)
	for _, d := range demo.Documents() {
		h.Add(t, d.File)
	}
	at := func(name string) string { return filepath.Join(dir, name+".png") }
	desk := testkit.Browse(t, 1280, 800)
	desk.Do(chromedp.Navigate(h.URL + "/sign-in"))
	desk.Until(desk.Ctx, `document.fonts.status === 'loaded' && document.querySelector('#email')`)
	desk.Shot(at("sign-in"))
	signIn(h, desk)
	images := `document.fonts.status === 'loaded' && [...document.images].every((i) => i.complete && i.naturalWidth > 0)`
	desk.Until(desk.Ctx, images)
	painted(desk, desk.Ctx, `document`)
	desk.Shot(at("documents"))

	all, err := h.Store.Documents(t.Context(), "")
	require.NoError(t, err)
	tides, err := h.Store.Place(t.Context(), all[0].ID, store.Start{})
	require.NoError(t, err)
	book, err := h.Store.Place(t.Context(), all[1].ID, store.Start{})
	require.NoError(t, err)
	publish(t, h, book.ID)
	publish(t, h, tides.ID)
	editor := h.Editor(t)
	status, body, _ := editor.Send("PATCH", fmt.Sprintf("/placements/%d/draft", tides.ID), "application/json", `{"step":0,"set":{"download":false,"max_width":900}}`)
	require.Equal(t, 200, status, body)
	desk.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d", h.URL, tides.ID)))
	stage := `(() => { const d = document.getElementById('now')?.contentDocument; return d && 'ready' in d.body.dataset && [...d.querySelectorAll('.sheet img')].some((i) => i.complete && i.naturalWidth > 0) })()`
	desk.Until(desk.Ctx, stage)
	painted(desk, desk.Ctx, `document.getElementById('now').contentDocument`)
	desk.Shot(at("bench"))
	desk.Do(chromedp.Click(".doings .btn-outline-dark"))
	desk.Until(desk.Ctx, `document.getElementById('code').open`)
	desk.Shot(at("embed-code"))
	desk.Do(chromedp.Navigate(h.URL + "/house-style"))
	desk.Until(desk.Ctx, `document.querySelectorAll('.sample').length === 3`)
	desk.Shot(at("house-style"))
	desk.Do(chromedp.Navigate(h.URL + "/placements"))
	desk.Until(desk.Ctx, `document.fonts.status === 'loaded'`)
	desk.Shot(at("placements"))

	for name, size := range map[string][2]int64{"reader-desktop": {1280, 800}, "reader-phone": {390, 844}} {
		tab := testkit.Browse(t, size[0], size[1])
		tab.Do(chromedp.Navigate(h.URL + "/r/" + book.Key))
		tab.Until(tab.Ctx, readerReady)
		testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#number').value = 9, document.querySelector('#number').dispatchEvent(new Event('change')))`)
		tab.Until(tab.Ctx, `document.querySelector('#p9 img')?.complete && document.querySelector('#p9 img').naturalWidth > 0`)
		painted(tab, tab.Ctx, `document`)
		tab.Shot(at(name))
	}
	source, err := h.Pages.Page("visiting")
	require.NoError(t, err)
	code := testkit.Eval[string](desk, desk.Ctx, fmt.Sprintf(`fetch('/placements/%d/state', {headers: {Accept: 'application/json'}}).then((r) => r.json()).then((s) => s.code)`, tides.ID))
	require.NoError(t, h.Pages.Save("visiting", strings.Replace(source, "</p>", "</p>\n"+code, 1)))
	site := testkit.Browse(t, 1280, 800)
	site.Do(chromedp.Navigate(h.Website + "/visiting"))
	frame := site.Frame(h.URL + "/r/")
	site.Until(frame, readerReady)
	painted(site, frame, `document`)
	site.Shot(at("website"))
}
