package e2e

import (
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/webpage"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// Scheduled publication and withdrawal, history, comparison, and the way back.
func TestPlansAndHistory(t *testing.T) {
	h, tab, id := started(t)
	tab.Do(chromedp.Click(`#rows .text`), chromedp.Click(`#text`), chromedp.SendKeys(`#text`, "First words."))
	tab.Until(tab.Ctx, `document.querySelector('#rows .text')?.textContent.includes('First words')`)
	tab.Do(chromedp.Click(`#publish`))
	tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').textContent === 'Readers see this'`)
	served := func() string {
		_, body, _ := h.Visitor(t).Get("/pages/tides")
		return body
	}
	require.Contains(t, served(), "First words.")

	tab.Do(chromedp.Click(`#text`), chromedp.SendKeys(`#text`, " Second words."))
	tab.Until(tab.Ctx, `document.querySelector('#rows .text')?.textContent.includes('Second words')`)
	plan := func(from, until string) {
		tab.Do(chromedp.Click(`#schedule`))
		tab.Until(tab.Ctx, `document.getElementById('plan').open`)
		choose(tab, "from", from)
		choose(tab, "until", until)
		tab.Do(chromedp.Click(`#doplan`))
	}
	// Bad plans say why, and change nothing.
	tab.Expect("422")
	tab.Expect("/publish")
	plan("2020-01-01T10:00", "")
	tab.Until(tab.Ctx, `document.querySelector('#plan [role=alert]').textContent.includes('has passed')`)
	tab.Do(chromedp.Click(`#plan .btn-quiet`))
	tomorrow := time.Now().Add(24 * time.Hour).Format("2006-01-02T15:04")
	later := time.Now().Add(48 * time.Hour).Format("2006-01-02T15:04")
	plan(tomorrow, later)
	tab.Until(tab.Ctx, `!document.getElementById('plan').open && document.getElementById('dropplans').checkVisibility()`)
	assert.NotContains(t, served(), "Second words.", "not before its time")
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.getElementById('dropplans').previousElementSibling.textContent`),
		"Version 2 is published on")

	// Its time comes: the clock of the database's rows is put back instead.
	require.NoError(t, shiftTurns(t, h, id, 25*time.Hour))
	assert.Contains(t, served(), "Second words.")
	require.NoError(t, shiftTurns(t, h, id, 24*time.Hour))
	status, _, _ := h.Visitor(t).Get("/pages/tides")
	assert.Equal(t, http.StatusNotFound, status, "withdrawn as planned")

	// History: who and when, what differs, and back.
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/web-pages/%d/history?from=1&to=2", h.URL, id)))
	tab.Until(tab.Ctx, `document.querySelector('.difflines')`)
	text := testkit.Eval[string](tab, tab.Ctx, `document.querySelector('main').innerText`)
	assert.Contains(t, text, "Maren Oakes")
	assert.Equal(t, "First words. Second words.", testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.difflines ins').textContent`))
	assert.Equal(t, "First words.", testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.difflines del').textContent`))
	tab.Accessible(tab.Ctx, "history")
	tab.Do(chromedp.Click(`[data-version="1"]`))
	tab.Until(tab.Ctx, `document.querySelector('#rows .text')?.textContent.trim() === 'First words.'`)
	tab.Do(chromedp.Click(`#publish`))
	tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').textContent === 'Readers see this'`)
	assert.Contains(t, served(), "First words.")
	assert.NotContains(t, served(), "Second words.")
	tab.Do(chromedp.Click(`#undo`))
	tab.Until(tab.Ctx, `document.querySelector('#rows .text')?.textContent.includes('Second words')`)

	// Another address: the earlier one leads there.
	choose(tab, "path", "tide-times")
	tab.Until(tab.Ctx, `document.querySelector('.what a[target]').textContent.endsWith('/pages/tide-times')`)
	status, _, header := h.Visitor(t).Get("/pages/tide-times")
	require.Equal(t, http.StatusOK, status)
	answer, err := (&http.Client{CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	}}).Get(h.URL + "/pages/tides")
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, "/pages/tide-times", answer.Header.Get("Location"))
	// Served at once and never stale: named by its content.
	q, err := http.NewRequestWithContext(t.Context(), http.MethodGet, h.URL+"/pages/tide-times", nil)
	require.NoError(t, err)
	q.Header.Set("If-None-Match", header.Get("ETag"))
	again, err := http.DefaultClient.Do(q)
	require.NoError(t, err)
	again.Body.Close()
	assert.Equal(t, http.StatusNotModified, again.StatusCode)
	assert.Contains(t, header.Get("Cache-Control"), "no-cache")
}

// shiftTurns has what was planned come about earlier.
func shiftTurns(t *testing.T, h *testkit.House, id int64, by time.Duration) error {
	t.Helper()
	before, _ := h.DB.Count()
	_, err := h.DB.Pool.Exec(t.Context(), "UPDATE web_page_turns SET due = due - make_interval(secs => $2) WHERE web_page_id = $1",
		id, by.Seconds())
	// The server hears of it as of what another server changes.
	patience.Until(t, func() bool { now, _ := h.DB.Count(); return now != before })
	return err
}

// A plan and the way back by the keyboard alone; and the screens around pages
// are clean to axe-core.
func TestPlansByKeyboard(t *testing.T) {
	h, tab, id := started(t)
	key, focused := byKeys(t, tab)
	draft, err := h.Publishing.WebPageDraft(t.Context(), id)
	require.NoError(t, err)
	require.NoError(t, h.Publishing.PublishWebPage(t.Context(), id, draft.Revision, "Maren Oakes", webpage.Plan{}))
	onStage(h, tab, id)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.skip').focus(), true)`)
	focused(`#schedule`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.getElementById('plan').open`)
	focused(`#from`)
	key("12", "01", "2030", kb.Tab, "09", "30", "AM")
	tab.Until(tab.Ctx, `document.getElementById('from').value === '2030-12-01T09:30'`)
	focused(`#doplan`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `!document.getElementById('plan').open && document.getElementById('dropplans').checkVisibility()`)
	turns, err := h.Publishing.Turns(t.Context(), id)
	require.NoError(t, err)
	assert.Len(t, webpage.Planned(turns, time.Now()), 1)

	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/web-pages/%d/history", h.URL, id)))
	tab.Until(tab.Ctx, `document.querySelector('[data-version="1"]')`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.skip').focus(), true)`)
	focused(`[data-version="1"]`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.querySelector('#rows [data-block]')`)

	for _, screen := range []string{"/web-pages", "/collections", "/signing-keys"} {
		tab.Do(chromedp.Navigate(h.URL + screen))
		tab.Until(tab.Ctx, `document.querySelector('h1') && document.fonts.status === 'loaded'`)
		tab.Accessible(tab.Ctx, screen)
	}
	tab.Do(chromedp.SendKeys(`#name`, "The portal"+kb.Enter))
	tab.Until(tab.Ctx, `document.getElementById('secret')?.value.length === 43`)
	tab.Accessible(tab.Ctx, "a new signing key")
}
