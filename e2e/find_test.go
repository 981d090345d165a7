package e2e

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

// opened publishes a document with all tools and opens it.
func opened(t *testing.T, file string, width, height int64, change func(*setting.Settings)) (*testkit.House, placing.Placement,
	*testkit.Tab) {
	t.Helper()
	h := testkit.Open(t)
	d, p := placed(t, h, file)
	waitIndexed(t, h)
	h.Measured(t, d.ID)
	s := setting.Default()
	s.Tools = toolbar.Set(toolbar.All())
	if change != nil {
		change(&s)
	}
	require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 0, setting.Diff(setting.Default(), s)))
	publish(t, h, p.ID)
	tab := testkit.Browse(t, width, height)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	return h, p, tab
}

// look types words into the find panel.
func look(tab *testkit.Tab, words string) {
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const i = document.getElementById('words-find'); i.value = %q; i.dispatchEvent(new Event('input')); return true; })()`, words))
}

func TestFinding(t *testing.T) {
	_, _, tab := opened(t, "volunteer-handbook.pdf", 1100, 800, nil)
	tab.Do(chromedp.KeyEvent("/"))
	tab.Until(tab.Ctx, `document.activeElement.id === 'words-find'`)
	tab.Do(chromedp.KeyEvent("spring tide"))
	tab.Until(tab.Ctx, `document.querySelector('#find .count').textContent === 'Hits: 3, on pages: 2' && document.querySelectorAll('.hitlist a').length === 3 && document.querySelectorAll('.dots i').length === 2`)
	// The first hit is shown, marked where the word stands, and in view.
	tab.Until(tab.Ctx, `document.getElementById('number').value === '12' && document.querySelectorAll('#p12 .hits rect').length >= 2 && document.querySelector('#p12 .hits rect.now')`)
	tab.Do(chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.getElementById('said').textContent === 'Hit 2 of 3, page 12' && document.querySelector('.hitlist [aria-current]').dataset.nth === '1'`)
	tab.Do(chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.getElementById('said').textContent.startsWith('Hit 3 of 3, page ') && document.getElementById('number').value > 12`)
	tab.Do(chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.getElementById('said').textContent === 'Hit 1 of 3, page 12'`)
	tab.Accessible(tab.Ctx, "the reader with hits")

	look(tab, "INITIALS")
	tab.Until(tab.Ctx, `document.querySelector('#find .count').textContent === 'Hits: 1, on pages: 1' && document.querySelectorAll('.hits rect').length === 1`)
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `(() => {
		const hit = document.querySelector('.hits rect.now').getBoundingClientRect();
		const line = [...document.querySelectorAll('#p12 .layer text')].find((l) => l.textContent.includes('initials'));
		const at = line.textContent.indexOf('initials');
		const r = document.createRange(); r.setStart(line.firstChild, at); r.setEnd(line.firstChild, at + 8);
		const b = r.getBoundingClientRect();
		const room = document.getElementById('pages').getBoundingClientRect();
		return Math.abs(hit.left - b.left) < 4 && Math.abs(hit.right - b.right) < 4 && hit.top < b.bottom && hit.bottom > b.top && hit.top >= room.top && hit.bottom <= room.bottom; })()`), "the mark lies on the words, in view")

	// Of many hits the list begins with some, and goes on.
	look(tab, "e")
	tab.Until(tab.Ctx, `document.querySelectorAll('.hitlist a').length === 100 && !document.querySelector('#find .plain').hidden`)
	testkit.Eval[bool](tab, tab.Ctx, `(window.first = document.querySelector('.hitlist li'), document.querySelector('#find .plain').click(), true)`)
	tab.Until(tab.Ctx, `document.querySelectorAll('.hitlist a').length === 200 && window.first === document.querySelector('.hitlist li')`)

	// Whole words and exact ones.
	look(tab, "TIDE")
	tab.Until(tab.Ctx, `document.querySelector('#find .count').textContent.startsWith('Hits: 9,')`)
	tab.Do(chromedp.Click(`#find [type=checkbox]`))
	tab.Until(tab.Ctx, `/^Hits: [1-8],/.test(document.querySelector('#find .count').textContent)`)
	tab.Do(chromedp.Click(`#find label:nth-child(2) [type=checkbox]`))
	tab.Until(tab.Ctx, `document.querySelector('#find .count').textContent === 'Not found' && !document.querySelector('.hits rect') && !document.querySelector('.dots i')`)
	// The line is gone: said, and the next try finds again.
	testkit.Eval[bool](tab, tab.Ctx, `(window.line = fetch, window.fetch = () => Promise.reject(new TypeError()), true)`)
	look(tab, "tide")
	tab.Until(tab.Ctx, `document.querySelector('#find .count').textContent === 'Searching did not work; please try again.'`)
	testkit.Eval[bool](tab, tab.Ctx, `(window.fetch = window.line, true)`)
	look(tab, "spring tide")
	tab.Until(tab.Ctx, `document.querySelector('#find .count').textContent.startsWith('Hits: ' + document.querySelectorAll('.hitlist a').length + ',')`)
	tab.Do(chromedp.KeyEvent(kb.Escape))
	tab.Until(tab.Ctx, `document.getElementById('find').hidden && document.activeElement.dataset.do === 'find'`)
}

