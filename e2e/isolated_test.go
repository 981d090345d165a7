package e2e

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/embed"
	"incipit/internal/testkit"
)

// A page that isolates itself (cross-origin embedder policy) shows documents as any
// other page does: in a frame, by the element, in a collection, and their covers.
func TestOnAnIsolatedPage(t *testing.T) {
	p := paste(t)
	c, err := p.Publishing.AddCollection(t.Context(), collection.Collection{Name: "Reports", Arrangement: collection.Chooser,
		Order: collection.ByHand, Height: 500, Items: []collection.Item{{Placement: 1}}})
	require.NoError(t, err)
	source := p.code(embed.Choice{Way: embed.Inline}) + p.code(embed.Choice{Way: embed.Element}) +
		fmt.Sprintf(`<iframe id="group" src="%s/c/%s" width="600" height="500"></iframe><img id="cover" src="%s/cover/1/480" alt="">`, p.URL,
			c.Key, p.address)
	page := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/" {
			w.WriteHeader(http.StatusNoContent)
			return
		}
		w.Header().Set("Content-Type", "text/html")
		w.Header().Set("Cross-Origin-Embedder-Policy", "require-corp")
		w.Header().Set("Cross-Origin-Opener-Policy", "same-origin")
		_, _ = w.Write([]byte("<!doctype html><title>Isolated</title>" + heard + source))
	}))
	t.Cleanup(page.Close)
	tab := testkit.Browse(t, 900, 2400)
	tab.Do(chromedp.Navigate(strings.Replace(page.URL, "127.0.0.1", "localhost", 1))) // another website
	tab.Until(tab.Ctx, `document.readyState === 'complete' && window.heard.some(([name]) => name === 'ready')`)
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `crossOriginIsolated`))
	tab.Until(tab.Ctx, `document.getElementById('cover').naturalWidth > 0`)
	tab.Until(tab.Frame(p.URL+"/r/"), `'ready' in document.body.dataset`)
	tab.Until(tab.Frame(p.URL+"/c/"), `document.getElementById('viewer')?.contentDocument?.body && 'ready' in document.getElementById('viewer').contentDocument.body.dataset`)
}
