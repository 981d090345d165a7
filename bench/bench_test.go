package bench

import (
	"bytes"
	"fmt"
	"sort"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/patience"
)

// figuresFollow records, in the page, the time from each move of the pointer to
// the moment the new figure is in the document.
const figuresFollow = `(() => {
	window.took = [];
	let moved = null;
	addEventListener('pointermove', () => { moved ??= performance.now(); }, true);
	new MutationObserver(() => { if (moved !== null) { window.took.push(performance.now() - moved); moved = null; } })
		.observe(document.getElementById('figure'), { childList: true, characterData: true, subtree: true });
	return true;
})()`

// BenchmarkDragOnTheBench pulls the frame of a document of 1,300 pages by its
// corner and measures how long the new figures take, in a real browser: request,
// proof on five screens with fixes, answer, drawing.
func BenchmarkDragOnTheBench(b *testing.B) {
	h := testkit.Open(b)
	_, e, err := h.Intake.Receive(b.Context(), "register.pdf", bytes.NewReader(hostile.ManyPages(1300)), 0)
	require.NoError(b, err)
	p, err := h.Placing.Place(b.Context(), e.DocumentID, placing.Start{})
	require.NoError(b, err)
	patience.Until(b, func() bool {
		e, err := h.Library.CurrentEdition(b.Context(), e.DocumentID)
		return err == nil && e.Measured
	})
	tab := testkit.Browse(b, 1280, 800)
	tab.Do(chromedp.Navigate(h.URL+"/"), chromedp.SendKeys("#email", demo.Email), chromedp.SendKeys("#password", demo.Password),
		chromedp.Click(".btn-primary"))
	tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'Documents'`)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d?page=820", h.URL, p.ID)))
	tab.Until(tab.Ctx, `document.getElementById('now')?.contentDocument?.body && 'ready' in document.getElementById('now').contentDocument.body.dataset`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.grip.corner').scrollIntoView({ block: 'center' }), true)`)
	// A drag begins when the page has come to rest.
	tab.Until(tab.Ctx, `[...document.getElementById('now').contentDocument.images].some((i) => i.complete && i.naturalWidth > 0)`)
	testkit.Eval[bool](tab, tab.Ctx, `(async () => { for (let i = 0; i < 10; i++) await new Promise((r) => { requestIdleCallback(r); }); return true; })()`)
	testkit.Eval[bool](tab, tab.Ctx, figuresFollow)
	mouse := func(kind input.DispatchMouseEventType, x, y float64) {
		_, err := chromedp.Call(tab.Ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, X: x, Y: y, Button: "left",
			Buttons: 1, ClickCount: 1})
		require.NoError(b, err)
	}
	at := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const c = document.querySelector('.grip.corner').getBoundingClientRect(); return [c.left + 6, c.top + 6]; })()`)
	for range b.N {
		mouse("mousePressed", at[0], at[1])
		const moves = 40
		for i := range moves {
			mouse("mouseMoved", at[0]-float64(4*(i+1)), at[1]-float64(2*(i+1)))
			tab.Until(tab.Ctx, fmt.Sprintf("window.took.length > %d", i))
		}
		took := testkit.Eval[[]float64](tab, tab.Ctx, `window.took`)
		sort.Float64s(took)
		b.ReportMetric(took[len(took)/2], "ms/median")
		b.ReportMetric(took[len(took)-1], "ms/slowest")
		fmt.Printf("\n%d moves, 1,300 pages: the new figures are there after %.1f ms in the median, %.1f ms for nine of ten, %.1f ms at most\n",
			len(took), took[len(took)/2], took[len(took)*9/10], took[len(took)-1])
	}
}