// Words are found in every script, turned pages and vertical lines included, and
// an address can ask for them (RFC 8118).
func TestFindingInEveryScript(t *testing.T) {
	for _, c := range []struct{ file, words, count string }{
		{"leaflet-welcome.pdf", "المد", "Hits: 2, on pages: 1"}, {"leaflet-welcome.pdf", "sciezka", "Hits: 1, on pages: 1"},
		{"leaflet-welcome.pdf", "日の入り", "Hits: 1, on pages: 1"}, {"spring-notes.pdf", "アカアシシギ", "Hits: 1, on pages: 1"},
		{"annual-report.pdf", "stored upright", "Hits: 1, on pages: 1"},
		{"survey-paper.pdf", "observers", "Hits: 3, on pages: 2"},
	} {
		h, p, tab := opened(t, c.file, 1000, 800, nil)
		tab.Do(chromedp.Navigate("about:blank"), chromedp.Navigate(fmt.Sprintf("%s/r/%s#search=%s", h.URL, p.Key, c.words)))
		tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('#find .count')?.textContent === %q && document.querySelector('.hits rect.now')`,
			c.count))
		assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `(() => { const b = document.querySelector('.hits rect.now').getBoundingClientRect(); const s = document.querySelector('.hits').parentElement.getBoundingClientRect(); return b.width > 4 && b.height > 4 && b.left >= s.left && b.right <= s.right && b.top >= s.top && b.bottom <= s.bottom; })()`), c.words)
	}
}

// The text view opens where the pages were, and the pages where it was; on a
// phone it is offered where the type is too small.
func TestTheTextView(t *testing.T) {
	_, _, tab := opened(t, "survey-paper.pdf", 390, 844, nil)
	tab.Until(tab.Ctx, `document.querySelector('#note-small .main')?.textContent === 'Read as text'`)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const e = document.getElementById('number'); e.value = 2; e.dispatchEvent(new Event('change')); return true; })()`)
	tab.Do(chromedp.Click(`#note-small .main`))
	tab.Until(tab.Ctx, `document.querySelector('.flowing #t2') && Math.abs(document.querySelector('#t2').getBoundingClientRect().top - 110) < 60 && !document.getElementById('note-small')`)
	tab.Accessible(tab.Ctx, "the text view")
	size := testkit.Eval[float64](tab, tab.Ctx, `parseFloat(getComputedStyle(document.querySelector('.flowing p')).fontSize)`)
	tab.Do(chromedp.Click(`.flowing .way button:nth-child(2)`))
	tab.Until(tab.Ctx, fmt.Sprintf(`parseFloat(getComputedStyle(document.querySelector('.flowing p')).fontSize) > %g`, size))
	assert.LessOrEqual(t, testkit.Eval[float64](tab, tab.Ctx, `document.querySelector('.flowing').scrollWidth - document.querySelector('.flowing').clientWidth`), 0.0, "nothing moves sideways")
	// Reading on moves the page that is told; the way back leads there.
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.flowing').scrollTop = 0, true)`)
	tab.Until(tab.Ctx, `document.getElementById('number').value === '1'`)
	tab.Do(chromedp.Click(`.flowing .way button:last-child`))
	tab.Until(tab.Ctx, `document.querySelector('.flowing').hidden && document.getElementById('number').value === '1'`)

	// A wide frame does not offer it; a document whose place matters never does.
	_, _, wide := opened(t, "survey-paper.pdf", 1000, 800, nil)
	assert.False(t, testkit.Eval[bool](wide, wide.Ctx, `!!document.querySelector('.notice')`))
	_, _, table := opened(t, "tide-table.pdf", 390, 844, nil)
	assert.False(t, testkit.Eval[bool](table, table.Ctx, `!!document.querySelector('.notice')`))
}

