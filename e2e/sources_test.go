package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/testkit"
)

// A file comes from another website and is followed; a changed one waits for its time, all
// by keyboard.
func TestADocumentFromAnotherWebsite(t *testing.T) {
	h := testkit.Open(t)
	h.Pages.Files.Pause = 100 * time.Millisecond
	for name, pdf := range map[string]string{"welcome.pdf": "leaflet-welcome.pdf", "tide tables.pdf": "tide-table.pdf"} {
		b, err := demo.PDF(pdf)
		require.NoError(t, err)
		h.Pages.Files.Put(name, b)
	}
	tab := testkit.Browse(t, 1280, 900)
	signIn(h, tab)
	tab.Do(chromedp.Click(`a[href="/documents/from"]`))
	tab.Until(tab.Ctx, `document.getElementById('address')`)
	tab.Do(chromedp.SendKeys("#address", h.Website+"/files/page/welcome.pdf"+kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('#coming .must')?.textContent.includes('not a PDF')`)
	tab.Do(chromedp.SendKeys("#address", h.Website+"/files/slow/tide%20tables.pdf"), chromedp.SendKeys("#hours", "Look every day"+kb.Enter), chromedp.Click(".mendform button"))
	tab.Until(tab.Ctx, `document.querySelector('#coming progress')?.value > 0`)
	tab.Accessible(tab.Ctx, "files from other websites")
	tab.Until(tab.Ctx, `document.querySelector('#coming .ok')`)
	tab.Do(chromedp.Click("#coming .ok + a"))
	tab.Until(tab.Ctx, `document.querySelector('#from')?.innerText.includes('looked at every day')`)
	tab.Until(tab.Ctx, `document.querySelector('main').dataset.reading !== 'true'`)

	// It changes: a new edition waits.
	b, err := demo.PDF("spring-notes.pdf")
	require.NoError(t, err)
	h.Pages.Files.Put("tide tables.pdf", b)
	tab.Do(chromedp.Click(`form[action$="/look"] button`))
	tab.Until(tab.Ctx, `document.querySelectorAll('.editions tbody tr').length === 2 && !document.querySelector('.editions .state')`)
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `document.querySelector('.editions').innerText.includes('have not seen it')`))
	tab.Accessible(tab.Ctx, "a document that follows an address")
	tab.Do(chromedp.Click(`.editions a.btn`))
	tab.Until(tab.Ctx, `document.querySelector('.outcome') && document.getElementById('at')`)
	tab.Accessible(tab.Ctx, "an edition that waits")
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('at').value = '2027-01-04T08:30', document.querySelector('.later').requestSubmit(), true)`)
	tab.Until(tab.Ctx, `document.querySelector('.later time')?.textContent.includes('4 January 2027 at 08:30')`)
	tab.Do(chromedp.Click(`.later button`))
	tab.Until(tab.Ctx, `document.getElementById('at')`)
}
