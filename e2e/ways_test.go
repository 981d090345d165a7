package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// pasted is the other website with codes on it, each for the tide table, and
// words around them.
type pasted struct {
	*testkit.House
	tab     *testkit.Tab
	address string
	code    func(embed.Choice) string
}

func paste(t *testing.T) pasted {
	t.Helper()
	h := testkit.Open(t)
	d, p := placed(t, h, "tide-table.pdf")
	publish(t, h, p.ID)
	e, err := h.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	address := h.URL + "/r/" + p.Key
	return pasted{h, testkit.Browse(t, 1280, 800), address, func(c embed.Choice) string {
		code, err := c.Written(setting.Default(), embed.Subject{Address: address, Title: d.Title, Pages: frame.PagesOf(e.AllSheets())})
		require.NoError(t, err)
		return code
	}}
}

// on puts a source on the website's page and opens it.
func (p pasted) on(t *testing.T, source string) {
	t.Helper()
	require.NoError(t, p.Pages.Save("visiting", "<h1>Visiting</h1>\n"+source+"\n<p id=\"after\">Dogs stay on leads.</p>"))
	p.tab.Do(chromedp.Navigate(p.Website + "/visiting"))
	p.tab.Until(p.tab.Ctx, `document.readyState === 'complete'`)
}

// still says how much moved on the page without being asked to.
func (p pasted) still(t *testing.T, what string) {
	t.Helper()
	moved := testkit.Eval[float64](p.tab, p.tab.Ctx, `new Promise((done) => { let sum = 0; new PerformanceObserver((l) => { for (const e of l.getEntries()) if (!e.hadRecentInput) sum += e.value; }).observe({ type: 'layout-shift', buffered: true }); setTimeout(() => done(sum), 150); })`)
	assert.Zero(t, moved, "layout shift: %s", what)
}

const heard = `<script>window.heard = []; for (const name of ['ready', 'page', 'end', 'error', 'download']) document.addEventListener('incipit-' + name, (e) => window.heard.push([name, e.detail.page ?? 0]));</script>`

