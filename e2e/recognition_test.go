package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// A scan gets a text: what is wrong with it leads there, its progress is told, it can be
// stopped, and readers of the text view are told what they read.
func TestRecognisingAScan(t *testing.T) {
	eyes := &testkit.Eyes{Wait: make(chan struct{})}
	h := testkit.OpenReading(t, eyes)
	p, e := h.Published(t, "logbook-1953.pdf", nil)
	tab := testkit.Browse(t, 1280, 900)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(h.URL + "/documents/1"))
	tab.Until(tab.Ctx, `document.querySelector('.found a[href$="/recognition"]')`)
	// The list is kept current while more is found: the link is pressed as it is then.
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.found a[href$="/recognition"]').click(), true)`)
	tab.Until(tab.Ctx, `document.querySelector('.tongues') && document.readyState === 'complete'`)
	tab.Accessible(tab.Ctx, "recognising a text")
	assert.Equal(t, "English", testkit.Eval[string](tab, tab.Ctx, `[...document.querySelectorAll('[name=language]:checked')].map((c) => c.parentElement.textContent.trim()).join()`),
		"the document's own language is chosen")
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('main').innerText`), "Pages 1 to 12")

	// Without a language it says what is missing; what was chosen else stays.
	tab.Expect("422")
	tab.Expect("Failed to load resource")
	tab.Do(chromedp.Click("[name=language]:checked"), chromedp.Click("[name=at_once]"), chromedp.Click(".mendform button"))
	tab.Until(tab.Ctx, `document.querySelector('.said.must')?.textContent.includes('Choose the language') && !document.querySelector('[name=at_once]').checked && document.readyState === 'complete'`)
	tab.Do(chromedp.Focus("[name=language]"), chromedp.KeyEvent(" "), chromedp.Focus("[name=at_once]"), chromedp.KeyEvent(" "), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('#going progress')?.value === 0`)
	eyes.Wait <- struct{}{}
	tab.Until(tab.Ctx, `document.querySelector('#going progress')?.value === 1 && document.getElementById('going').innerText.includes('Page 1 of 12')`)
	tab.Accessible(tab.Ctx, "a text that is being recognised")
	tab.Do(chromedp.Click(`form[action$="/stop"] button`))
	tab.Until(tab.Ctx, `document.querySelector('.tongues') && !document.querySelector('#going p') && document.readyState === 'complete'`)
	close(eyes.Wait)
	tab.Do(chromedp.Focus("[name=at_once]"), chromedp.KeyEvent(kb.Enter))
	patience.Until(t, func() bool {
		r, err := h.Library.RecognitionOf(t.Context(), e.ID)
		return err == nil && r.Made == 2
	}, "twelve pages are pictured finely")
	tab.Until(tab.Ctx, `document.querySelector('#going .ok')?.textContent.includes('Edition 2')`)
	patience.Until(t, func() bool {
		require.NoError(t, h.Intake.GoLive(t.Context(), time.Now()))
		d, err := h.Library.Document(t.Context(), e.DocumentID)
		require.NoError(t, err)
		return d.Edition == 2
	})
	now, err := h.Library.CurrentEdition(t.Context(), e.DocumentID)
	require.NoError(t, err)
	h.Indexed(t, now.ID)
	tab.Do(chromedp.Navigate(h.URL + "/documents/1"))
	tab.Until(tab.Ctx, `document.querySelector('.editions').innerText.includes('the text of 12 pages recognised') && document.querySelector('.shape .found, .shape .ok')`)
	assert.NotContains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.shape').innerText`), "picture without text")

	reader := testkit.Browse(t, 390, 844)
	reader.Do(chromedp.Navigate(h.URL + "/r/" + p.Key + "/text"))
	reader.Until(reader.Ctx, `document.querySelector('#flow [role=note]')?.textContent.includes('pages 1–10')`)
	assert.Contains(t, testkit.Eval[string](reader, reader.Ctx, `document.getElementById('flow').innerText`), "Zwergstrandläufer rasten")
	reader.Accessible(reader.Ctx, "a text that was recognised")
}
