package e2e

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/heapprofiler"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/memory"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
)

// A document of 1,300 pages is scrolled from end to end: the browser never holds
// more than a few pages of it, at the end no more than at the beginning.
func TestALongDocumentStaysLight(t *testing.T) {
	h := testkit.Open(t)
	_, e, err := h.Intake.Receive(t.Context(), "register.pdf", bytes.NewReader(paper.Register(1300)), 0)
	require.NoError(t, err)
	h.Examined(t, "Register")
	p, err := h.Placing.Place(t.Context(), e.DocumentID, placing.Start{})
	require.NoError(t, err)
	publish(t, h, p.ID)
	tab := testkit.Browse(t, 1000, 800)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	held := func() (nodes, heap float64) {
		t.Helper()
		_, err := chromedp.Call(tab.Ctx, heapprofiler.CollectGarbage, cdp.Empty{})
		require.NoError(t, err)
		c, err := chromedp.Call(tab.Ctx, memory.GetDOMCounters, cdp.Empty{})
		require.NoError(t, err)
		return float64(c.Nodes), testkit.Eval[float64](tab, tab.Ctx, `performance.memory.usedJSHeapSize / 1e6`)
	}
	first, most, early := 0.0, 0.0, 0.0
	const stops = 9
	for stop := range stops + 1 {
		page := max(1, 1300*stop/stops)
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(async () => {
			const pages = document.getElementById('pages');
			const to = (pages.scrollHeight - pages.clientHeight) * %g;
			const from = pages.scrollTop;
			for (let i = 1; i <= 12; i++) { pages.scrollTop = from + (to - from) * i / 12; await new Promise(requestAnimationFrame); }
			return true; })()`, float64(stop)/stops))
		tab.Until(tab.Ctx, fmt.Sprintf(`(() => { const n = Number(document.getElementById('number').value); const s = document.getElementById('p' + n); return Math.abs(n - %d) < 4 && s.querySelector(':scope > img')?.naturalWidth > 0 && s.querySelector('.layer[data-whole]'); })()`, page))
		nodes, heap := held()
		if most = max(most, nodes); stop == 2 {
			first, early = nodes, heap
		}
		if stop == stops {
			t.Logf("nodes: %.0f at a fifth of the way, %.0f at most, %.0f at the end; heap %.1f MB, then %.1f MB", first, most, nodes, early, heap)
			assert.Less(t, most, 6000.0)
			assert.Less(t, heap, early+4, "MB of heap")
		}
	}
}

// A server that is away is waited for, and reading goes on when it is back; a
// newer edition is offered, not forced.
func TestTheServerGoesAwayAndComesBack(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "volunteer-handbook.pdf")
	publish(t, h, p.ID)
	var away atomic.Bool
	line := through(t, h, func(w http.ResponseWriter, _ *http.Request) bool {
		gone := away.Load()
		if gone {
			w.WriteHeader(http.StatusBadGateway)
		}
		return gone
	})
	tab := testkit.Browse(t, 900, 700)
	tab.Do(chromedp.Navigate(line + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	for _, expected := range []string{"/page/", "/layer/", "/edition", "502"} {
		tab.Expect(expected)
	}
	away.Store(true)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const e = document.getElementById('number'); e.value = 30; e.dispatchEvent(new Event('change')); return true; })()`)
	tab.Until(tab.Ctx, `document.querySelector('#p30.missing .retry') && document.getElementById('note-away')?.textContent.includes('reading goes on')`)
	away.Store(false)
	tab.Until(tab.Ctx, `!document.getElementById('note-away') && document.querySelector('#p30 > img')?.naturalWidth > 0 && !document.querySelector('#p30.missing')`)
	assert.Equal(t, "30", testkit.Eval[string](tab, tab.Ctx, `document.getElementById('number').value`), "the place is kept")

	// Another edition is published meanwhile.
	other := h.Add(t, "survey-paper.pdf")
	e, err := h.Library.CurrentEdition(t.Context(), other.ID)
	require.NoError(t, err)
	require.NotEqual(t, d.ID, other.ID)
	a, err := h.People.AccountByEmail(t.Context(), "maren@harrowmere.example")
	require.NoError(t, err)
	require.NoError(t, h.Placing.Publish(t.Context(), p.ID, e.ID, a.ID, setting.Default()))
	testkit.Eval[bool](tab, tab.Ctx, `(document.dispatchEvent(new Event('visibilitychange')), true)`)
	tab.Until(tab.Ctx, `document.getElementById('note-newer')?.textContent.includes('newer edition')`)
	assert.Equal(t, 52.0, testkit.Eval[float64](tab, tab.Ctx, `document.querySelectorAll('.sheet').length`), "it is not forced")
	tab.Do(chromedp.Click(`#note-newer .plain`))
	tab.Until(tab.Ctx, `document.querySelectorAll('.sheet').length === 2`)
}

