package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/embed"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/testkit"
)

// The reader speaks the language that its browser asks for, from the right
// where it is written so; what it says is accessible in each; the pages stand
// where they stand in every language.
func TestTheReaderSpeaks(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "volunteer-handbook.pdf")
	publish(t, h, p.ID)
	var left []float64
	for _, c := range []struct{ accept, lang, dir, next, said, gone string }{
		{"en-GB", "en", "ltr", "Next page", "Page 2 of 52", "This document is not here at the moment"},
		{"de-CH", "de", "ltr", "Nächste Seite", "Seite 2 von 52", "Dieses Dokument ist gerade nicht hier"},
		{"ar-EG", "ar", "rtl", "الصفحة التالية", "صفحة ٢ من ٥٢", "هذا المستند غير موجود هنا الآن"},
	} {
		tab := testkit.Browse(t, 900, 700)
		agent := testkit.Eval[string](tab, tab.Ctx, `navigator.userAgent`)
		_, err := chromedp.Call(tab.Ctx, emulation.SetUserAgentOverride,
			emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: c.accept})
		require.NoError(t, err)
		tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
		tab.Until(tab.Ctx, readerReady)
		assert.Equal(t, []string{c.lang, c.dir, c.next, "en"}, testkit.Eval[[]string](tab, tab.Ctx,
			`[document.documentElement.lang, document.documentElement.dir, document.querySelector('[data-do=on]').ariaLabel, document.getElementById('pages').lang]`))
		tab.Do(chromedp.Focus("[data-do=on]"), chromedp.KeyEvent(kb.Enter))
		tab.Until(tab.Ctx, `document.getElementById('said').textContent === '`+c.said+`'`)
		tab.Accessible(tab.Ctx, "the reader in "+c.lang)
		left = append(left, testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('p1').getBoundingClientRect().left`))
		assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `[...document.querySelectorAll('.bar > .t')].every((t) => { const b = t.getBoundingClientRect(); return b.left >= 0 && b.right <= innerWidth; })`), "tools stand in the bar")
		tab.Expect("404")
		tab.Do(chromedp.Navigate(h.URL + "/r/unknown"))
		tab.Until(tab.Ctx, `document.querySelector('.note h1')?.textContent === '`+c.gone+`'`)
	}
	assert.Equal(t, []float64{left[0], left[0], left[0]}, left)
}

// Figures are in one script: where a language writes ٠ to ٩, so do the fore-edge, the
// size, the page, its count, and dates; what stands on the pages stays as it is.
func TestFiguresInOneScript(t *testing.T) {
	h := testkit.Open(t)
	p, e := h.Published(t, "volunteer-handbook.pdf", func(s *setting.Settings) { s.Tools = toolbar.All() })
	h.Indexed(t, e.ID)
	tab := testkit.Browse(t, 1000, 800)
	agent := testkit.Eval[string](tab, tab.Ctx, `navigator.userAgent`)
	// In Morocco dates have 0 to 9, in Egypt ٠ to ٩: the page is in one of them.
	_, err := chromedp.Call(tab.Ctx, emulation.SetUserAgentOverride,
		emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: "ar-MA"})
	require.NoError(t, err)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	tab.Do(chromedp.Click(`[data-do="about"]`))
	tab.Until(tab.Ctx, `document.querySelector('.side dd')`)
	assert.Empty(t, testkit.Eval[string](tab, tab.Ctx, `[...document.querySelectorAll('.edge text, .bar *, .side dd')].filter((e) => !e.children.length && /[0-9]/.test(e.textContent + (e.value ?? ''))).map((e) => e.outerHTML).join()`))
	assert.Regexp(t, "[٠-٩]", testkit.Eval[string](tab, tab.Ctx,
		`[...document.querySelectorAll('.edge text, .side dd')].map((e) => e.textContent).join()`))
}

// Arrows go to the side that they point to: in a toolbar that is written from the right,
// among turning tools that stand the other way round, in the tree of contents, and on
// the fore-edge that lies.
func TestArrowsFollowTheSideOfWriting(t *testing.T) {
	h := testkit.Open(t)
	for _, order := range []string{setting.FromLeft, setting.FromRight} {
		p, _ := h.Published(t, "volunteer-handbook.pdf",
			func(s *setting.Settings) { s.Tools, s.Flow, s.Order = toolbar.All(), setting.Turn, order })
		for accept, dir := range map[string]string{"en-GB": "ltr", "ar-EG": "rtl"} {
			about := order + " in " + accept
			tab := testkit.Browse(t, 1000, 700)
			speak(t, tab, accept)
			tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
			tab.Until(tab.Ctx, readerReady)
			require.Equal(t, dir, testkit.Eval[string](tab, tab.Ctx, `document.dir`))
			const at = `document.activeElement.getBoundingClientRect().left`
			n := testkit.Eval[int](tab, tab.Ctx, `(() => { const all = [...document.querySelectorAll('.bar :is(button, a, input)')].filter((e) => e.checkVisibility()); all.sort((a, b) => a.getBoundingClientRect().left - b.getBoundingClientRect().left)[0].focus(); return all.length; })()`)
			require.Greater(t, n, 8, about)
			last := testkit.Eval[float64](tab, tab.Ctx, `(window.first = document.activeElement, `+at+`)`)
			on := func() float64 {
				// In the entry of pages the first press goes to an end of what is chosen there.
				if testkit.Eval[bool](tab, tab.Ctx, `document.activeElement.selectionStart !== document.activeElement.selectionEnd`) {
					tab.Do(chromedp.KeyEvent(kb.ArrowRight))
				}
				tab.Do(chromedp.KeyEvent(kb.ArrowRight))
				return testkit.Eval[float64](tab, tab.Ctx, at)
			}
			for ; n > 1; n-- {
				now := on()
				assert.Greater(t, now, last, about)
				last = now
			}
			on()
			assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `document.activeElement === first`), "%s: round", about)

			in, out := kb.ArrowRight, kb.ArrowLeft
			if dir == "rtl" {
				in, out = out, in
			}
			tab.Do(chromedp.Click(`[data-do=contents]`))
			tab.Until(tab.Ctx, `document.querySelector('#contents .fold[aria-expanded=true]')`)
			testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#contents .fold[aria-expanded=true]').closest('li').querySelector('a').focus(), window.fold = document.activeElement.closest('li').querySelector('.fold'), true)`)
			tab.Do(chromedp.KeyEvent(out))
			tab.Until(tab.Ctx, `fold.ariaExpanded === 'false'`)
			tab.Do(chromedp.KeyEvent(in))
			tab.Until(tab.Ctx, `fold.ariaExpanded === 'true'`)
		}
		phone := testkit.Browse(t, 390, 700)
		phone.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
		phone.Until(phone.Ctx, readerReady)
		require.Equal(t, "horizontal", testkit.Eval[string](phone, phone.Ctx, `document.querySelector('.here').ariaOrientation`))
		const here = `document.querySelector('.here').getBoundingClientRect().left`
		phone.Do(chromedp.Focus(".here"), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.PageDown))
		phone.Until(phone.Ctx, `document.querySelector('.here').ariaValueNow === '12'`)
		before := testkit.Eval[float64](phone, phone.Ctx, here)
		phone.Do(chromedp.KeyEvent(kb.ArrowRight))
		phone.Until(phone.Ctx, `document.querySelector('.here').ariaValueNow !== '12'`)
		assert.Greater(t, testkit.Eval[float64](phone, phone.Ctx, here), before, order)
	}
}