// The element starts when it comes near, speaks with the page, does what the
// page asks, and leaves nothing behind.
func TestTheElement(t *testing.T) {
	p := paste(t)
	p.on(t, heard+`<div style="height:3000px"></div>`+p.code(embed.Choice{Way: embed.Element}))
	tab := p.tab
	assert.Zero(t, testkit.Eval[float64](tab, tab.Ctx,
		`document.querySelector('incipit-placement').shadowRoot.querySelectorAll('iframe').length`), "far below nothing is loaded")
	testkit.Eval[bool](tab, tab.Ctx, `(scrollTo(0, document.body.scrollHeight), true)`)
	inside := tab.Frame(p.URL + "/r/")
	tab.Until(inside, `'ready' in document.body.dataset`)
	tab.Until(tab.Ctx, `window.heard.some(([n]) => n === 'ready')`)
	p.still(t, "an element")
	box := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const e = document.querySelector('incipit-placement').getBoundingClientRect(); const f = document.querySelector('incipit-placement').shadowRoot.querySelector('iframe').getBoundingClientRect(); return [e.width, e.height, f.width, f.height]; })()`)
	assert.Equal(t, box[:2], box[2:], "the viewer fills what was kept free")
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('incipit-placement').go(2), true)`)
	tab.Until(inside, `document.getElementById('number').value === '2'`)
	tab.Until(tab.Ctx, `window.heard.some(([n, page]) => n === 'page' && page === 2) && window.heard.some(([n]) => n === 'end')`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('incipit-placement').zoom(200), true)`)
	tab.Until(inside, `document.getElementById('zoom').textContent.startsWith('200')`)

	// A stranger's message is not heard, whatever it says.
	before := testkit.Eval[float64](tab, tab.Ctx, `window.heard.length`)
	testkit.Eval[bool](tab, tab.Ctx, `(window.postMessage({ incipit: 'page', page: 99, tall: 9999 }, '*'), new Promise((r) => setTimeout(() => r(true), 100)))`)
	assert.InDelta(t, before, testkit.Eval[float64](tab, tab.Ctx, `window.heard.length`), 0)

	// Another address is none of ours: nothing is framed, and the page is told.
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('incipit-placement').open('https://elsewhere.example/r/tidestidestidestide1'), true)`)
	tab.Until(tab.Ctx, `window.heard.at(-1)[0] === 'error' && !document.querySelector('incipit-placement').shadowRoot.querySelector('iframe')`)
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector('incipit-placement').open(%q, 'page=2'), true)`, p.address))
	tab.Until(tab.Ctx, `document.querySelector('incipit-placement').shadowRoot.querySelector('iframe')?.src.endsWith('#page=2')`)
	testkit.Eval[bool](tab, tab.Ctx, `(window.gone = document.querySelector('incipit-placement'), gone.remove(), true)`)
	assert.Zero(t, testkit.Eval[float64](tab, tab.Ctx, `gone.shadowRoot.querySelectorAll('iframe').length`))
}

// Ten far below load nothing, and one script serves them all.
func TestTenElementsCostOneScript(t *testing.T) {
	p := paste(t)
	p.on(t, `<div style="height:4000px"></div>`+strings.Repeat(p.code(embed.Choice{Way: embed.Element}), 10))
	loaded := testkit.Eval[[]string](p.tab, p.tab.Ctx,
		fmt.Sprintf(`performance.getEntriesByType('resource').map((r) => r.name).filter((n) => n.startsWith(%q))`, p.URL))
	assert.Equal(t, []string{p.URL + "/onpage.js"}, loaded)
	assert.InDelta(t, 10, testkit.Eval[float64](p.tab, p.tab.Ctx, `document.querySelectorAll('incipit-placement a').length`), 0,
		"each is a link until it starts")
}

// A press starts what stands there as a picture.
func TestAPressStartsTheElement(t *testing.T) {
	p := paste(t)
	p.on(t, p.code(embed.Choice{Way: embed.Element, Starts: embed.Press, Words: "Read the tides"}))
	tab := p.tab
	tab.Until(tab.Ctx, `document.querySelector('incipit-placement')?.shadowRoot?.querySelector('button img')?.naturalWidth > 0`)
	p.still(t, "a picture to press")
	assert.Equal(t, "Read the tides: Tide and hide access table",
		testkit.Eval[string](tab, tab.Ctx, `document.querySelector('incipit-placement').shadowRoot.querySelector('button').ariaLabel`))
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('incipit-placement').shadowRoot.querySelector('button').focus(), true)`)
	tab.Do(chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Frame(p.URL+"/r/"), `'ready' in document.body.dataset`)
	p.still(t, "a pressed element")
}

