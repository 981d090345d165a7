package e2e

import (
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
		_, err := chromedp.Call(tab.Ctx, emulation.SetUserAgentOverride, emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: c.accept})
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
	_, err := chromedp.Call(tab.Ctx, emulation.SetUserAgentOverride, emulation.SetUserAgentOverrideParams{UserAgent: agent, AcceptLanguage: "ar-MA"})
	require.NoError(t, err)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	tab.Do(chromedp.Click(`[data-do="about"]`))
	tab.Until(tab.Ctx, `document.querySelector('.side dd')`)
	assert.Empty(t, testkit.Eval[string](tab, tab.Ctx, `[...document.querySelectorAll('.edge text, .bar *, .side dd')].filter((e) => !e.children.length && /[0-9]/.test(e.textContent + (e.value ?? ''))).map((e) => e.outerHTML).join()`))
	assert.Regexp(t, "[٠-٩]", testkit.Eval[string](tab, tab.Ctx, `[...document.querySelectorAll('.edge text, .side dd')].map((e) => e.textContent).join()`))
}
