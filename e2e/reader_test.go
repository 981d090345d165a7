package e2e

import (
	"compress/gzip"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// onWebsite sets a demo document, published, on the other website's page.
func onWebsite(t *testing.T, h *testkit.House, file string, change func(*setting.Settings)) (string, setting.Settings, frame.Pages) {
	t.Helper()
	d, p := placed(t, h, file)
	e, err := h.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	s := setting.Default()
	if change != nil {
		change(&s)
	}
	require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 0, setting.Diff(setting.Default(), s)))
	publish(t, h, p.ID)
	pages := frame.PagesOf(e.AllSheets())
	address := h.URL + "/r/" + p.Key
	code, err := embed.Code(s, embed.Subject{Address: address, Title: d.Title, Pages: pages})
	require.NoError(t, err)
	require.NoError(t, h.Pages.Save("visiting", "<h1>Visiting the marsh</h1>\n"+code+"<p>Dogs stay on leads.</p>"))
	return address, s, pages
}

func TestWithoutScript(t *testing.T) {
	h := testkit.Open(t)
	onWebsite(t, h, "tide-table.pdf", nil)
	site := testkit.BrowseWithoutScript(t, 1280, 800)
	site.Expect("/reader/")
	site.Do(chromedp.Navigate(h.Website + "/visiting"))
	inside := site.Frame(h.URL + "/r/")
	site.Until(inside, `location.pathname.endsWith('/plain') && document.readyState === 'complete'`)
	assert.False(t, testkit.Eval[bool](site, inside, `'ready' in document.body.dataset`), "no script ran")
	site.Until(inside, `document.querySelector('#p1 img')?.naturalWidth > 0`)
	boxes := testkit.Eval[[]float64](site, inside, `[...document.querySelectorAll('.sheet')].flatMap((s) => [s.getBoundingClientRect().width, s.getBoundingClientRect().height])`)
	require.Len(t, boxes, 4)
	assert.Greater(t, boxes[0], 400.0)
	corner := testkit.Eval[[]float64](site, site.Ctx, `(() => { const b = document.querySelector('iframe').getBoundingClientRect(); return [b.left, b.top]; })()`)
	site.Do(chromedp.MouseEvent("mouseWheel", corner[0]+200, corner[1]+200, wheel(700)))
	site.Until(inside, `document.querySelector('.pages').scrollTop > 100 && document.querySelector('#p2 img')?.naturalWidth > 0`)
}

// Without script a long document comes some pages at a time, each where it stands
// with script, and never wider than the frame; links lead on within it and out,
// and what is closed is closed here too.
func TestALongDocumentWithoutScript(t *testing.T) {
	h, p, scripted := opened(t, "volunteer-handbook.pdf", 800, 600, nil)
	base := h.URL + "/r/" + p.Key
	want := testkit.Eval[[]float64](scripted, scripted.Ctx, `(() => { const b = document.getElementById('p1').getBoundingClientRect(); return [b.left, b.top, b.width, b.height]; })()`)
	scripted.Do(chromedp.Navigate(base + "/plain"))
	scripted.Until(scripted.Ctx, `document.readyState === 'complete'`)
	scripted.Accessible(scripted.Ctx, "the reader without script")

	tab := testkit.BrowseWithoutScript(t, 800, 600)
	tab.Expect("/reader/") // scripts that were asked for, and are left behind
	tab.Do(chromedp.Navigate(base))
	tab.Until(tab.Ctx, `location.pathname.endsWith('/plain') && document.readyState === 'complete' && document.querySelector('#p1 img')?.naturalWidth > 0`)
	got := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const b = document.getElementById('p1').getBoundingClientRect(); return [b.left, b.top, b.width, b.height]; })()`)
	for i := range want {
		assert.InDelta(t, want[i], got[i], 1)
	}
	sideways := `document.getElementById('pages').scrollWidth - document.getElementById('pages').clientWidth`
	assert.LessOrEqual(t, testkit.Eval[float64](tab, tab.Ctx, sideways), 0.0)
	assert.Equal(t, 20, testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('.sheet img').length`))
	assert.Equal(t, "Pages 1 to 20 of 52 Later pages", testkit.Eval[string](tab, tab.Ctx,
		`document.querySelector('body > .way').innerText.replace(/\s+/g, ' ')`))

	// A link of the contents into another part, then on, and back by the fore-edge.
	press := func(selector, there string) {
		t.Helper()
		// What stands at the end of a page comes last.
		tab.Until(tab.Ctx, fmt.Sprintf("document.readyState !== 'loading' && document.querySelector(`%s`)", selector))
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf("(document.querySelector(`%s`).scrollIntoView({ block: 'center' }), true)", selector))
		tab.Do(chromedp.Click(selector))
		tab.Until(tab.Ctx, there)
	}
	press(`#p3 .layer a[data-page="25"] rect`, `document.querySelector('#p25 img')?.naturalWidth > 0 && location.hash === '#p25' && Math.abs(document.getElementById('p25').getBoundingClientRect().top - document.getElementById('pages').getBoundingClientRect().top) < 20`)
	assert.LessOrEqual(t, testkit.Eval[float64](tab, tab.Ctx, sideways), 0.0)
	press(`body > .way a[rel=next]`, `document.querySelector('#p41') && !document.querySelector('#p40') && document.querySelectorAll('.sheet').length === 12`)
	press(`body > .way a[rel=prev]`, `document.querySelector('#p21') && document.querySelector('#p40')`)
	// A link out of the document opens a tab of its own.
	assert.Equal(t, "_blank noopener noreferrer", testkit.Eval[string](scripted, scripted.Ctx,
		`(() => { const a = document.querySelector('#p2 .layer a[href^="https:"]'); return a.getAttribute('target') + ' ' + a.getAttribute('rel'); })()`))

	ways := func() string {
		_, body, _ := h.Visitor(t).Get("/r/" + p.Key + "/plain")
		out := ""
		for _, w := range []string{"/file", "/print", "/text?"} {
			out += fmt.Sprint(strings.Contains(body, `href="/r/`+p.Key+w), " ")
		}
		return out
	}
	assert.Equal(t, "true true true ", ways())
	s := setting.Default()
	s.Download, s.Print, s.TextView = false, false, setting.Closed
	require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 1, setting.Diff(setting.Default(), s)))
	publish(t, h, p.ID)
	assert.Equal(t, "false false false ", ways())
}