// speak has a browser ask for a language.
func speak(t *testing.T, tab *testkit.Tab, accept string) {
	t.Helper()
	agent := testkit.Eval[string](tab, tab.Ctx, `navigator.userAgent`)
	_, err := chromedp.Call(tab.Ctx, emulation.SetUserAgentOverride,
		emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: accept})
	require.NoError(t, err)
}

// What stands on somebody's page speaks that page's language, with the document's name:
// the press that starts a document, the way out of one that lies over the page, and in
// the frame the way to a window of its own, which goes by the browser.
func TestWordsOnThePageAreThePages(t *testing.T) {
	p := paste(t)
	const title = "Tide and hide access table"
	press := p.code(embed.Choice{Way: embed.Element, Starts: embed.Press})
	over := p.code(embed.Choice{Way: embed.Button, Words: "→"})
	seen := map[string]string{}
	for _, lang := range []string{"en", "de-CH", "fr", "es", "pl", "uk", "ar", "he", "hi", "ja", "zh-Hans"} {
		p.on(t, `<div lang="`+lang+`">`+press+over+`</div>`)
		p.tab.Until(p.tab.Ctx, `document.querySelector('incipit-placement')?.shadowRoot?.querySelector('button')`)
		read := testkit.Eval[string](p.tab, p.tab.Ctx, `document.querySelector('incipit-placement').shadowRoot.querySelector('button').ariaLabel`)
		testkit.Eval[bool](p.tab, p.tab.Ctx, `(document.querySelector('a[data-incipit]').click(), true)`)
		p.tab.Until(p.tab.Ctx, `document.querySelector('dialog button')`)
		end := testkit.Eval[string](p.tab, p.tab.Ctx, `document.querySelector('dialog button').ariaLabel`)
		for _, said := range []string{read, end} {
			word, of, _ := strings.Cut(said, ": ")
			assert.Equal(t, title, of, lang)
			assert.NotContains(t, seen, word, "%s: each language has a word of its own", lang)
			seen[word] = lang
		}
		p.tab.Until(p.tab.Frame(p.URL+"/r/"), `'ready' in document.body.dataset`)

		tab := testkit.Browse(t, 900, 700)
		speak(t, tab, lang)
		require.NoError(t, p.Pages.Save("surveys", `<iframe src="`+p.address+`" width="700" height="500" title="`+title+`"></iframe>`))
		tab.Do(chromedp.Navigate(p.Website + "/surveys"))
		inside := tab.Frame(p.URL + "/r/")
		tab.Until(inside, `'ready' in document.body.dataset && document.querySelector('[data-do=about]')`)
		testkit.Eval[bool](tab, inside, `(document.querySelector('[data-do=about]').click(), true)`)
		tab.Until(inside, `document.querySelector('#about a[target=_blank]')`)
		said := testkit.Eval[[]string](tab, inside,
			`(() => { const a = document.querySelector('#about a[target=_blank]'); return [a.textContent, a.ariaLabel]; })()`)
		assert.Equal(t, said[0]+": "+title, said[1], lang)
		assert.NotContains(t, seen, said[0], lang)
		seen[said[0]] = lang
	}

	// A component of the page's own, too, has the page's language.
	p.on(t, `<div lang="de" id="host"></div><template id="t">`+press+
		`</template><script>document.getElementById('host').attachShadow({ mode: 'open' }).append(document.getElementById('t').content);</script>`)
	p.tab.Until(p.tab.Ctx, `document.getElementById('host').shadowRoot.querySelector('incipit-placement')?.shadowRoot?.querySelector('button')?.ariaLabel === 'Lesen: `+title+`'`)
}