// A link opens the document over the page: Escape, its button and a press beside it
// close it, the focus is where it was, and so is the page's history.
func TestOverThePage(t *testing.T) {
	p := paste(t)
	p.on(t, p.code(embed.Choice{Way: embed.Link, Page: 2, Words: "Open the tide table"})+p.code(embed.Choice{Way: embed.Button,
		Words: "Tides"})+p.code(embed.Choice{Way: embed.Cover, Cover: 2}))
	tab := p.tab
	tab.Until(tab.Ctx, `document.querySelector('a img').naturalWidth > 0 && !!window.customElements.get('incipit-placement')`)
	p.still(t, "link, button and cover")
	past := testkit.Eval[string](tab, tab.Ctx,
		`(history.replaceState({ of: 'the page' }, ''), history.length + JSON.stringify(history.state))`)
	for i, close := range []func(){
		func() { tab.Do(chromedp.KeyEvent(kb.Escape)) },
		func() { tab.Do(chromedp.Click("dialog button")) },
		func() { tab.Do(chromedp.MouseClickXY(8, 400)) }, // beside it
	} {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelectorAll('a[data-incipit]')[%d].focus(), true)`, i))
		tab.Do(chromedp.KeyEvent(kb.Enter))
		tab.Until(tab.Ctx, `document.querySelector('dialog')?.open && document.querySelector('dialog iframe')`)
		if i == 0 {
			inside := tab.Frame(p.URL + "/r/")
			tab.Until(inside, `'ready' in document.body.dataset && document.getElementById('number').value === '2'`)
			tab.Accessible(tab.Ctx, "a page with a document over it")
		}
		assert.Equal(t, "hidden", testkit.Eval[string](tab, tab.Ctx, `getComputedStyle(document.documentElement).overflow`),
			"the page behind does not scroll")
		testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('dialog button').focus(), true)`)
		close()
		tab.Until(tab.Ctx, fmt.Sprintf(`!document.querySelector('dialog') && document.activeElement === document.querySelectorAll('a[data-incipit]')[%d] && location.pathname === '/visiting'`, i))
		assert.Equal(t, past, testkit.Eval[string](tab, tab.Ctx, `history.length + JSON.stringify(history.state)`), "history is as it was")
		assert.Empty(t, testkit.Eval[string](tab, tab.Ctx, `document.documentElement.style.overflow`))
	}
	p.still(t, "after closing")
}

// Links that are followed inside a viewer over the page make no steps of the page's
// history.
func TestOnePressClosesAfterLinks(t *testing.T) {
	p := paste(t)
	_, handbook := placed(t, p.House, "volunteer-handbook.pdf")
	publish(t, p.House, handbook.ID)
	p.on(t, fmt.Sprintf(`<a href="%s/r/%s" data-incipit="over">Handbook</a><script async src="%s/onpage.js"></script>`, p.URL,
		handbook.Key, p.URL))
	tab := p.tab
	tab.Until(tab.Ctx, `!!window.customElements.get('incipit-placement')`)
	steps := testkit.Eval[float64](tab, tab.Ctx, `history.length`)
	tab.Do(chromedp.Click("a[data-incipit]"))
	inside := tab.Frame(p.URL + "/r/")
	tab.Until(inside, `'ready' in document.body.dataset`)
	for range 2 {
		testkit.Eval[bool](tab, inside, `(() => { const e = document.getElementById('number'); e.value = 3; return e.dispatchEvent(new Event('change')); })()`)
		tab.Until(inside, `document.querySelector('#p3 .layer a[data-page]')`)
		testkit.Eval[bool](tab, inside, `[...document.querySelectorAll('#p3 .layer a[data-page]')].at(-1).dispatchEvent(new MouseEvent('click', { bubbles: true, cancelable: true })) || true`)
		tab.Until(inside, fmt.Sprintf(`history.length === %v && document.getElementById('number').value !== '3'`, steps))
	}
	tab.Do(chromedp.Click("dialog button"))
	tab.Until(tab.Ctx, fmt.Sprintf(`!document.querySelector('dialog') && location.pathname === '/visiting' && history.length === %v && document.activeElement.matches('a[data-incipit]')`, steps))
}

// Escape inside the viewer closes it, too.
func TestEscapeInsideClosesWhatIsOver(t *testing.T) {
	p := paste(t)
	p.on(t, p.code(embed.Choice{Way: embed.Link}))
	tab := p.tab
	tab.Until(tab.Ctx, `!!window.customElements.get('incipit-placement')`)
	tab.Do(chromedp.Click("a[data-incipit]"))
	inside := tab.Frame(p.URL + "/r/")
	tab.Until(inside, `'ready' in document.body.dataset`)
	testkit.Eval[bool](tab, inside, `(document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true })), true)`)
	tab.Until(tab.Ctx, `!document.querySelector('dialog')`)
}