// A page is found by its label too; Back leads to where a link was followed; an
// address names a place (RFC 8118), within the bounds.
func TestPlaces(t *testing.T) {
	tab := reading(t, "volunteer-handbook.pdf")
	at := func(page string) {
		t.Helper()
		tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('number').value === %q`, page))
	}
	tab.Do(chromedp.Focus("#number"), chromedp.KeyEvent("IV"), chromedp.KeyEvent(kb.Enter), chromedp.Focus("#pages"))
	at("4")
	tab.Do(chromedp.Focus("#number"), chromedp.KeyEvent("xx"), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.getElementById('number').ariaInvalid === 'true' && document.getElementById('note-bounds')?.textContent.includes('from 1 to 52')`)
	tab.Do(chromedp.Focus("#pages"), chromedp.Focus("#number"), chromedp.KeyEvent("3"), chromedp.KeyEvent(kb.Enter), chromedp.Focus("#pages"))
	at("3")
	tab.Until(tab.Ctx, `document.querySelector('#p3 .layer a[data-page]')`)
	leads := testkit.Eval[string](tab, tab.Ctx, `(() => { const l = [...document.querySelectorAll('#p3 .layer a[data-page]')].at(-1); l.dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true })); return l.dataset.page; })()`)
	at(leads)
	testkit.Eval[bool](tab, tab.Ctx, `(history.back(), true)`)
	at("3")
	testkit.Eval[bool](tab, tab.Ctx, `(history.forward(), true)`)
	at(leads)

	for hash, want := range map[string][2]string{"page=9&zoom=150": {"9", "150 %"}, "page=99&zoom=9000": {"52", ""},
		"zoom=75#page=5": {"5", "75 %"}, "page=7&view=Fit": {"7", ""}, "nameddest=x&page=two": {"1", ""}} {
		address := testkit.Eval[string](tab, tab.Ctx, `location.origin + location.pathname`)
		tab.Do(chromedp.Navigate("about:blank"), chromedp.Navigate(address+"#"+hash))
		tab.Until(tab.Ctx, readerReady)
		at(want[0])
		if want[1] != "" {
			tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('zoom').textContent === %q`, want[1]))
		}
		if hash == "page=7&view=Fit" {
			assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `(() => { const s = document.querySelector('.stage').getBoundingClientRect(); const b = document.getElementById('p7').getBoundingClientRect(); return b.top >= s.top && b.bottom <= s.bottom + 1; })()`), "the page shows whole")
		}
	}
}

// The contents: a list in lists with the current place marked, by keyboard; where
// readers are not given the tool, the server does not give them either.
func TestContents(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "volunteer-handbook.pdf")
	publish(t, h, p.ID)
	tab := testkit.Browse(t, 900, 700)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('number').value = 20, document.getElementById('number').dispatchEvent(new Event('change')))`)
	tab.Do(chromedp.Focus(`[data-do="contents"]`), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.activeElement.closest('#contents') && document.querySelectorAll('#contents a').length === 51`)
	assert.LessOrEqual(t, testkit.Eval[float64](tab, tab.Ctx, `document.querySelector('#contents [aria-current]').place.page`), 20.0)
	assert.Greater(t, testkit.Eval[float64](tab, tab.Ctx, `document.querySelectorAll('#contents ol ol > li').length`), 20.0,
		"chapters have their parts in lists of their own")
	tab.Accessible(tab.Ctx, "the reader with its contents")
	tab.Do(chromedp.KeyEvent(kb.Tab), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.activeElement.place?.page === Number(document.getElementById('number').value) && document.activeElement.ariaCurrent === 'location'`)
	tab.Do(chromedp.KeyEvent(kb.Escape))
	tab.Until(tab.Ctx, `document.getElementById('contents').hidden && document.activeElement.dataset.do === 'contents' && document.activeElement.ariaExpanded === 'false'`)

	address := testkit.Eval[string](tab, tab.Ctx, `document.body.dataset.base + '/contents/' + document.body.dataset.mark`)
	status, _, _ := h.Visitor(t).Get(address)
	assert.Equal(t, http.StatusOK, status)
	for step, set := range []string{`{"tools":["turn"]}`, `{"tools":["contents"],"navigation":false}`,
		`{"tools":["contents"],"navigation":true,"toolbar":false}`} {
		status, body, _ := h.Editor(t).Send("PATCH", fmt.Sprintf("/placements/%d/draft", p.ID), "application/json",
			fmt.Sprintf(`{"revision":%d,"set":%s}`, step, set))
		require.Equal(t, 200, status, body)
		publish(t, h, p.ID)
		status, body, _ = h.Visitor(t).Get(address)
		assert.Equal(t, http.StatusNotFound, status, set)
		assert.NotContains(t, body, "How we speak", set)
	}
}

// Pages are sent compressed.
func TestStylesAreSentCompressed(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "leaflet-welcome.pdf")
	publish(t, h, p.ID)
	for _, path := range []string{"/r/" + p.Key} {
		r, err := http.NewRequest("GET", h.URL+path, nil)
		require.NoError(t, err)
		r.Header.Set("Accept-Encoding", "gzip")
		answer, err := http.DefaultTransport.RoundTrip(r)
		require.NoError(t, err)
		assert.Equal(t, "gzip", answer.Header.Get("Content-Encoding"))
		z, err := gzip.NewReader(answer.Body)
		require.NoError(t, err)
		b, err := io.ReadAll(z)
		require.NoError(t, err)
		answer.Body.Close()
		assert.Contains(t, string(b), d.Title)
	}
}

