package e2e

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

// focusOn waits until something has the focus.
func focusOn(t *testing.T, tab *testkit.Tab, selector string) {
	t.Helper()
	tab.Until(tab.Ctx, fmt.Sprintf(`document.activeElement.matches(%q)`, selector))
}

// What takes the thing away that had the focus gives it to what is next at hand: on the
// list of documents, by keyboard, renaming, giving that up, removing, taking that back,
// and examining again.
func TestTheFocusStaysInTheList(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "trail-map.pdf")
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	h.Measured(t, d.ID)
	tab.Until(tab.Ctx, `document.querySelector('.docs')?.dataset.reading === 'false'`)
	rename, remove := fmt.Sprintf(`[data-rename="%d"]`, d.ID), fmt.Sprintf(`[data-remove="%d"]`, d.ID)
	for range 2 { // a title that is given up is there again, whatever was drawn before
		tab.Do(chromedp.Focus(rename), chromedp.KeyEvent(kb.Enter))
		focusOn(t, tab, ".retitle")
		tab.Do(chromedp.KeyEvent(kb.Escape))
		focusOn(t, tab, rename)
		assert.Equal(t, "Trail map", testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.docs .dtitle').textContent`))
	}
	tab.Do(chromedp.KeyEvent(kb.Enter))
	focusOn(t, tab, ".retitle")
	tab.Do(chromedp.KeyEvent("a", ctrl), chromedp.SendKeys(".retitle", "Paths"+kb.Enter))
	tab.Until(tab.Ctx, `document.querySelector('.docs .dtitle')?.textContent === 'Paths'`)
	focusOn(t, tab, rename)
	tab.Do(chromedp.Focus(remove), chromedp.KeyEvent(kb.Enter))
	focusOn(t, tab, "#undo")
	tab.Do(chromedp.KeyEvent(kb.Enter))
	focusOn(t, tab, remove)
	tab.Do(chromedp.KeyEvent(kb.Enter))
	focusOn(t, tab, "#undo")
	tab.Do(chromedp.KeyEvent(kb.Tab))
	tab.Do(chromedp.KeyEvent(kb.Enter)) // close
	tab.Until(tab.Ctx, `document.querySelector('.empty')`)
	focusOn(t, tab, "#file")

	_, e, err := h.Intake.Receive(t.Context(), "broken.pdf", bytes.NewReader(hostile.ManyPages(3)), 0)
	require.NoError(t, err)
	h.Measured(t, e.DocumentID) // nothing is written of it any more
	_, err = h.DB.Pool.Exec(t.Context(), "UPDATE editions SET state = 'failed', problem_message = 'It could not be read.' WHERE id = $1", e.ID)
	require.NoError(t, err)
	tab.Do(chromedp.Reload())
	tab.Until(tab.Ctx, `document.querySelector('.docs .said.must')`)
	tab.Do(chromedp.Focus(".acts form .btn"), chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `!document.querySelector('.docs .said.must') && document.querySelector('.docs')?.dataset.reading === 'false'`)
	assert.NotEqual(t, "", testkit.Eval[string](tab, tab.Ctx, `document.title`))
}