// A plain link with one attribute becomes the viewer itself.
func TestALinkBecomesAViewer(t *testing.T) {
	p := paste(t)
	p.on(t, p.code(embed.Choice{Way: embed.Upgrade, Page: 2}))
	p.tab.Until(p.tab.Ctx, `document.querySelector('incipit-placement')?.shadowRoot?.querySelector('iframe')?.src.endsWith('#page=2')`)
	p.tab.Until(p.tab.Frame(p.URL+"/r/"), `document.getElementById('number')?.value === '2'`)
	p.still(t, "a link that became a viewer")
	// It stands as its element does.
	box := func() string {
		return testkit.Eval[string](p.tab, p.tab.Ctx, `(() => { const b = document.querySelector('incipit-placement').getBoundingClientRect(); return [b.left, b.top, b.width, b.height].join(); })()`)
	}
	became := box()
	p.on(t, p.code(embed.Choice{Way: embed.Element, Page: 2}))
	assert.Equal(t, box(), became)
}

// A page whose policy leaves style attributes out gets the same size from the
// script; the check says of a frame what it loses.
func TestAPolicyAgainstStyles(t *testing.T) {
	p := paste(t)
	policy := fmt.Sprintf(`<meta http-equiv="Content-Security-Policy" content="default-src 'self'; frame-src %s; script-src %[1]s">`, p.URL)
	box := func(source string) string {
		p.on(t, source)
		p.tab.Until(p.tab.Ctx, `document.querySelector('incipit-placement')?.shadowRoot?.querySelector('iframe')`)
		return testkit.Eval[string](p.tab, p.tab.Ctx, `(() => { const b = document.querySelector('incipit-placement').getBoundingClientRect(); return [b.left, b.width, b.height].join(); })()`)
	}
	for _, way := range []embed.Way{embed.Element, embed.Upgrade} {
		code := p.code(embed.Choice{Way: way})
		free := box(code)
		p.tab.Expect("style-src")
		p.tab.Expect("Content Security Policy")
		p.tab.Expect("img-src data")
		assert.Equal(t, free, box(policy+code), "%s", way)
	}
}

// The desk shows each way on a page and gives its code.
func TestWaysOnTheDesk(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "tide-table.pdf")
	publish(t, h, p.ID)
	tab := testkit.Browse(t, 1280, 900)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d/ways", h.URL, p.ID)))
	tab.Until(tab.Ctx, `document.getElementById('waycode').value.includes('<iframe') && document.getElementById('try').contentDocument.querySelector('iframe')`)
	for _, way := range embed.Ways() {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector('input[value=%s]').click(), true)`, way))
		want := map[embed.Way]string{embed.Inline: "iframe", embed.Element: "incipit-placement", embed.Link: "a[data-incipit=over]",
			embed.Button: "a[style]", embed.Cover: "a img", embed.Bare: "p", embed.Upgrade: "incipit-placement"}[way]
		tab.Until(tab.Ctx, fmt.Sprintf(`new URLSearchParams(location.search).get('way') === %q && document.getElementById('try').contentDocument.querySelector(%q)`, way, want))
		tab.Accessible(tab.Ctx, "ways: "+string(way))
	}
	// A page that is not there is refused, and the code stays.
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const i = document.getElementById('page'); i.removeAttribute('max'); i.value = 9; i.dispatchEvent(new Event('change', { bubbles: true })); return true; })()`)
	tab.Expect("/ways/code")
	tab.Until(tab.Ctx, `document.querySelector('.tried [role=alert]').textContent.includes('pages 1 to 2') && document.getElementById('waycode').value.includes('data-incipit="here"')`)
}