// reading opens a demo document in a window of its own.
func reading(t *testing.T, file string) *testkit.Tab {
	t.Helper()
	h := testkit.Open(t)
	_, p := placed(t, h, file)
	publish(t, h, p.ID)
	tab := testkit.Browse(t, 900, 700)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	return tab
}

func TestReaderByKeyboard(t *testing.T) {
	tab := reading(t, "volunteer-handbook.pdf")
	active := func(want string) {
		t.Helper()
		tab.Until(tab.Ctx, fmt.Sprintf(`(document.activeElement.getAttribute('aria-label') ?? '') === %q`, want))
	}
	// Links lead past the tools to the pages and to the text; they show when they
	// have the focus.
	tab.Do(chromedp.KeyEvent(kb.Tab))
	tab.Until(tab.Ctx, `document.activeElement.matches('.skip') && document.activeElement.textContent === 'To the pages' && document.activeElement.getBoundingClientRect().top >= 0`)
	tab.Do(chromedp.KeyEvent(kb.Tab))
	// The toolbar is one stop; arrows move inside it and wrap around.
	tab.Do(chromedp.KeyEvent(kb.Tab))
	active("Previous page")
	tab.Do(chromedp.KeyEvent(kb.ArrowRight))
	active("Next page")
	tab.Do(chromedp.KeyEvent(kb.ArrowRight))
	active("Page number")
	tab.Do(chromedp.KeyEvent("9"), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('.here').getAttribute('aria-valuenow') === '9' && document.getElementById('said').textContent === 'Page 9 of 52'`)
	tab.Do(chromedp.KeyEvent(kb.End))
	tab.Do(chromedp.KeyEvent(kb.Tab))
	active("Volunteer handbook")
	// Page keys and Space move by what is seen, not by a page.
	height := testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('pages').clientHeight`)
	for _, key := range []string{kb.PageDown, " ", kb.PageUp, kb.PageUp} {
		from := testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('pages').scrollTop`)
		way := 0.9 * height
		if key == kb.PageUp {
			way = -way
		}
		tab.Do(chromedp.KeyEvent(key))
		tab.Until(tab.Ctx, fmt.Sprintf(`Math.abs(document.getElementById('pages').scrollTop - %g) < %g`, from+way, 0.1*height))
		tab.Until(tab.Ctx, `window.rested === (window.rested = document.getElementById('pages').scrollTop)`) // browsers move by and by
	}
	tab.Until(tab.Ctx, `document.getElementById('number').value === '9'`)
	tab.Do(chromedp.KeyEvent(kb.ArrowRight))
	tab.Until(tab.Ctx, `document.getElementById('number').value === '10'`)
	tab.Do(chromedp.KeyEvent(kb.End))
	tab.Until(tab.Ctx, `document.getElementById('number').value === '52'`)
	tab.Do(chromedp.KeyEvent(kb.ArrowRight))
	tab.Until(tab.Ctx, `document.getElementById('number').value === '52' && document.querySelector('[data-do=on]').getAttribute('aria-disabled') === 'true'`)
	tab.Do(chromedp.KeyEvent(kb.Home))
	tab.Until(tab.Ctx, `document.getElementById('number').value === '1'`)

	// Zoom by keys keeps to the bounds and comes back.
	before := testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('p1').getBoundingClientRect().width`)
	for range 20 {
		tab.Do(chromedp.KeyEvent("+"))
	}
	tab.Until(tab.Ctx, `document.getElementById('zoom').textContent === '640 %'`)
	for range 20 {
		tab.Do(chromedp.KeyEvent("-"))
	}
	tab.Until(tab.Ctx, `document.getElementById('zoom').textContent === '10 %'`)
	tab.Do(chromedp.KeyEvent("0"))
	tab.Until(tab.Ctx, fmt.Sprintf(`Math.abs(document.getElementById('p1').getBoundingClientRect().width - %g) < 1`, before))

	// "?" lists the keys.
	tab.Do(chromedp.KeyEvent("?"))
	tab.Until(tab.Ctx, `document.querySelector('dialog.keys')?.open && document.querySelector('dialog.keys').textContent.includes('first and last page')`)
	tab.Do(chromedp.KeyEvent(kb.Escape))
	tab.Until(tab.Ctx, `!document.querySelector('dialog')`)

	// The fore-edge is a slider.
	tab.Do(chromedp.Focus(".here"), chromedp.KeyEvent(kb.Home), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.PageDown))
	tab.Until(tab.Ctx, `document.querySelector('.here').getAttribute('aria-valuenow') === '12' && document.querySelector('.here').getAttribute('aria-valuetext') === 'Page 12 of 52, marked 8'`)

	// A number out of bounds is said, and not followed.
	tab.Do(chromedp.Focus("#number"), chromedp.SendKeys("#number", "99"+kb.Enter))
	tab.Until(tab.Ctx, `document.getElementById('number').getAttribute('aria-invalid') === 'true' && document.getElementById('note-bounds')?.textContent.includes('1 to 52')`)
}

