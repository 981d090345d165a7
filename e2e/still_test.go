package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// Nothing in the frame shifts while the document opens, is turned and scrolled,
// or while a pointer passes along the fore-edge; the presses come from a script,
// so that none of them excuses a shift.
func TestTheFrameStaysStill(t *testing.T) {
	h := testkit.Open(t)
	document := h.Add(t, "volunteer-handbook.pdf")
	waitIndexed(t, h)
	h.Measured(t, document.ID)
	tab := testkit.Browse(t, 1000, 700)
	for i, flow := range []string{setting.Down, setting.Across, setting.Turn, setting.Tiles} {
		for j, order := range []string{setting.FromLeft, setting.FromRight} {
			s := setting.Default()
			s.Flow, s.Order, s.Tools = flow, order, toolbar.Set(toolbar.All())
			p, err := h.Placing.Place(t.Context(), document.ID, placing.Start{})
			require.NoError(t, err)
			require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 0, setting.Diff(setting.Default(), s)))
			publish(t, h, p.ID)
			width := []int64{1000, 430}[(i+j)%2] // each flow and each order with both
			t.Run(fmt.Sprintf("%s %s %d", flow, order, width), func(t *testing.T) {
				_, err := chromedp.Call(tab.Ctx, network.ClearBrowserCache, cdp.Empty{}) // fonts come late, as on a first visit
				require.NoError(t, err)
				tab.Do(chromedp.EmulateViewport(width, 700), chromedp.Navigate(h.URL+"/r/"+p.Key))
				tab.Until(tab.Ctx, readerReady)
				before := testkit.Eval[float64](tab, tab.Ctx, `document.querySelector('.here').getBoundingClientRect().x + document.querySelector('.here').getBoundingClientRect().y`)
				for range 6 {
					testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('[data-do=on]').click(), new Promise((r) => requestAnimationFrame(() => setTimeout(() => r(true)))))`)
				}
				testkit.Eval[bool](tab, tab.Ctx, `(async () => { const pages = document.getElementById('pages');
						for (let i = 0; i < 20; i++) { pages.scrollBy({ top: 120, left: getComputedStyle(pages).direction === 'rtl' ? -120 : 120, behavior: 'instant' }); await new Promise(requestAnimationFrame); } return true; })()`)
				edge := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const b = document.querySelector('.edge').getBoundingClientRect(); return [b.left + 4, b.top + 12, Math.max(0, b.width - 28), Math.max(0, b.height - 28)]; })()`)
				for part := range 12 {
					at := float64(part) / 11
					tab.Do(chromedp.MouseEvent("mouseMoved", edge[0]+edge[2]*at, edge[1]+edge[3]*at))
					tab.Until(tab.Ctx, `document.querySelector('.peek:not([hidden])')`)
				}
				tab.Until(tab.Ctx, `document.querySelector('.peek img')?.naturalWidth > 0`)
				after := testkit.Eval[float64](tab, tab.Ctx, `document.querySelector('.here').getBoundingClientRect().x + document.querySelector('.here').getBoundingClientRect().y`)
				assert.Greater(t, max(after-before, before-after), 40.0, "the mark goes along")
				assert.Zero(t, shift(tab, tab.Ctx))
				tab.Do(chromedp.MouseEvent("mouseMoved", 300, 300))
			})
		}
	}
}