// Single letters do something only where that is wanted (WCAG 2.2, 2.1.4): both the
// reader and the bench have a switch beside the list of their keys.
func TestSingleLettersCanBeSwitchedOff(t *testing.T) {
	h := testkit.Open(t)
	p, e := h.Published(t, "volunteer-handbook.pdf", func(s *setting.Settings) { s.Tools = toolbar.All() })
	h.Indexed(t, e.ID)
	tab := testkit.Browse(t, 1000, 700)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	open := `document.getElementById('contents')?.checkVisibility() === true`
	tab.Do(chromedp.KeyEvent("c"))
	tab.Until(tab.Ctx, open)
	tab.Do(chromedp.KeyEvent(kb.Escape))
	tab.Until(tab.Ctx, "!("+open+")")
	tab.Do(chromedp.KeyEvent("?"))
	tab.Until(tab.Ctx, `document.querySelector('dialog.keys')?.open`)
	tab.Do(chromedp.Click("dialog.keys .option input"), chromedp.KeyEvent(kb.Escape))
	tab.Until(tab.Ctx, `!document.querySelector('dialog.keys')`)
	tab.Do(chromedp.KeyEvent("c"), chromedp.KeyEvent("?")) // the second follows the first
	tab.Until(tab.Ctx, `document.querySelector('dialog.keys')?.open`)
	assert.False(t, testkit.Eval[bool](tab, tab.Ctx, open))

	onBench(t, h, tab, "trail-map.pdf")
	tab.Do(chromedp.Focus("#embedding"), chromedp.KeyEvent("a"))
	tab.Until(tab.Ctx, `document.getElementById('screens').ariaPressed === 'true'`)
	tab.Do(chromedp.KeyEvent("a"))
	tab.Until(tab.Ctx, `document.getElementById('screens').ariaPressed === 'false'`)
	tab.Do(chromedp.KeyEvent("?"))
	tab.Until(tab.Ctx, `document.getElementById('keys').open`)
	tab.Do(chromedp.Click("#letters"), chromedp.KeyEvent(kb.Escape))
	tab.Until(tab.Ctx, `!document.getElementById('keys').open`)
	tab.Do(chromedp.Focus("#embedding"), chromedp.KeyEvent("a"), chromedp.KeyEvent("?"))
	tab.Until(tab.Ctx, `document.getElementById('keys').open`)
	assert.Equal(t, "false", testkit.Eval[string](tab, tab.Ctx, `document.getElementById('screens').ariaPressed`))
}

// Without scripts and without cookies the desk says what is missing and what works.
func TestTheDeskWithoutScriptsOrCookies(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.BrowseWithoutScript(t, 1000, 700)
	tab.Do(chromedp.Navigate(h.URL + "/sign-in"))
	text, err := chromedp.Run(tab.Ctx, chromedp.Text("body"))
	require.NoError(t, err)
	assert.Contains(t, text, "Sign in")
	c := h.Editor(t)
	_, body, _ := c.Get("/documents")
	assert.Contains(t, body, "Scripts are off in this browser. Files can still be added and pages checked")
	// A browser that keeps no cookies cannot be told from a foreign page.
	r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, h.URL+"/sign-in",
		strings.NewReader(url.Values{"email": {demo.Email}, "password": {demo.Password}, "csrf": {"of the form"}}.Encode()))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	said, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	assert.Equal(t, http.StatusForbidden, answer.StatusCode)
	assert.Contains(t, string(said), "Allow cookies for this address")
}

// Whoever picks a page from the overview goes on from that page; whoever leaves it goes
// on from its button.
func TestTheFocusGoesFromTheOverviewToItsPage(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "volunteer-handbook.pdf", func(s *setting.Settings) { s.Tools = toolbar.All() })
	tab := testkit.Browse(t, 1000, 700)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	tab.Do(chromedp.Focus(`[data-do=overview]`), chromedp.KeyEvent(kb.Enter))
	focusOn(t, tab, `.small[data-small="1"]`)
	tab.Do(chromedp.KeyEvent(kb.Escape))
	focusOn(t, tab, `[data-do=overview]`)
	tab.Do(chromedp.KeyEvent(kb.Enter))
	focusOn(t, tab, `.small[data-small="1"]`)
	tab.Do(chromedp.KeyEvent(kb.ArrowDown))
	picked := testkit.Eval[string](tab, tab.Ctx, `document.activeElement.dataset.small`)
	assert.NotEqual(t, "1", picked)
	tab.Do(chromedp.KeyEvent(kb.Enter))
	focusOn(t, tab, "#p"+picked)
	tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('number').value === '%s'`, picked))
}