// The check reads an address of the other website and says what is wrong.
func TestCheckingAPage(t *testing.T) {
	p := paste(t)
	require.NoError(t, p.Pages.Save("visiting", "<h1>Visiting</h1><p>"+strings.Repeat("The hides flood on spring tides. ",
		10)+"</p>"+strings.ReplaceAll(p.code(embed.Choice{Way: embed.Inline}), `src="`+p.address+`"`, "src=”"+p.address+"”")))
	tab := p.tab
	signIn(p.House, tab)
	tab.Do(chromedp.Navigate(p.URL+"/check"), chromedp.SendKeys("#address", p.Website+"/visiting"),
		chromedp.Click("form.x, .check button[type=submit]"))
	tab.Until(tab.Ctx, `document.querySelector('.findings h3')?.textContent === 'Stray marks in the address'`)
	tab.Accessible(tab.Ctx, "a checked page")
	mended := testkit.Eval[string](tab, tab.Ctx, `document.getElementById('mended-0').value`)
	assert.Equal(t, p.code(embed.Choice{Way: embed.Inline}), mended)
	// The mended code is in order.
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.getElementById('address').value = '', document.querySelector('details').open = true, document.getElementById('source').value = %q, true)`, "<p>"+strings.Repeat("Spring tides. ", 30)+"</p>"+mended))
	tab.Do(chromedp.Click(".check button[type=submit]"))
	tab.Until(tab.Ctx, `document.getElementById('found')?.textContent === 'All in order'`)
	// Our own network is not asked.
	tab.Expect("/check")
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.getElementById('source').value = '', document.getElementById('address').value = %q, true)`, p.URL+"/health"))
	tab.Do(chromedp.Click(".check button[type=submit]"))
	tab.Until(tab.Ctx, `document.querySelector('[role=alert]')?.textContent.includes('Only public websites')`)
}

// Where a placement stands is learned from its viewers: the page, and the column
// that it has there; nothing of who reads. The bench shows and proofs it.
func TestWhereItStands(t *testing.T) {
	p := paste(t)
	placements, err := p.Placing.PlacementsOf(t.Context(), 1)
	require.NoError(t, err)
	p.on(t, `<div style="width:330px">`+strings.Replace(p.code(embed.Choice{Way: embed.Inline}), ` loading="lazy"`, "", 1)+`</div>`)
	p.tab.Until(p.tab.Frame(p.URL+"/r/"), readerReady)
	p.tab.Do(chromedp.Navigate(p.Website + "/visiting?who=maren#tides"))
	p.tab.Until(p.tab.Frame(p.URL+"/r/"), readerReady)
	patience.Until(t, func() bool {
		pages, widths, err := p.Placing.Seen(t.Context(), placements[0].ID)
		return err == nil && len(pages) == 1 && pages[0].Page == p.Website+"/visiting" && pages[0].Times == 2 && widths[320] == 2
	})

	editor := testkit.Browse(t, 1280, 900)
	signIn(p.House, editor)
	editor.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d", p.URL, placements[0].ID)))
	editor.Until(editor.Ctx, `document.querySelector('.hist button.must')?.ariaLabel.startsWith('320 px: 100 % of 2 views.')`)
	assert.Contains(t, testkit.Eval[string](editor, editor.Ctx, `document.querySelector('.stood').textContent`), "2 views")
	testkit.Eval[bool](editor, editor.Ctx, `(document.querySelector('.hist button').click(), true)`)
	editor.Until(editor.Ctx, `document.getElementById('column').value === '320'`)
	pages, _, err := p.Placing.Seen(t.Context(), placements[0].ID)
	require.NoError(t, err)
	assert.Len(t, pages, 1, "the desk's own stage is no web page")

	// What does not come from a viewer of ours is not counted.
	status, _, _ := p.Visitor(t).Send("POST", strings.TrimPrefix(p.address, p.URL)+"/stood", "text/plain", "400 https://stranger.example/")
	assert.Contains(t, []int{204, 429}, status)
	for _, body := range []string{"", "wide https://x.example/", "400", "400 javascript:x", "-5 https://x.example/",
		"1e9 https://x.example/", "400 " + p.URL + "/placements/1"} {
		p.Visitor(t).Send("POST", strings.TrimPrefix(p.address, p.URL)+"/stood", "text/plain", body)
	}
	pages, _, err = p.Placing.Seen(t.Context(), placements[0].ID)
	require.NoError(t, err)
	for _, page := range pages {
		assert.NotContains(t, page.Page, "placements")
		assert.NotContains(t, page.Page, "x.example")
		assert.NotContains(t, page.Page, "stranger.example", "who opened no viewer there has no seal")
	}
}