// Whoever opens a reader and presses a key moves its pages, without a click before;
// in a frame nothing takes the focus of the page around it.
func TestKeysOnOpening(t *testing.T) {
	tab := reading(t, "volunteer-handbook.pdf")
	address := testkit.Eval[string](tab, tab.Ctx, `location.origin + location.pathname`)
	for _, key := range []string{kb.ArrowDown, kb.PageDown, " "} {
		tab.Do(chromedp.Navigate(address + "?k=" + url.QueryEscape(key)))
		tab.Until(tab.Ctx, readerReady)
		require.Zero(t, testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('pages').scrollTop`))
		require.Equal(t, "BODY", testkit.Eval[string](tab, tab.Ctx, `document.activeElement.tagName`))
		tab.Do(chromedp.KeyEvent(key))
		tab.Until(tab.Ctx, `document.getElementById('pages').scrollTop >= 40 && document.activeElement.id === 'pages'`)
	}
}

func TestReaderByPointer(t *testing.T) {
	tab := reading(t, "volunteer-handbook.pdf")

	// A link of the contents leads to its page.
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const e = document.getElementById('number'); e.value = 3; return e.dispatchEvent(new Event('change')); })()`)
	tab.Until(tab.Ctx, `document.querySelector('#p3 .layer a[data-page="9"]')`)
	tab.Do(chromedp.Click(`#p3 .layer a[data-page="9"] rect`))
	tab.Until(tab.Ctx, `document.getElementById('number').value === '9' && document.querySelector('#p9 img')?.naturalWidth > 0`)

	// A web link opens a new tab, safely.
	assert.Equal(t, "_blank noopener noreferrer", testkit.Eval[string](tab, tab.Ctx,
		`fetch(document.body.dataset.base + '/layer/' + document.body.dataset.mark + '/2').then((r) => r.text()).then((s) => { const a = new DOMParser().parseFromString(s, 'image/svg+xml').querySelector('a[href^="https:"]'); return a.getAttribute('target') + ' ' + a.getAttribute('rel'); })`))

	// Pressing the fore-edge three quarters down moves there.
	edge := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const b = document.getElementById('edge').getBoundingClientRect(); return [b.left + 14, b.top + 8 + (b.height - 16) * 0.755]; })()`)
	tab.Do(chromedp.MouseClickXY(edge[0], edge[1]))
	tab.Until(tab.Ctx, `document.getElementById('number').value === '40'`)

	// Pages far from view give back what they hold.
	tab.Until(tab.Ctx, `!document.querySelector('#p3 .layer') && document.querySelector('#p40 .layer')`)

	// Images are at least as wide as the screen shows them.
	tab.Until(tab.Ctx, `(() => { const i = document.querySelector('#p40 img'); return i && i.naturalWidth > 0 && Number(i.currentSrc.split('/').pop()) >= i.getBoundingClientRect().width * devicePixelRatio - 1; })()`)

	// Print gets every page ready.
	tab.Do(chromedp.Click(`[data-do=print]`))
	tab.Do(chromedp.Click(`#print .main`))
	tab.Until(tab.Ctx, `document.querySelector('#print .count').textContent === 'Ready to print' && document.getElementById('printing').contentDocument.images.length === 52`)
}