// Without script the text can be read as pages of their own.
func TestTheTextWithoutScript(t *testing.T) {
	h, p, _ := opened(t, "volunteer-handbook.pdf", 900, 700, nil)
	tab := testkit.BrowseWithoutScript(t, 390, 800)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key + "/text"))
	tab.Until(tab.Ctx, `document.querySelector('main').textContent.includes('How we speak to each other')`)
	tab.Do(chromedp.Click(`a[rel=next]`))
	tab.Until(tab.Ctx, `location.search === '?from=11' && document.querySelector('main').textContent.includes('Reading the tide')`)
	assert.Equal(t, []string{"en", "Pages 11 to 20 of 52"}, testkit.Eval[[]string](tab, tab.Ctx,
		`[document.querySelector('main > div').lang, document.querySelector('.way').textContent.split(' · ')[0]]`))
}

// The facts of a document name its licence, in its own words.
func TestTheLicenceIsNamed(t *testing.T) {
	_, _, tab := opened(t, "survey-paper.pdf", 1000, 800, nil)
	tab.Do(chromedp.Click(`[data-do=about]`))
	tab.Until(tab.Ctx, `document.querySelector('#about a[rel~=license]')?.textContent === 'Creative Commons Attribution 4.0'`)
	assert.Equal(t, []string{"https://creativecommons.org/licenses/by/4.0/", "_blank"},
		testkit.Eval[[]string](tab, tab.Ctx, `[document.querySelector('#about a[rel~=license]').href, document.querySelector('#about a[rel~=license]').target]`))
}

// What is copied is text as it is written: words whole, lines joined.
func TestCopying(t *testing.T) {
	_, _, tab := opened(t, "survey-paper.pdf", 1000, 800, nil)
	tab.Until(tab.Ctx, `document.querySelectorAll('#p1 .layer text').length > 40`)
	copied := testkit.Eval[string](tab, tab.Ctx, `(() => {
		const lines = [...document.querySelectorAll('#p1 .layer text')];
		const from = lines.findIndex((l) => l.textContent.startsWith('A roost count'));
		const r = document.createRange(); r.setStart(lines[from].firstChild, 0); r.setEnd(lines[from + 2].firstChild, 18);
		getSelection().removeAllRanges(); getSelection().addRange(r);
		let out = ''; const e = new ClipboardEvent('copy', { clipboardData: new DataTransfer(), bubbles: true, cancelable: true });
		document.getElementById('pages').dispatchEvent(e); return e.clipboardData.getData('text/plain'); })()`)
	assert.Equal(t, "A roost count is a count of birds that have nowhere else to be. When the flats are covered, Knot stand close togeth",
		copied)

	// Where the text stays closed there is none in the page.
	_, _, closed := opened(t, "survey-paper.pdf", 1000, 800, func(s *setting.Settings) { s.Copying = false })
	closed.Until(closed.Ctx, `document.querySelector('#p1 .layer')`)
	assert.Zero(t, testkit.Eval[float64](closed, closed.Ctx, `document.querySelectorAll('.layer text').length`))
}

