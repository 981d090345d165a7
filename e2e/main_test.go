// Package e2e drives the whole product in a real browser.
package e2e

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// signIn signs the demo's editor in through the form.
func signIn(h *testkit.House, tab *testkit.Tab) {
	tab.Do(chromedp.Navigate(h.URL+"/"),
		chromedp.SendKeys("#email", demo.Email), chromedp.SendKeys("#password", demo.Password), chromedp.Click(".btn-primary"))
	// The screen is whole once its script has run: what was looked up before may be gone.
	tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'Documents' && document.readyState === 'complete' && !document.querySelector('.dropping').hasAttribute('x-cloak')`)
}

// placed adds a demo document and sets it on a page, as yet unpublished.
func placed(t *testing.T, h *testkit.House, file string) (library.Listed, placing.Placement) {
	t.Helper()
	d := h.Add(t, file)
	require.Equal(t, library.Ready, d.State, d.ProblemMessage)
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	return d, p
}

// publish publishes a placement as its draft stands.
func publish(t *testing.T, h *testkit.House, id int64) {
	t.Helper()
	p, err := h.Placing.Placement(t.Context(), id)
	require.NoError(t, err)
	house, err := h.Placing.House(t.Context())
	require.NoError(t, err)
	status, body, _ := h.Editor(t).Send("POST", fmt.Sprintf("/placements/%d/publish?anyway=1", id), "application/json",
		fmt.Sprintf(`{"revision":%d,"house":%d}`, p.Step, house.Revision))
	require.Equal(t, 200, status, body)
}

// readerReady waits until the reader's script has started and its first image
// has arrived.
const readerReady = `'ready' in document.body.dataset && [...document.querySelectorAll('.sheet img')].some((i) => i.complete && i.naturalWidth > 0)`

// painted waits until the images of a document that are in view have not just
// arrived but been drawn.
func painted(tab *testkit.Tab, ctx context.Context, document string) {
	testkit.Eval[bool](tab, ctx, `(async () => { const d = `+document+`; const near = [...d.images].filter((i) => { if (!i.currentSrc) return false; // lazy, and not asked for
		 const b = i.getBoundingClientRect(); return b.bottom > 0 && b.top < d.defaultView.innerHeight && b.right > 0 && b.left < d.defaultView.innerWidth; });
		await Promise.all(near.map((i) => i.decode())); for (let i = 0; i < 3; i++) await new Promise(requestAnimationFrame); return true; })()`)
}

// wheel turns the mouse wheel by pixels.
func wheel(by float64) chromedp.MouseOption {
	// A zero is left out of the message, and the browser wants both.
	return func(p *input.DispatchMouseEventParams) { p.DeltaX, p.DeltaY = 0.01, by }
}

// shift is the layout shift of a target so far, and what moved.
func shift(tab *testkit.Tab, ctx context.Context) float64 {
	type moved struct {
		Sum  float64
		What []string
	}
	m := testkit.Eval[moved](tab, ctx, `(async () => { const m = { Sum: 0, What: [] }; const add = (entries) => { for (const e of entries) if (!e.hadRecentInput) { m.Sum += e.value; for (const s of e.sources) m.What.push((s.node?.outerHTML ?? s.node?.textContent ?? '').slice(0, 80) + JSON.stringify([s.previousRect, s.currentRect])); } };
		const o = new PerformanceObserver((l) => add(l.getEntries())); o.observe({ type: 'layout-shift', buffered: true });
		for (let i = 0; i < 3; i++) await new Promise(requestAnimationFrame); add(o.takeRecords()); return m; })()`)
	if m.Sum > 0 {
		tab.Log("moved:\n%s", strings.Join(m.What, "\n"))
	}
	return m.Sum
}

// through is a line to the house that answers some requests itself, by what meets
// them; the address is its.
func through(t *testing.T, h *testkit.House, meets func(w http.ResponseWriter, r *http.Request) bool) string {
	t.Helper()
	house, err := url.Parse(h.URL)
	require.NoError(t, err)
	proxy := httputil.NewSingleHostReverseProxy(house)
	line := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !meets(w, r) {
			proxy.ServeHTTP(w, r)
		}
	}))
	t.Cleanup(line.Close)
	return line.URL
}