// On a high-density screen the browser takes the finer image.
func TestImagesAreCrispOnDenseScreens(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "tide-table.pdf")
	publish(t, h, p.ID)
	tab := testkit.Browse(t, 390, 800)
	tab.Do(chromedp.EmulateViewport(390, 800, chromedp.EmulateScale(3)))
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	tab.Until(tab.Ctx, `Number(document.querySelector('#p1 img').currentSrc.split('/').pop()) >= document.querySelector('#p1').getBoundingClientRect().width * 3 - 1`)
}

// A page that does not arrive says so and can be asked for again.
func TestAPageThatFailsCanBeTriedAgain(t *testing.T) {
	tab := reading(t, "volunteer-handbook.pdf")
	tab.Expect("/page/")
	tab.Expect("/layer/")
	// The page's address leads nowhere for a while.
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const s = document.getElementById('p30'); s.dataset.page = '999'; document.getElementById('number').value = 30; return document.getElementById('number').dispatchEvent(new Event('change')); })()`)
	tab.Until(tab.Ctx, `document.querySelector('#p30.missing .retry')`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('p30').dataset.page = '30', true)`)
	tab.Do(chromedp.Click("#p30 .retry"))
	tab.Until(tab.Ctx, `document.querySelector('#p30 img')?.naturalWidth > 0 && !document.querySelector('#p30.missing')`)
}

// What every reader loads is what the server counts and announces: no script
// more, but those that come behind it: for copying, and for what reads aloud.
func TestTheFirstScripts(t *testing.T) {
	tab := reading(t, "leaflet-welcome.pdf")
	tab.Until(tab.Ctx, `performance.getEntriesByType('resource').some((r) => r.name.endsWith('/take.js'))`)
	loaded := testkit.Eval[[]string](tab, tab.Ctx, `[...new Set(performance.getEntriesByType('resource').map((r) => r.name.match(/reader\/(\w+)\.js$/)?.[1]).filter((n) => n && !['take', 'aloud'].includes(n)))].sort()`)
	announced := testkit.Eval[[]string](tab, tab.Ctx, `['reader', ...[...document.querySelectorAll('link[rel=modulepreload]')].map((l) => l.href.match(/reader\/(\w+)\.js$/)[1])].sort()`)
	assert.Equal(t, announced, loaded)
}