// A part of the script that does not arrive is asked for again, and nothing is thrown.
func TestAPartOfTheScriptComesLate(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "leaflet-welcome.pdf")
	publish(t, h, p.ID)
	var asked atomic.Int32
	line := through(t, h, func(w http.ResponseWriter, r *http.Request) bool {
		if !strings.HasSuffix(r.URL.Path, "/reader/take.js") || asked.Add(1) > 1 {
			return false
		}
		w.WriteHeader(http.StatusBadGateway)
		return true
	})
	tab := testkit.Browse(t, 900, 700)
	for _, expected := range []string{"take.js", "502"} {
		tab.Expect(expected)
	}
	tab.Do(chromedp.Navigate(line + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	tab.Until(tab.Ctx, `performance.getEntriesByType('resource').filter((e) => e.name.endsWith('take.js') && e.responseStatus === 200).length === 1`)
	assert.Equal(t, int32(2), asked.Load())
}

// Zooming keeps what is under the pointer; beyond the widest image there are
// tiles; two fingers do the same.
func TestZoomingKeepsItsPoint(t *testing.T) {
	_, _, tab := opened(t, "annual-report.pdf", 1000, 800, func(s *setting.Settings) { s.Tools = toolbar.Set{toolbar.Zoom, toolbar.Number} })
	point := `(() => { const b = document.getElementById('p1').getBoundingClientRect(); return [(600 - b.left) / b.width, (400 - b.top) / b.height]; })()`
	before := testkit.Eval[[]float64](tab, tab.Ctx, point)
	wheel := input.DispatchMouseEventParams{Type: "mouseWheel", X: 600, Y: 400, DeltaY: -90, DeltaX: 0.01, Modifiers: 2}
	size := testkit.Eval[string](tab, tab.Ctx, `document.getElementById('zoom').textContent`)
	for range 3 {
		_, err := chromedp.Call(tab.Ctx, input.DispatchMouseEvent, wheel)
		require.NoError(t, err)
	}
	tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('zoom').textContent !== %q && parseInt(document.getElementById('zoom').textContent) > parseInt(%q) + 20`, size, size))
	after := testkit.Eval[[]float64](tab, tab.Ctx, point)
	assert.InDelta(t, before[0], after[0], 0.01, "the point under the pointer")
	assert.InDelta(t, before[1], after[1], 0.01)

	touch := func(kind input.DispatchTouchEventType, apart float64) {
		points := []*input.TouchPoint{}
		if kind != input.DispatchTouchEventTypeTouchEnd {
			points = append(points, &input.TouchPoint{X: 600 - apart, Y: 400}, &input.TouchPoint{X: 600 + apart, Y: 400})
		}
		_, err := chromedp.Call(tab.Ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: points})
		require.NoError(t, err)
		testkit.Eval[bool](tab, tab.Ctx, `new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(() => r(true))))`)
	}
	wide := testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('p1').offsetWidth`)
	touch(input.DispatchTouchEventTypeTouchStart, 50)
	touch(input.DispatchTouchEventTypeTouchMove, 75)
	touch(input.DispatchTouchEventTypeTouchMove, 100)
	touch(input.DispatchTouchEventTypeTouchEnd, 0)
	assert.InDelta(t, 2, testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('p1').offsetWidth`)/wide, 0.05,
		"twice as far apart, twice as large")

	for range 20 {
		tab.Do(chromedp.KeyEvent("+"))
	}
	tab.Until(tab.Ctx, `document.getElementById('zoom').textContent === '640 %' && document.querySelectorAll('.tiled img').length > 1 && [...document.querySelectorAll('.tiled img')].every((i) => i.naturalWidth > 0)`)
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `[...document.querySelectorAll('.tiled img')].every((i) => i.naturalWidth >= i.getBoundingClientRect().width * devicePixelRatio - 2)`), "tiles are as fine as the screen")
	tab.Do(chromedp.KeyEvent("0"))
	tab.Until(tab.Ctx, `!document.querySelector('.tiled')`)
}

// Two taps make the column under the finger as wide as the frame, two more go back;
// two fingers make the pages larger, and never the page around them.
func TestTapsAndFingers(t *testing.T) {
	_, _, tab := opened(t, "survey-paper.pdf", 390, 844, nil)
	_, err := chromedp.Call(tab.Ctx, emulation.SetTouchEmulationEnabled, emulation.SetTouchEmulationEnabledParams{Enabled: true})
	require.NoError(t, err)
	tab.Until(tab.Ctx, `document.querySelectorAll('#p1 .layer[data-whole] text').length > 40`)
	at := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const t = [...document.querySelectorAll('#p1 .layer text')].find((t) => t.textContent.startsWith('A roost count')); const b = t.getBoundingClientRect(); return [b.left + b.width / 2, b.top + b.height / 2, b.width]; })()`)
	taps := func(x, y float64) {
		for range 2 {
			for _, kind := range []input.DispatchTouchEventType{input.DispatchTouchEventTypeTouchStart, input.DispatchTouchEventTypeTouchEnd} {
				points := []*input.TouchPoint{{X: x, Y: y}}
				if kind == input.DispatchTouchEventTypeTouchEnd {
					points = []*input.TouchPoint{}
				}
				_, err := chromedp.Call(tab.Ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: points})
				require.NoError(t, err)
			}
		}
	}
	before := testkit.Eval[string](tab, tab.Ctx, `document.getElementById('zoom').textContent`)
	taps(at[0], at[1])
	tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('zoom').textContent !== %q`, before))
	tab.Until(tab.Ctx, `[...document.querySelectorAll('#p1 .layer[data-whole] text')].some((t) => t.textContent.startsWith('A roost count'))`)
	column := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const t = [...document.querySelectorAll('#p1 .layer text')].find((t) => t.textContent.startsWith('A roost count')); const b = t.getBoundingClientRect(); const r = document.getElementById('pages').getBoundingClientRect(); return [b.left - r.left, b.right - r.left, r.width]; })()`)
	assert.True(t, column[0] >= 0 && column[1] <= column[2] && column[1]-column[0] > 0.7*column[2], "the column fills the frame: %v", column)
	taps(at[0], at[1])
	tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('zoom').textContent === %q`, before))
	fingers := func(kind input.DispatchTouchEventType, apart float64) {
		points := []*input.TouchPoint{}
		if apart > 0 {
			points = append(points, &input.TouchPoint{X: 200 - apart, Y: 400}, &input.TouchPoint{X: 200 + apart, Y: 400})
		}
		_, err := chromedp.Call(tab.Ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: points})
		require.NoError(t, err)
		testkit.Eval[bool](tab, tab.Ctx, `new Promise((r) => requestAnimationFrame(() => requestAnimationFrame(() => r(true))))`)
	}
	fingers(input.DispatchTouchEventTypeTouchStart, 40)
	fingers(input.DispatchTouchEventTypeTouchMove, 60)
	fingers(input.DispatchTouchEventTypeTouchMove, 90)
	fingers(input.DispatchTouchEventTypeTouchEnd, 0)
	tab.Until(tab.Ctx, fmt.Sprintf(`parseInt(document.getElementById('zoom').textContent) > 1.8 * parseInt(%q)`, before))
	assert.InDelta(t, 1, testkit.Eval[float64](tab, tab.Ctx, `visualViewport.scale`), 0, "the page itself keeps its size")
}