// copiedNow presses Ctrl+C, and gives what is put on the clipboard, as text and as
// HTML, once it is there.
const copiedNow = `(async () => {
	for (let i = 0; i < 200; i += 1) {
		const e = new ClipboardEvent('copy', { clipboardData: new DataTransfer(), bubbles: true, cancelable: true });
		document.getElementById('pages').dispatchEvent(e);
		const got = [e.clipboardData.getData('text/plain'), e.clipboardData.getData('text/html')];
		if (got[0]) return got;
		await new Promise(requestAnimationFrame);
	}
	return ['', '']; })()`

// A selection over more pages than are at hand is copied whole, in its order, and so
// is all of the document; three presses select a paragraph.
func TestCopyingOverPages(t *testing.T) {
	h, p, tab := opened(t, "volunteer-handbook.pdf", 1000, 800, nil)
	d, err := h.Placing.Placement(t.Context(), p.ID)
	require.NoError(t, err)
	e, err := h.Library.CurrentEdition(t.Context(), d.DocumentID)
	require.NoError(t, err)
	h.Indexed(t, e.ID)
	at := func(page int) string {
		return fmt.Sprintf(`document.querySelector('#p%d .layer[data-whole]')`, page)
	}
	goTo := func(page int) {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const n = document.getElementById('number'); n.value = %d; n.dispatchEvent(new Event('change')); return true; })()`, page))
		tab.Until(tab.Ctx, at(page))
	}
	goTo(9)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const t = [...document.querySelectorAll('#p9 .layer text')].at(-3); getSelection().collapse(t.firstChild, 0); return true; })()`)
	goTo(18)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const t = document.querySelectorAll('#p18 .layer text')[4]; getSelection().extend(t.firstChild, 3); return true; })()`)
	got := testkit.Eval[[]string](tab, tab.Ctx, copiedNow)
	var middle []string
	for n := 10; n <= 17; n++ {
		text, err := h.Library.PageText(t.Context(), e.ID, n)
		require.NoError(t, err)
		layer, err := text.Unpacked()
		require.NoError(t, err)
		middle = append(middle, overlay.Text(e.Flow.Settle(layer.Runs)))
	}
	before, after, whole := strings.Cut(got[0], strings.Join(middle, "\n"))
	require.True(t, whole, "eight pages between, in their order")
	assert.True(t, len(before) > 10 && len(before) < 400, "the end of page 9: %q", before)
	assert.True(t, len(after) > 2 && len(after) < 400, "the beginning of page 18: %q", after)
	assert.Equal(t, strings.Count(got[0], "\n")+1, strings.Count(got[1], "<p dir="), "a paragraph for each")
	assert.NotContains(t, got[0], "Text view", "nothing of the toolbar")
	tab.Until(tab.Ctx, `document.getElementById('said').textContent === 'Copied: pages 9 to 18'`)

	// All of it.
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('pages').focus(), true)`)
	tab.Do(chromedp.KeyEvent("a", chromedp.KeyModifiers(2)))
	tab.Until(tab.Ctx, `document.getElementById('said').textContent.startsWith('The whole document is selected')`)
	all := testkit.Eval[[]string](tab, tab.Ctx, copiedNow)
	assert.Contains(t, all[0], strings.Join(middle, "\n"))
	assert.Greater(t, len(all[0]), 3*len(got[0]))
	tab.Do(chromedp.KeyEvent(kb.Escape))
	tab.Until(tab.Ctx, `!document.querySelector('.pages.all')`)

	// A paragraph.
	goTo(10)
	line := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const t = [...document.querySelectorAll('#p10 .layer text')].find((t) => !t.dataset.then && t.nextElementSibling && !t.nextElementSibling.dataset.then); const b = t.getBoundingClientRect(); return [b.left + b.width / 2, b.top + b.height / 2]; })()`)
	tab.Do(chromedp.MouseClickXY(line[0], line[1], chromedp.ClickCount(3)))
	paragraph := testkit.Eval[[]string](tab, tab.Ctx, copiedNow)
	assert.Equal(t, 0, strings.Count(paragraph[0], "\n"))
	assert.Greater(t, len(paragraph[0]), 120, "more than a line: %q", paragraph[0])
	assert.Contains(t, middle[0], paragraph[0])
}

// Layers are switched by their names; the images are those of the choice.
func TestSwitchingLayers(t *testing.T) {
	h := testkit.Open(t)
	_, e, err := h.Intake.Receive(t.Context(), "layers.pdf", bytes.NewReader(hostile.Layered()), 0)
	require.NoError(t, err)
	h.Examined(t, "Layers")
	p, err := h.Placing.Place(t.Context(), e.DocumentID, placing.Start{})
	require.NoError(t, err)
	s := setting.Default()
	s.Tools = toolbar.Set(toolbar.All())
	require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 0, setting.Diff(setting.Default(), s)))
	publish(t, h, p.ID)
	tab := testkit.Browse(t, 900, 600)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	blue := `(async () => { const i = document.querySelector('#p1 img'); await i.decode(); const c = new OffscreenCanvas(200, 80).getContext('2d', { willReadFrequently: true }); c.drawImage(i, 0, 0, 200, 80);
		return [40, 100, 160].map((x) => c.getImageData(x, 40, 1, 1).data[0] < 100 ? 1 : 0).join(''); })()`
	assert.Equal(t, "101", testkit.Eval[string](tab, tab.Ctx, blue))
	tab.Do(chromedp.Click(`[data-do=layers]`))
	tab.Until(tab.Ctx, `[...document.querySelectorAll('#layers label')].map((l) => l.textContent).join() === 'Paths,Flood (5.0 m),湿地'`)
	tab.Do(chromedp.Click(`#layers label:nth-of-type(2)`))
	tab.Until(tab.Ctx, `document.querySelector('#p1 img')?.currentSrc.endsWith('?layers=1.2.3')`)
	assert.Equal(t, "111", testkit.Eval[string](tab, tab.Ctx, blue))
	tab.Do(chromedp.Click(`#layers .plain`))
	tab.Until(tab.Ctx, `document.querySelector('#p1 img')?.currentSrc.match(/\/\d+$/)`)
	assert.Equal(t, "101", testkit.Eval[string](tab, tab.Ctx, blue))
	edition, err := h.Library.Edition(t.Context(), e.ID)
	require.NoError(t, err)
	for _, bad := range []string{"4", "1.1", "x", "1.", "0"} {
		status, _, _ := h.Visitor(t).Get(fmt.Sprintf("/r/%s/page/%s/1/240?layers=%s", p.Key, edition.SHA256[:16], bad))
		assert.Equal(t, 404, status, bad)
	}
}

