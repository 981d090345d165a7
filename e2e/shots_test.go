package e2e

import (
	"fmt"
	"incipit/internal/library"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
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
	signIn(h, desk)
	images := `document.fonts.status === 'loaded' && [...document.images].every((i) => i.complete && i.naturalWidth > 0)`
	desk.Until(desk.Ctx, images+` && document.querySelector('.docs').dataset.reading === 'false'`)
	painted(desk, desk.Ctx, `document`)
	desk.Do(chromedp.Navigate(h.URL + "/documents?look=covers"))
	desk.Until(desk.Ctx, images)
	painted(desk, desk.Ctx, `document`)
	desk.Shot(at("covers"))

	// An edition of one of them waits to be looked at.
	require.NoError(t, demo.Waiting(t.Context(), h.App))
	report := h.Examined(t, "Annual report 2025")
	scan := h.Examined(t, "Warden’s logbook, spring 1953")
	desk.Do(chromedp.Navigate(fmt.Sprintf("%s/documents/%d/editions/2", h.URL, report.ID)))
	desk.Until(desk.Ctx, `document.querySelector('.outcome')`)
	testkit.Eval[bool](desk, desk.Ctx, `(document.querySelector('.leafpair.twofold').closest('li').scrollIntoView({ behavior: 'instant' }), true)`)
	desk.Until(desk.Ctx, `[...document.querySelectorAll('.leafpair.twofold img')].every((i) => i.complete && i.naturalWidth > 0)`)
	testkit.Eval[bool](desk, desk.Ctx, `(document.querySelector('.leafpair.twofold').closest('li').scrollIntoView({ behavior: 'instant' }), true)`)
	painted(desk, desk.Ctx, `document`)
	desk.Shot(at("edition"))
	desk.Do(chromedp.Navigate(fmt.Sprintf("%s/documents/%d", h.URL, scan.ID)))
	desk.Until(desk.Ctx, `document.querySelector('.shape .found')`)
	desk.Shot(at("document"))
	for _, d := range demo.Documents() {
		h.Editor(t).Get(fmt.Sprintf("/documents/%d", h.Examined(t, d.Title).ID))
	}
	patience.Until(t, func() bool {
		p, err := h.Library.Find(t.Context(), library.Wanted{Care: "findings"})
		return err == nil && p.All >= 2
	})
	desk.Do(chromedp.Navigate(h.URL + "/care"))
	desk.Until(desk.Ctx, `document.querySelectorAll('.caregroup').length > 1`)
	desk.Shot(at("care"))

	// Each document is set the way an editor does: with the starter that suits it.
	editor := h.Editor(t)
	place := func(file string) placing.Placement {
		for _, d := range demo.Documents() {
			if d.File != file {
				continue
			}
			listed := h.Examined(t, d.Title)
			h.Measured(t, listed.ID)
			status, _, headers := editor.Send("POST", fmt.Sprintf("/documents/%d/place", listed.ID), "", "")
			require.Equal(t, 303, status)
			id, err := strconv.ParseInt(filepath.Base(headers.Get("Location")), 10, 64)
			require.NoError(t, err)
			p, err := h.Placing.Placement(t.Context(), id)
			require.NoError(t, err)
			return p
		}
		t.Fatal(file)
		return placing.Placement{}
	}
	redraft := func(p placing.Placement, step int, set string) {
		status, body, _ := editor.Send("PATCH", fmt.Sprintf("/placements/%d/draft", p.ID), "application/json",
			fmt.Sprintf(`{"revision":%d,"set":%s}`, step, set))
		require.Equal(t, 200, status, body)
	}
	stage := `(() => { const d = document.getElementById('now')?.contentDocument; return d?.body && 'ready' in d.body.dataset && d.querySelector('.layer') && [...d.querySelectorAll('.sheet img')].some((i) => i.complete && i.naturalWidth > 0) })()`
	onStage := func(p placing.Placement, query string) {
		desk.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d%s", h.URL, p.ID, query)))
		desk.Until(desk.Ctx, stage)
		painted(desk, desk.Ctx, `document.getElementById('now').contentDocument`)
	}
	book, tides, trails := place("volunteer-handbook.pdf"), place("tide-table.pdf"), place("trail-map.pdf")
	for _, p := range []placing.Placement{book, tides, trails} {
		publish(t, h, p.ID)
	}
	redraft(tides, 0, `{"download":false,"flow":"down","zoom":{"kind":"width","percent":100},"max_height":0}`)
	onStage(tides, "?page=360")
	desk.Shot(at("bench"))
	onStage(tides, "?page=360")
	desk.Do(chromedp.Click("#screens"))
	desk.Until(desk.Ctx, `document.querySelectorAll('.screen .drawn').length === 4`)
	// Images in a drawing say nothing of their arrival: they are asked for again.
	testkit.Eval[bool](desk, desk.Ctx, `Promise.all([...document.querySelectorAll('.screen image')].map((i) => { const w = new Image(); w.src = i.getAttribute('href'); return w.decode(); })).then(() => true)`)
	painted(desk, desk.Ctx, `document`)
	desk.Shot(at("screens"))
	desk.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d/ways?way=cover&words=Read+the+tides", h.URL, tides.ID)))
	desk.Until(desk.Ctx, `document.getElementById('try').contentDocument.querySelector('a img')?.naturalWidth > 0 && document.fonts.status === 'loaded'`)
	desk.Shot(at("ways"))
	mistaken := testkit.Eval[string](desk, desk.Ctx, fmt.Sprintf(`fetch('/placements/%d/state', {headers: {Accept: 'application/json'}}).then((r) => r.json()).then((s) => s.code.replace(/src="([^"]*)"/, 'src=”$1”'))`, tides.ID))
	require.NoError(t, h.Pages.Add("mistakes", "<h1>Visiting the marsh</h1>\n<p>"+
		strings.Repeat("The north hides flood on spring tides. ", 8)+"</p>\n"+mistaken+`<embed src="/tides.pdf">`))
	desk.Do(chromedp.Navigate(h.URL+"/check"), chromedp.SendKeys("#address", h.Website+"/mistakes"),
		chromedp.Click(".check button[type=submit]"))
	desk.Until(desk.Ctx, `document.querySelectorAll('.findings .gloss').length > 1 && document.fonts.status === 'loaded'`)
	desk.Shot(at("check"))
	desk.Do(chromedp.Navigate(h.URL + "/house-style"))
	desk.Until(desk.Ctx, `document.querySelectorAll('.sample .drawn').length === 4`)
	testkit.Eval[bool](desk, desk.Ctx, `(document.querySelector('#flow-turn').click(), true)`)
	desk.Until(desk.Ctx, `document.querySelector('.effects li') && document.getAnimations().length === 0`)
	desk.Shot(at("house-style"))
	// Web pages here: on the stage, and as readers get them.
	require.NoError(t, demo.Pages(t.Context(), h.App, h.Pages))
	viewers := `[...document.querySelectorAll('iframe')].every((f) => { const d = f.contentDocument; const v = d?.getElementById('viewer')?.contentDocument ?? d; return v?.body && [...v.images].some((i) => i.naturalWidth > 0); }) && document.fonts.status === 'loaded'`
	desk.Do(chromedp.Navigate(h.URL + "/web-pages/2"))
	desk.Until(desk.Ctx, `document.querySelector('#rows .placement') && `+viewers)
	desk.Do(chromedp.Click(`#rows .placement`))
	desk.Until(desk.Ctx, `document.getElementById('chosen').checkVisibility()`)
	painted(desk, desk.Ctx, `document.querySelector('#rows iframe').contentDocument`)
	desk.Shot(at("web-page"))
	desk.Do(chromedp.Navigate(h.URL + "/collections/1"))
	desk.Until(desk.Ctx, viewers)
	painted(desk, desk.Ctx, `document.getElementById('try').contentDocument.getElementById('viewer').contentDocument`)
	desk.Shot(at("collection"))
	public := testkit.Browse(t, 1280, 800)
	public.Do(chromedp.Navigate(h.URL + "/pages"))
	public.Until(public.Ctx, viewers)
	painted(public, public.Ctx, `document`)
	public.Shot(at("published"))
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

	// Documents are looked for while others are on their way.
	desk.Do(chromedp.Navigate(h.URL + "/documents?find=curlew"))
	desk.Until(desk.Ctx, `document.querySelectorAll('.quoted mark').length > 1 && !document.querySelector('.dropping').hasAttribute('x-cloak') && `+images)
	desk.Throttle(150_000)
	files, _ := severalFiles(t, 4, 1_500_000)
	desk.Do(chromedp.SetUploadFiles("#file", files))
	desk.Until(desk.Ctx, `[...document.querySelectorAll('.uploads progress')].some((p) => p.value > 0)`)
	painted(desk, desk.Ctx, `document`)
	desk.Shot(at("documents"))
}