// A picture of the editor's own in place of a page, with what it shows.
func TestAnOwnCoverPicture(t *testing.T) {
	p := paste(t)
	tab := p.tab
	signIn(p.House, tab)
	tab.Do(chromedp.Navigate(p.URL + "/placements/1/ways?way=cover&opens=new"))
	tab.Until(tab.Ctx, `document.getElementById('waycode').value.includes('/cover/1/480')`)
	drawing, err := demo.Marsh()
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "marsh.png")
	require.NoError(t, os.WriteFile(file, drawing, 0o600))
	tab.Do(chromedp.SetUploadFiles(`#upload`, []string{file}))
	tab.Until(tab.Ctx, `document.getElementById('waycode').value.includes('/pictures/1/') && document.getElementById('alt').checkVisibility() && !document.getElementById('cover').checkVisibility()`)
	choose(tab, "alt", "Reeds at dusk")
	testkit.Eval[bool](tab, tab.Ctx, `document.getElementById('alt').dispatchEvent(new Event('change', { bubbles: true }))`)
	tab.Until(tab.Ctx, `document.getElementById('waycode').value.includes('alt="Reeds at dusk"')`)
	tab.Accessible(tab.Ctx, "the ways with an own cover")
	code := testkit.Eval[string](tab, tab.Ctx, `document.getElementById('waycode').value`)
	assert.Contains(t, code, `width="240" height="135"`)
	p.on(t, code)
	tab.Until(tab.Ctx, `document.querySelector('a[href*="/r/"] img')?.naturalWidth === 480`)
	p.still(t, "an own cover")

	// What is no picture is refused with a sentence, and nothing changes.
	tab.Do(chromedp.Navigate(p.URL + "/placements/1/ways?way=cover"))
	tab.Until(tab.Ctx, `document.getElementById('waycode').value.includes('/cover/1/480')`)
	tab.Expect("422")
	tab.Expect("/pictures")
	bad := filepath.Join(t.TempDir(), "notes.png")
	require.NoError(t, os.WriteFile(bad, []byte("no picture"), 0o600))
	tab.Do(chromedp.SetUploadFiles(`#upload`, []string{bad}))
	tab.Until(tab.Ctx, `document.querySelector('.tried [role=alert]').textContent.includes('no picture that can be read')`)
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.getElementById('waycode').value`), "/cover/1/480")
}

// An address alone, through somebody else's oEmbed consumer: what it finds by
// discovery goes onto the website as it is, and readers read it there.
func TestABareAddressThroughAConsumer(t *testing.T) {
	p := paste(t)
	c := exec.CommandContext(t.Context(), "node", "consumer.mjs", strings.TrimSpace(p.code(embed.Choice{Way: embed.Bare})))
	c.Dir = filepath.Join("testdata", "oembed")
	out, err := c.Output()
	require.NoError(t, err, "the consumer is installed by make test (scripts/oembed-consumer.sh)")
	var found struct {
		OEmbed struct {
			Version, Type, Title, HTML string
			Width, Height              int
			Thumbnails                 []struct {
				URL           string
				Width, Height int
			}
		}
		Graph struct {
			Title  string
			Images []struct{ URL string }
		}
	}
	require.NoError(t, json.Unmarshal(out, &found))
	assert.Equal(t, "1.0 rich Tide and hide access table", found.OEmbed.Version+" "+found.OEmbed.Type+" "+found.OEmbed.Title)
	assert.Equal(t, "Tide and hide access table", found.Graph.Title)
	require.NotEmpty(t, found.OEmbed.Thumbnails)
	p.on(t, found.OEmbed.HTML+fmt.Sprintf(`<img id="thumb" alt="" src="%s" width="%d" height="%d">`, found.OEmbed.Thumbnails[0].URL,
		found.OEmbed.Thumbnails[0].Width, found.OEmbed.Thumbnails[0].Height))
	inside := p.tab.Frame(p.URL + "/r/")
	p.tab.Until(inside, readerReady)
	p.tab.Until(p.tab.Ctx, `document.getElementById('thumb').naturalWidth > 0`)
	p.still(t, "an address alone")
	box := testkit.Eval[[]float64](p.tab, p.tab.Ctx,
		`(() => { const f = document.querySelector('iframe').getBoundingClientRect(); return [f.width, f.height]; })()`)
	assert.Equal(t, []float64{float64(found.OEmbed.Width), float64(found.OEmbed.Height)}, box)
	testkit.Eval[bool](p.tab, inside, `(document.querySelector('[data-do=on]').click(), true)`)
	p.tab.Until(inside, `document.getElementById('number').value === '2'`)
}

// A change of size does not reach code that was pasted before: publishing names the
// pages on which a viewer told of the earlier room, with the code of today.
func TestPagesLeftBehind(t *testing.T) {
	p := paste(t)
	placements, err := p.Placing.PlacementsOf(t.Context(), 1)
	require.NoError(t, err)
	pasted := strings.Replace(p.code(embed.Choice{Way: embed.Inline}), ` loading="lazy"`, "", 1)
	p.on(t, pasted)
	p.tab.Until(p.tab.Frame(p.URL+"/r/"), readerReady)
	patience.Until(t, func() bool {
		pages, _, err := p.Placing.Seen(t.Context(), placements[0].ID)
		return err == nil && len(pages) == 1 && pages[0].RoomHeight > 300
	})
	editor := testkit.Browse(t, 1280, 900)
	signIn(p.House, editor)
	editor.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d", p.URL, placements[0].ID)))
	editor.Until(editor.Ctx, `document.querySelector('.stood') && document.getElementById('publish').ariaDisabled === 'true'`)
	assert.Empty(t, testkit.Eval[[]string](editor, editor.Ctx, `JSON.parse(document.getElementById('state').textContent).behind`),
		"it keeps the room of today")
	choose := `(() => { const u = document.getElementById('height_unit'); u.value = 'rows'; u.dispatchEvent(new Event('change', { bubbles: true })); return true; })()`
	testkit.Eval[bool](editor, editor.Ctx, choose)
	editor.Until(editor.Ctx, `document.getElementById('publish').ariaDisabled !== 'true'`)
	editor.Do(chromedp.Click("#publish"))
	editor.Until(editor.Ctx, `document.getElementById('musts').open || document.getElementById('code').open`)
	testkit.Eval[bool](editor, editor.Ctx, `(document.getElementById('musts').open && document.getElementById('anyway').click(), true)`)
	editor.Until(editor.Ctx, fmt.Sprintf(`document.getElementById('code').open && [...document.querySelectorAll('#code .said li a')].map((a) => a.href).join() === %q`, p.Website+"/visiting"))
	editor.Accessible(editor.Ctx, "pages left behind")
	// With the code of today the page is left behind no more.
	code := testkit.Eval[string](editor, editor.Ctx, `document.getElementById('embed').value`)
	assert.NotEqual(t, pasted, code)
	p.on(t, strings.Replace(code, ` loading="lazy"`, "", 1))
	p.tab.Until(p.tab.Frame(p.URL+"/r/"), readerReady)
	patience.Until(t, func() bool {
		editor.Do(chromedp.Reload())
		return len(testkit.Eval[[]string](editor, editor.Ctx, `JSON.parse(document.getElementById('state').textContent).behind`)) == 0
	})
}
