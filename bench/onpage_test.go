package bench

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/testkit"
	"incipit/internal/testkit/paper"
)

// BenchmarkTenViewers opens a page of another website with ten viewers far
// below, says what was loaded, and what is after scrolling to the first.
func BenchmarkTenViewers(b *testing.B) {
	h := testkit.Open(b)
	p, e := added(b, h, "register", paper.Register(10), true)
	code, err := embed.Choice{Way: embed.Element}.Written(setting.Default(),
		embed.Subject{Address: h.URL + "/r/" + p.Key, Title: "register", Pages: frame.PagesOf(e.AllSheets())})
	require.NoError(b, err)
	require.NoError(b, h.Pages.Save("visiting", `<div style="height:4000px">Visiting</div>`+strings.Repeat(code, 10)))
	for range b.N {
		tab := testkit.Browse(b, 1280, 800)
		tab.Do(chromedp.Navigate(h.Website + "/visiting"))
		tab.Until(tab.Ctx, `document.readyState === 'complete' && !!customElements.get('incipit-placement')`)
		// Frames of another site are counted, not looked into.
		loaded := `JSON.stringify([performance.getEntriesByType('resource').filter((r) => r.name.startsWith('` + h.URL +
			`')).reduce((sum, r) => sum + r.transferSize, 0), [...document.querySelectorAll('incipit-placement')].filter((e) => e.shadowRoot?.querySelector('iframe')).length])`
		before := testkit.Eval[string](tab, tab.Ctx, loaded)
		testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('incipit-placement').scrollIntoView(), true)`)
		tab.Until(tab.Ctx, `document.querySelector('incipit-placement').shadowRoot?.querySelector('iframe')`)
		fmt.Printf("\nten viewers far below: [bytes of ours that the page can see, frames] %s; after scrolling to the first %s\n", before,
			testkit.Eval[string](tab, tab.Ctx, loaded))
	}
}
