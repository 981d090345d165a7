package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"

	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// Documents are found by the words of their texts, narrowed down, kept as a list, looked at
// by their covers, changed together and put back, by keyboard alone where that matters.
func TestFindingDocuments(t *testing.T) {
	h := testkit.Open(t)
	for _, file := range []string{"volunteer-handbook.pdf", "annual-report.pdf", "survey-form.pdf", "trail-map.pdf"} {
		d := h.Add(t, file)
		h.Measured(t, d.ID)
	}
	patience.Until(t, func() bool {
		var n int
		err := h.DB.Pool.QueryRow(t.Context(), "SELECT count(*) FROM edition_words").Scan(&n)
		return err == nil && n == 4
	})
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	titles := func() string {
		return testkit.Eval[string](tab, tab.Ctx, `[...document.querySelectorAll('#rows .dtitle')].map((d) => d.textContent).join(', ')`)
	}
	// The shortcut leads to the field; what is found says where.
	tab.Do(chromedp.KeyEvent("/"))
	focusOn(t, tab, "#find")
	tab.Do(chromedp.SendKeys("#find", "curlews"+kb.Enter))
	tab.Until(tab.Ctx, `document.querySelectorAll('.quoted mark').length >= 2`)
	assert.NotContains(t, titles(), "Trail map")
	tab.Accessible(tab.Ctx, "documents that were found")
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.keepit summary').click(), true)`)
	tab.Do(chromedp.SendKeys("#viewname", "Curlews"+kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('.keptone a')?.textContent === 'Curlews'`)
	tab.Do(chromedp.Navigate(h.URL + "/documents"))
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows tr[data-id]').length === 4 && !document.querySelector('.dropping').hasAttribute('x-cloak')`)

	// Chosen by keyboard, put into a category, and taken out again.
	tab.Do(chromedp.Focus(`#rows tbody tr:nth-child(1) input[type=checkbox]`), chromedp.KeyEvent(" "),
		chromedp.Focus(`#rows tbody tr:nth-child(2) input[type=checkbox]`), chromedp.KeyEvent(" "))
	tab.Until(tab.Ctx, `document.querySelector('.together strong').textContent === '2 documents chosen'`)
	tab.Accessible(tab.Ctx, "documents that are chosen")
	tab.Do(chromedp.SendKeys("#putcategory", "Visiting"+kb.Enter))
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows .cats').length === 2`)
	tab.Expect("422") // what has to be fixed is asked about
	focusOn(t, tab, "#undo")
	tab.Do(chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `!document.querySelector('#rows .cats') && document.querySelector('.toastline').textContent.includes('Undone')`)
	// A third one with the shift key takes those between along.
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#rows tbody tr:nth-child(4) input').dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true })), true)`)
	tab.Until(tab.Ctx, `document.querySelector('.together strong').textContent === '4 documents chosen' && document.querySelector('[data-every]').checked`)
	testkit.Eval[bool](tab, tab.Ctx, `([...document.querySelectorAll('.together button')].find((b) => b.textContent === 'Publish').click(), true)`)
	tab.Until(tab.Ctx, `document.querySelector('.toastline').textContent.includes('4 documents stayed as they were') && document.querySelectorAll('.toastline li').length === 4`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('withstarter').value = 'report', document.getElementById('withstarter').form.requestSubmit(), true)`)
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows a[href^="/placements/"]').length === 4`)
	testkit.Eval[bool](tab, tab.Ctx, `([...document.querySelectorAll('.together button')].find((b) => b.textContent === 'Publish').click(), true)`)
	tab.Until(tab.Ctx, `document.getElementById('musts').open`)
	pressed(tab, "#anyway")
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows .ok').length === 4`)
	tab.Do(chromedp.Click("#removechosen"))
	tab.Until(tab.Ctx, `document.querySelector('.empty')`)
	tab.Do(chromedp.Click("#undo"))
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows .ok').length === 4`)

	// A filter holds at once; covers show the same.
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const s = document.querySelector('[name=stands]'); s.value = 'nowhere'; s.dispatchEvent(new Event('change', { bubbles: true })); return true; })()`)
	tab.Until(tab.Ctx, `location.search.includes('stands=nowhere') && document.querySelector('.empty')?.textContent.includes('No document is like that')`)
	tab.Do(chromedp.Navigate(h.URL + "/documents?look=covers"))
	tab.Until(tab.Ctx, `document.querySelectorAll('.shelf li').length === 4`)
	tab.Accessible(tab.Ctx, "covers")
	for _, screen := range [][2]string{{"/care", `document.querySelector('.caregroup')`}, {"/documents/removed", `document.querySelector('.empty')`},
		{"/documents/1/said", `document.querySelector('.mendform')`}} {
		tab.Do(chromedp.Navigate(h.URL + screen[0]))
		tab.Until(tab.Ctx, screen[1])
		tab.Accessible(tab.Ctx, screen[0])
	}
	// What is said of a document is kept, and why it is not.
	tab.Expect("422")
	tab.Expect("Failed to load resource")
	tab.Do(chromedp.SendKeys("#description", "How volunteers count waders."), chromedp.SendKeys("#language", "gibberish!"+kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('.said.must')?.textContent.includes('no language tag')`)
	assert.Equal(t, "How volunteers count waders.", testkit.Eval[string](tab, tab.Ctx, `document.getElementById('description').value`), "what was typed stays")
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('language').value = '', document.querySelector('.mendform').requestSubmit(), true)`)
	tab.Until(tab.Ctx, `document.querySelector('.ok[role=status]')?.textContent === 'Kept.' && document.getElementById('description').value.includes('waders')`)
}
