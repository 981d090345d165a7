package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"

	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// A browser that shows no images says what is missing and what still works: a reader
// is led to the text, an editor goes on setting.
func TestWithoutImages(t *testing.T) {
	t.Parallel() // it waits more than it works
	h := testkit.Open(t)
	p, e := h.Published(t, "volunteer-handbook.pdf", nil)
	h.Indexed(t, e.ID)
	tab := testkit.BrowseWithoutImages(t, 900, 700)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, `document.querySelector('#note-images[role=status] span')?.textContent.startsWith('Images are off in this browser')`)
	tab.Do(chromedp.Click(`#note-images .plain`))
	tab.Until(tab.Ctx, `document.querySelector('.flowing h2')?.checkVisibility()`)

	closed, _ := h.Published(t, "tide-table.pdf", func(s *setting.Settings) { s.TextView = setting.Closed })
	tab.Do(chromedp.Navigate(h.URL + "/r/" + closed.Key))
	tab.Until(tab.Ctx, `document.querySelector('#note-images span')`)
	assert.False(t, testkit.Eval[bool](tab, tab.Ctx, `Boolean(document.querySelector('#note-images .plain'))`),
		"what is closed is not offered")

	signIn(h, tab)
	tab.Do(chromedp.Navigate(h.URL + "/documents"))
	tab.Until(tab.Ctx, `document.getElementById('imagesOff')?.checkVisibility() && document.getElementById('imagesOff').textContent.includes('publishing work')`)

	// Where images are shown, nobody is told of it, however late they come.
	tab = testkit.Browse(t, 900, 700)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(h.URL + "/documents"))
	tab.Until(tab.Ctx, `document.getElementById('imagesOff') && performance.now() > 2500`)
	assert.False(t, testkit.Eval[bool](tab, tab.Ctx, `document.getElementById('imagesOff').checkVisibility()`))
}
