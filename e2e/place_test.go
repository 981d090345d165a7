package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"incipit/internal/testkit"
)

// What stands beside the pages makes them narrower and wider again; one panel
// may follow another before the pages have come to rest. The place that is read
// stays.
func TestPanelsLeaveThePlace(t *testing.T) {
	_, _, tab := opened(t, "volunteer-handbook.pdf", 1000, 640, nil)
	testkit.Eval[bool](tab, tab.Ctx, `(location.hash = '#page=9', true)`)
	tab.Until(tab.Ctx, `document.getElementById('number').value === '9' && document.querySelector('#p9 > img')?.naturalWidth > 0`)
	here := func(after string) {
		t.Helper()
		// Two frames are drawn and a task passes before it is looked at.
		testkit.Eval[bool](tab, tab.Ctx, `(async () => { for (let i = 0; i < 3; i++) await new Promise((done) => requestAnimationFrame(() => setTimeout(done))); return true; })()`)
		assert.Equal(t, "9", testkit.Eval[string](tab, tab.Ctx, `document.getElementById('number').value`), after)
		assert.InDelta(t, 12, testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('p9').getBoundingClientRect().top - document.getElementById('pages').getBoundingClientRect().top`), 3, after)
	}
	for range 2 {
		for _, name := range []string{"contents", "sizes", "take", "about", "print", "link", "find"} {
			testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.querySelector('[data-do=%s]').click(), true)`, name))
			tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('#%s:not([hidden])') && document.querySelectorAll('.side:not([hidden])').length === 1 && document.querySelectorAll('[data-do][aria-expanded=true]').length === 1`, name))
			here(name)
		}
		// Pressed at once, the last one counts, and there is one of each.
		testkit.Eval[bool](tab, tab.Ctx, `(['contents', 'overview', 'overview', 'sizes'].forEach((n) => document.querySelector('[data-do=' + n + ']').click()), true)`)
		tab.Until(tab.Ctx, `document.querySelector('.side:not([hidden])')?.id === 'sizes' && document.querySelectorAll('.side:not([hidden])').length === 1`)
		assert.Equal(t, 0, testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('.side').length - new Set([...document.querySelectorAll('.side')].map((s) => s.id)).size`))
		here("many at once")
		testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#sizes .shut').click(), true)`)
		tab.Until(tab.Ctx, `!document.querySelector('.side:not([hidden])')`)
		here("closed")
	}
	for _, width := range []int64{700, 430, 1180} {
		tab.Do(chromedp.EmulateViewport(width, 640))
		tab.Until(tab.Ctx, fmt.Sprintf(`innerWidth === %d`, width))
		here(fmt.Sprint(width, " px"))
	}
}

// A panel opens at once, whenever what is in it comes; nothing shifts then. One
// that the server refuses says so, and can be asked for again.
func TestAPanelThatComesLate(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "volunteer-handbook.pdf")
	publish(t, h, p.ID)
	var refused atomic.Bool
	held := make(chan struct{})
	line := through(t, h, func(w http.ResponseWriter, r *http.Request) bool {
		if !strings.Contains(r.URL.Path, "/contents/") {
			return false
		}
		<-held
		if refused.Load() {
			w.WriteHeader(http.StatusForbidden)
		}
		return refused.Load()
	})
	tab := testkit.Browse(t, 900, 700)
	tab.Do(chromedp.Navigate(line + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	tab.Expect("/contents/")
	tab.Expect("403")
	refused.Store(true)
	const busy = `document.querySelector('#contents:not([hidden])[aria-busy=true] h2')?.textContent === 'Contents' && document.querySelector('[data-do=contents]').ariaExpanded === 'true'`
	const asked = `document.querySelector('#contents[aria-busy=false] [role=alert]')?.textContent === 'This part has not arrived.' && !document.querySelector('#contents nav')`
	tab.Do(chromedp.Click(`[data-do=contents]`))
	tab.Until(tab.Ctx, busy)
	// Half a second after a press, the browser excuses no shift any more.
	testkit.Eval[bool](tab, tab.Ctx, `(window.pressed = performance.now(), true)`)
	tab.Until(tab.Ctx, `performance.now() - window.pressed > 600`)
	close(held)
	tab.Until(tab.Ctx, asked)
	assert.False(t, testkit.Eval[bool](tab, tab.Ctx, `!!document.getElementById('note-away')`), "the server is there")
	tab.Do(chromedp.Click(`#contents > .plain`))
	tab.Until(tab.Ctx, asked)
	refused.Store(false)
	tab.Do(chromedp.Click(`#contents > .plain`))
	tab.Until(tab.Ctx, `document.querySelector('#contents[aria-busy=false] a') && document.activeElement.closest('#contents nav') && !document.querySelector('#contents [role=alert]')`)
	assert.Zero(t, shift(tab, tab.Ctx))

	// What was closed before it came stays closed.
	testkit.Eval[bool](tab, tab.Ctx, `(['contents', 'about', 'about'].forEach((n) => document.querySelector('[data-do=' + n + ']').click()), true)`)
	tab.Until(tab.Ctx, `document.querySelector('#about[aria-busy=false] dd')`)
	assert.Equal(t, 0, testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('.side:not([hidden]), [data-do][aria-expanded=true]').length`))
}

// The offer of the text view waits for the fonts; by then it may be open.
func TestTheOfferComesWithTheFonts(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "survey-paper.pdf")
	waitIndexed(t, h)
	h.Measured(t, d.ID)
	publish(t, h, p.ID)
	held := make(chan struct{})
	line := through(t, h, func(_ http.ResponseWriter, r *http.Request) bool {
		if strings.HasSuffix(r.URL.Path, "/fonts.css") {
			<-held
		}
		return false
	})
	tab := testkit.Browse(t, 390, 700)
	tab.Do(chromedp.Navigate(line + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	assert.False(t, testkit.Eval[bool](tab, tab.Ctx, `!!document.querySelector('.notice')`), "no font is there")
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('[data-do=text]').click(), true)`)
	tab.Until(tab.Ctx, `document.querySelector('.flowing #t1')`)
	close(held)
	tab.Until(tab.Ctx, `document.querySelector('.layer text')`) // waits for them, too
	assert.False(t, testkit.Eval[bool](tab, tab.Ctx, `!!document.querySelector('.notice')`), "it is read already")
	tab.Do(chromedp.Reload())
	tab.Until(tab.Ctx, `document.getElementById('note-small')`)
}