// axe-core finds nothing serious in four states and three languages.
func TestTheReaderIsAccessible(t *testing.T) {
	h, p, _ := opened(t, "volunteer-handbook.pdf", 900, 700, nil)
	for _, lang := range []string{"en", "uk", "he"} {
		tab := testkit.Browse(t, 900, 700)
		agent := testkit.Eval[string](tab, tab.Ctx, `navigator.userAgent`)
		_, err := chromedp.Call(tab.Ctx, emulation.SetUserAgentOverride,
			emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: lang})
		require.NoError(t, err)
		tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
		tab.Until(tab.Ctx, readerReady)
		require.Equal(t, lang, testkit.Eval[string](tab, tab.Ctx, `document.documentElement.lang`))
		tab.Accessible(tab.Ctx, "the reader in "+lang)
		for _, c := range []struct{ do, ready string }{
			{"find", `document.activeElement.id === 'words-find'`}, {"overview", `document.querySelector('.small')`},
			{"about", `document.querySelector('#about dd')`}, {"print", `document.querySelector('#print form')`},
		} {
			testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector('[data-do=%s]').click(), true)`, c.do))
			tab.Until(tab.Ctx, c.ready)
			tab.Accessible(tab.Ctx, c.do+" in "+lang)
			testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector('#%s .shut').click(), true)`, c.do))
		}
		testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('[data-do=text]').click(), true)`)
		tab.Until(tab.Ctx, `document.querySelector('.flowing p')`)
		tab.Accessible(tab.Ctx, "the text view in "+lang)
	}
}
