package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/webpage"
	"incipit/internal/testkit"
)

// What all pages have in common: readers see a change at once, what cannot be
// kept is refused with the reason, and each change can be taken back.
func TestWhatAllPagesHaveInCommon(t *testing.T) {
	h, tab, id := started(t)
	draft, err := h.Store.WebPageDraft(t.Context(), id)
	require.NoError(t, err)
	require.NoError(t, h.Store.PublishWebPage(t.Context(), id, draft.Mark, "Maren Oakes", webpage.Plan{}))
	served := func() string {
		_, body, _ := h.Visitor(t).Get("/pages/tides")
		return body
	}
	tab.Do(chromedp.Navigate(h.URL + "/web-pages"))
	tab.Until(tab.Ctx, `document.getElementById('fname')?.value === 'Our pages'`)
	set := func(id, value string) {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const e = document.getElementById(%q); e.value = %q; return e.dispatchEvent(new Event('change')); })()`, id, value))
	}
	shows := func(part string) {
		t.Helper()
		require.Eventually(t, func() bool { return strings.Contains(served(), part) }, 10*time.Second, 50*time.Millisecond, part)
	}
	set("fname", "Harrowmere & friends")
	shows("Harrowmere &amp; friends")
	// A press ends the writing in a field: both are kept.
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const f = document.getElementById('ffooter'); f.value = 'Open from **sunrise**.'; f.dispatchEvent(new Event('change')); document.getElementById('navpage').value = '%d'; document.getElementById('navadd').click(); return true; })()`, id))
	tab.Until(tab.Ctx, `document.querySelectorAll('.navitems li').length === 1`)
	shows(`<a href="/pages/tides" aria-current="page">Tides</a>`)
	shows("<strong>sunrise</strong>")

	// A colour that cannot be read, and a tag that is none.
	for id, says := range map[string]string{"faccent": "text needs 4.5 to 1", "flanguage": "no language tag"} {
		tab.Expect("/web-pages/frame")
		tab.Expect("400")
		tab.Expect("422")
		set(id, map[string]string{"faccent": "#ffcc00", "flanguage": "in Polish"}[id])
		tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('.siteframe [role=alert]').textContent.includes(%q)`, says))
	}
	shows("--accent:#24467a")

	// The language is the pages' own, and so are the words of ours.
	shows(`<html lang="en" dir="ltr">`)
	set("flanguage", "ar")
	shows(`<html lang="ar" dir="rtl">`)
	shows("إلى المحتوى")
	reader := testkit.Browse(t, 390, 844)
	reader.Do(chromedp.Navigate(h.URL + "/pages/tides"))
	reader.Until(reader.Ctx, `getComputedStyle(document.querySelector('h1')).direction === 'rtl' && document.fonts.status === 'loaded'`)
	assert.LessOrEqual(t, testkit.Eval[float64](reader, reader.Ctx, `document.documentElement.scrollWidth - innerWidth`), 0.0)
	reader.Accessible(reader.Ctx, "a page from right to left")
	set("flanguage", "nl")
	shows(`<html lang="nl" dir="ltr">`)
	shows(`lang="en" dir="ltr">To the content</a>`)
	tab.Accessible(tab.Ctx, "what all pages have in common")
	testkit.Eval[bool](tab, tab.Ctx, `([...document.querySelectorAll('.siteframe button')].find((b) => b.textContent.includes('Undo')).click(), true)`)
	tab.Until(tab.Ctx, `document.getElementById('flanguage').value === 'ar'`)
	shows(`<html lang="ar" dir="rtl">`)
}
