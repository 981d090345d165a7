package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// What all pages have in common: readers see a change at once, what cannot be
// kept is refused with the reason, and each change can be taken back.
func TestWhatAllPagesHaveInCommon(t *testing.T) {
	h, tab, id := started(t)
	draft, err := h.Publishing.WebPageDraft(t.Context(), id)
	require.NoError(t, err)
	require.NoError(t, h.Publishing.PublishWebPage(t.Context(), id, draft.Revision, "Maren Oakes", webpage.Plan{}))
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
		patience.Until(t, func() bool { return strings.Contains(served(), part) }, part)
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
	shows("--accent:light-dark(#24467a,")

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

// Whoever removes a document is told where it stands; readers there get a note,
// editors what is to be done.
func TestRemovingWhatIsUsed(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "trail-map.pdf")
	publish(t, h, p.ID)
	page, err := webpage.New("Visit").Done(webpage.Act{Do: webpage.DoAdd, New: &webpage.Block{Kind: webpage.Placement, Of: p.ID},
		To: webpage.Spot{At: 1}})
	require.NoError(t, err)
	w, err := h.Publishing.AddWebPage(t.Context(), "visit", page, "Maren Oakes")
	require.NoError(t, err)
	draft, err := h.Publishing.WebPageDraft(t.Context(), w.ID)
	require.NoError(t, err)
	require.NoError(t, h.Publishing.PublishWebPage(t.Context(), w.ID, draft.Revision, "Maren Oakes", webpage.Plan{}))
	// Taken off the draft, it still stands where readers are.
	without, err := page.Done(webpage.Act{Do: webpage.DoRemove, Block: page.Blocks()[1].ID})
	require.NoError(t, err)
	require.NoError(t, h.Publishing.SetWebPage(t.Context(), w.ID, draft.Revision, "Maren Oakes", without))
	_, err = h.Publishing.AddCollection(t.Context(), collection.Collection{Name: "For visitors", Arrangement: collection.List,
		Order: collection.ByHand, Height: 640, Items: []collection.Item{{Placement: p.ID}}, Sites: setting.SiteList{}})
	require.NoError(t, err)
	require.NoError(t, h.Placing.NoteSeen(t.Context(), p.ID, "https://www.harrowmere.example/visiting", placing.Room{Column: 640}))
	require.NoError(t, h.Placing.NoteSeen(t.Context(), p.ID, h.URL+"/pages/visit", placing.Room{Column: 640}))

	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	tab.Until(tab.Ctx, `!document.querySelector('.dropping').hasAttribute('x-cloak')`)
	remove := func() {
		testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('[data-remove]').click(), true)`)
		tab.Until(tab.Ctx, `document.getElementById('uses').open`)
	}
	remove()
	assert.Equal(t, "the web page “Visit”, the collection “For visitors”, https://www.harrowmere.example/visiting",
		testkit.Eval[string](tab, tab.Ctx, `[...document.querySelectorAll('#uses li')].map((l) => l.textContent).join(', ')`))
	tab.Accessible(tab.Ctx, "where a document stands")
	tab.Do(chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `!document.getElementById('uses').open && document.querySelector('.docs tbody tr')`)
	remove()
	tab.Do(chromedp.Click("#removeAll"))
	tab.Until(tab.Ctx, `!document.querySelector('.docs tbody tr') && document.querySelector('.toastline').textContent.includes('Trail map')`)
	tab.Do(chromedp.Navigate(h.URL + "/collections"))
	patience.Until(t, func() bool {
		_, body, _ := h.Visitor(t).Get("/pages/visit")
		return strings.Contains(body, `<p class="missing"><span>This document is not here at the moment.</span></p>`)
	})
}
