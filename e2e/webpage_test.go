package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/webpage"
	"incipit/internal/publishing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// started is a house with a published tide table and an empty web page on the
// stage.
func started(t *testing.T) (*testkit.House, *testkit.Tab, int64) {
	t.Helper()
	h := testkit.Open(t)
	_, p := placed(t, h, "tide-table.pdf")
	publish(t, h, p.ID)
	h.Measured(t, 1)
	w, err := h.Publishing.AddWebPage(t.Context(), "tides", webpage.New("Tides"), "Maren Oakes")
	require.NoError(t, err)
	tab := testkit.Browse(t, 1440, 900)
	signIn(h, tab)
	onStage(h, tab, w.ID)
	return h, tab, w.ID
}

func onStage(h *testkit.House, tab *testkit.Tab, id int64) {
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/web-pages/%d", h.URL, id)))
	tab.Until(tab.Ctx, `document.querySelector('#rows [data-block]')`)
}

// shaped gives what stands on the stage: kinds by column.
func shaped(tab *testkit.Tab) string {
	return testkit.Eval[string](tab, tab.Ctx, `[...document.querySelectorAll('#rows .pagerow')].map((r) => [...r.querySelectorAll('[data-column]')].map((c) => [...c.querySelectorAll('[data-block]')].map((b) => b.classList[1]).join(' ')).join('|')).join(' / ')`)
}

// pointer drags from one spot to another.
func pointer(t *testing.T, tab *testkit.Tab, from, to []float64) {
	t.Helper()
	at := func(kind input.DispatchMouseEventType, x, y float64) {
		_, err := chromedp.Call(tab.Ctx, input.DispatchMouseEvent,
			input.DispatchMouseEventParams{Type: kind, X: x, Y: y, Button: "left", Buttons: 1, ClickCount: 1})
		require.NoError(t, err)
	}
	at("mousePressed", from[0], from[1])
	at("mouseMoved", from[0]+4, from[1]+9)
	at("mouseMoved", (from[0]+to[0])/2, (from[1]+to[1])/2)
	at("mouseMoved", to[0], to[1])
	at("mouseReleased", to[0], to[1])
}

func choose(tab *testkit.Tab, id, value string) {
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const f = document.getElementById(%q); f.focus(); f.value = %q; return f.dispatchEvent(new Event('change')); })()`, id, value))
}

// From an empty page to a published one, by the pointer: a document is dropped
// where it belongs, the narrow third column says that nobody can read it there,
// the whole row is taken, its edge is pulled, and readers get what was proofed.
func TestAPageIsMade(t *testing.T) {
	h, tab, id := started(t)
	tab.Do(chromedp.Click(`#rows .text`), chromedp.Click(`#text`),
		chromedp.SendKeys(`#text`, "# When to come\n\nThe scrape is best **two hours** before high water."))
	tab.Until(tab.Ctx, `document.querySelector('#rows .text h2')?.textContent === 'When to come' && document.querySelector('#rows .text strong')`)
	tab.Do(chromedp.Click(`[data-split="1-1-1"]`))
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows .empty').length === 2`)

	pointer(t, tab, middle(tab, `[data-add=placement]`), middle(tab, `#rows [data-column="2"]`))
	tab.Until(tab.Ctx, `document.querySelector('#rows .placement')`)
	assert.Equal(t, "text||placement", shaped(tab))
	choose(tab, "doc", "1")
	tab.Until(tab.Ctx, `document.querySelector('#rows .held iframe')`)
	tab.Until(tab.Ctx, `document.querySelector('.gloss.must h3')?.textContent.includes('Body text lands')`)
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.gloss.must .fix button').textContent`),
		"Give it the whole row: 1080 px")
	// What the proof goes by is what the browser does, to a pixel.
	same := func(window float64) {
		t.Helper()
		found := testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const h = document.querySelector('#rows .held'); const c = h.closest('[data-column]'); return [h.offsetWidth, h.offsetHeight, c.offsetWidth]; })()`)
		status, body, _ := h.Editor(t).Get(fmt.Sprintf("/web-pages/%d/state?page=%v", id, window))
		require.Equal(t, http.StatusOK, status)
		var s struct {
			Frames map[string]struct {
				Box    struct{ Width, Height float64 }
				Screen struct{ Column float64 }
			}
		}
		require.NoError(t, json.Unmarshal([]byte(body), &s))
		require.Len(t, s.Frames, 1)
		for _, f := range s.Frames {
			assert.InDelta(t, f.Box.Width, found[0], 1)
			assert.InDelta(t, f.Box.Height, found[1], 1)
			assert.InDelta(t, f.Screen.Column, found[2], 1)
		}
	}
	same(1280)

	// Moved from column to column: the viewer is not loaded anew.
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#rows iframe').kept = true)`)
	tab.Until(tab.Ctx, `document.querySelector('#rows iframe').contentDocument?.body && 'ready' in document.querySelector('#rows iframe').contentDocument.body.dataset`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#rows iframe').contentWindow.kept = true)`)
	pointer(t, tab, middle(tab, `#rows .placement`), middle(tab, `#rows [data-column="1"]`))
	tab.Until(tab.Ctx, `document.querySelector('#rows [data-column="1"] .placement')`)
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `document.querySelector('#rows iframe').contentWindow.kept === true`))

	tab.Do(chromedp.Click(`.gloss.must .fix button`))
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows .pagerow').length === 2`)
	assert.Equal(t, "text|| / placement", shaped(tab))
	same(1280)

	// Pulled by its corner.
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('desk').scrollTo(0, 9999), true)`)
	before := testkit.Eval[float64](tab, tab.Ctx, `document.querySelector('#rows .held').offsetHeight`)
	at := middle(tab, `#grip-bottom`)
	pointer(t, tab, at, []float64{at[0], at[1] - 90})
	tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('#rows .held').offsetHeight < %v`, before-60))
	tab.Until(tab.Ctx, `document.getElementById('assize')?.checkVisibility()`)
	same(1280)
	tab.Do(chromedp.Click(`#assize`))
	tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('#rows .held').offsetHeight === %v`, before))

	// Any width: under 760 px columns stand below each other.
	choose(tab, "page", "700")
	tab.Until(tab.Ctx, `document.getElementById('webpage').style.width === '700px'`)
	tab.Until(tab.Ctx, `document.querySelector('#rows .held').offsetWidth === 652`)
	same(700)

	// What is written in two fields at once is kept of both.
	testkit.Eval[bool](tab, tab.Ctx, `(() => { for (const [id, words] of [['title', 'Tide times'], ['description', 'When the hides are dry.']]) { const f = document.getElementById(id); f.value = words; f.dispatchEvent(new Event('change')); } return true; })()`)
	tab.Until(tab.Ctx, `document.getElementById('description').value === 'When the hides are dry.' && document.body.dataset.step`)

	// Nothing is published until it is.
	status, _, _ := h.Visitor(t).Get("/pages/tides")
	assert.Equal(t, http.StatusNotFound, status)
	tab.Do(chromedp.Click(`#publish`))
	tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').textContent === 'Readers see this'`)
	reader := testkit.Browse(t, 1280, 800)
	reader.Do(chromedp.Navigate(h.URL + "/pages/tides"))
	reader.Until(reader.Ctx, `document.querySelector('.held iframe')?.contentDocument?.querySelector('.sheet img')?.naturalWidth > 0`)
	reader.Accessible(reader.Ctx, "a published page")
	assert.Zero(t, shift(reader, reader.Ctx))
	assert.Equal(t, "Tide times: When the hides are dry.", testkit.Eval[string](reader, reader.Ctx,
		`document.querySelector('h1').textContent + ': ' + document.querySelector('meta[name=description]').content`))
	assert.Zero(t, testkit.Eval[float64](reader, reader.Ctx, `document.scripts.length`),
		"a page without anything that opens over it runs no script")
	tab.Accessible(tab.Ctx, "a web page on the stage")
}

// byKeys works a screen by keys alone: types some, and goes by Tab to a control.
func byKeys(t *testing.T, tab *testkit.Tab) (key func(...string), focused func(string)) {
	t.Helper()
	key = func(keys ...string) {
		t.Helper()
		for _, k := range keys {
			tab.Do(chromedp.KeyEvent(k))
		}
	}
	focused = func(selector string) {
		t.Helper()
		for range 90 {
			if testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`document.activeElement?.matches(%q) ?? false`, selector)) {
				return
			}
			key(kb.Tab)
		}
		t.Fatalf("Tab does not reach %s", selector)
	}
	return key, focused
}

// The same by the keyboard alone: add, write, choose, move, pull, publish,
// withdraw.
func TestAPageByKeyboard(t *testing.T) {
	h, tab, id := started(t)
	key, focused := byKeys(t, tab)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.skip').focus(), true)`)
	focused(`#rows .text`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.activeElement.id === 'text'`)
	key("High water twice a day.")
	tab.Until(tab.Ctx, `document.querySelector('#rows .text')?.textContent.includes('High water twice')`)
	focused(`[data-split="1-1"]`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows [data-column]').length === 2`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#rows').querySelector('[data-block]').focus(), true)`)
	focused(`[data-add=placement]`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.activeElement.id === 'doc'`)
	key("T") // the tide table
	tab.Until(tab.Ctx, `document.querySelector('#rows .held iframe')`)
	assert.Equal(t, "text placement|", shaped(tab))

	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.skip').focus(), true)`)
	focused(`#grab`)
	key(kb.ArrowRight)
	tab.Until(tab.Ctx, `document.querySelector('#rows [data-column="1"] .placement')`)
	assert.Equal(t, "text|placement", shaped(tab))
	focused(`#grip-bottom`)
	was := testkit.Eval[float64](tab, tab.Ctx, `document.querySelector('#rows .held').offsetHeight`)
	for i := 1.0; i <= 2; i++ {
		key(kb.ArrowDown)
		tab.Until(tab.Ctx, fmt.Sprintf(`Math.abs(document.querySelector('#rows .held').offsetHeight - %v) <= 1`, was+10*i))
	}
	testkit.Eval[bool](tab, tab.Ctx, `(document.activeElement.blur(), document.querySelector('.skip').focus(), true)`)
	focused(`#publish`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').textContent === 'Readers see this'`)
	status, body, _ := h.Visitor(t).Get("/pages/tides")
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "High water twice a day.")

	// Undo, redo, and back from readers.
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('.skip').focus(), true)`)
	focused(`#undo`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').textContent.includes('1 change')`)
	assert.Equal(t, "changed Document “Tide and hide access table”",
		testkit.Eval[string](tab, tab.Ctx, `document.querySelector('dd.differs').textContent.trim()`), "what differs is in view")
	focused(`#redo`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').textContent === 'Readers see this'`)
	focused(`#withdraw`)
	key(kb.Enter)
	tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').textContent === 'Readers see nothing yet'`)
	status, _, _ = h.Visitor(t).Get("/pages/tides")
	assert.Equal(t, http.StatusNotFound, status)
	turns, err := h.Publishing.Turns(t.Context(), id)
	require.NoError(t, err)
	assert.Len(t, turns, 2)
}

// Two editors at one page: what they do to different things comes together; to
// the same thing, nobody writes over the other unseen.
func TestTwoEditorsAtOnePage(t *testing.T) {
	h, tab, id := started(t)
	other := testkit.Browse(t, 1440, 900)
	h.AnotherEditor(t, "piet@harrowmere.example", "Piet Sand")
	other.Do(chromedp.Navigate(h.URL+"/"), chromedp.SendKeys("#email", "piet@harrowmere.example"),
		chromedp.SendKeys("#password", demo.Password), chromedp.Click(".btn-primary"))
	other.Until(other.Ctx, `document.querySelector('h1')?.textContent === 'Documents'`)
	onStage(h, other, id)

	// Both write in the same text; Piet is first.
	tab.Do(chromedp.Click(`#rows .text`), chromedp.Click(`#text`))
	other.Do(chromedp.Click(`#rows .text`), chromedp.Click(`#text`), chromedp.SendKeys(`#text`, "Closed for ringing."))
	other.Until(other.Ctx, `document.querySelector('#rows .text p:not(.missing)')?.textContent === 'Closed for ringing.'`)
	tab.Expect("/act")
	tab.Expect("409")
	tab.Do(chromedp.SendKeys(`#text`, "Open all day."))
	tab.Until(tab.Ctx, `document.querySelector('[role=alert]').textContent.includes('Piet Sand changed this page') && document.getElementById('mine').value === 'Open all day.'`)
	assert.Equal(t, "Closed for ringing.", testkit.Eval[string](tab, tab.Ctx, `document.querySelector('#rows .text p').textContent`),
		"theirs is in view when the clash is told of")
	tab.Do(chromedp.Click(`#use-mine`))
	tab.Until(tab.Ctx, `document.querySelector('#rows .text p').textContent === 'Open all day.' && !document.getElementById('mine').checkVisibility()`)

	// The other screen says so by itself, and both see the same.
	other.Until(other.Ctx, `document.querySelector('#rows .text p').textContent === 'Open all day.' && document.querySelector('.care[role=status]').textContent.includes('Maren Oakes changed this page')`)

	// Different things come together, also with a screen that is behind.
	draft := func() publishing.WebPageStep {
		d, err := h.Publishing.WebPageDraft(t.Context(), id)
		require.NoError(t, err)
		return d
	}
	behind := draft().Revision - 1
	maren := h.Editor(t)
	act := func(mark int64, act string) (int, string) {
		status, body, _ := maren.Send("POST", fmt.Sprintf("/web-pages/%d/act", id), "application/json",
			fmt.Sprintf(`{"revision":%d,%s}`, mark, act))
		return status, body
	}
	rename := func(title string, mark int64) (int, string) {
		return act(mark, fmt.Sprintf(`"do":"rename","title":%q`, title))
	}
	status, body := rename("Tides and hides", behind)
	require.Equal(t, http.StatusOK, status, body)
	assert.Contains(t, body, "Your change was made to the page as it stands now.")
	assert.Contains(t, body, "Open all day.")
	status, body = rename("Only tides", behind)
	assert.Equal(t, http.StatusConflict, status, "the title is the same thing")
	assert.Contains(t, body, "Maren Oakes changed this page")
	status, body, _ = maren.Send("POST", fmt.Sprintf("/web-pages/%d/publish", id), "application/json", fmt.Sprintf(`{"revision":%d}`, behind))
	assert.Equal(t, http.StatusConflict, status, "what was not seen is not published: "+body)

	// Somebody goes back and changes something else.
	seen := draft()
	require.NoError(t, h.Publishing.MoveWebPage(t.Context(), id, seen.Revision, "Piet Holm", -1))
	status, body = act(draft().Revision, `"do":"rename","title":"Theirs"`)
	require.Equal(t, http.StatusOK, status, body)
	status, _ = rename("Mine", seen.Revision)
	assert.Equal(t, http.StatusConflict, status)
	assert.Equal(t, "Theirs", draft().Content.Title)
}

// What is written survives a server that is away, and a screen that is left.
func TestWhatIsWrittenIsKept(t *testing.T) {
	h, tab, id := started(t)
	says := func() string {
		d, err := h.Publishing.WebPageDraft(t.Context(), id)
		require.NoError(t, err)
		return d.Content.Blocks()[0].Text
	}
	tab.Do(chromedp.Click(`#rows .text`), chromedp.Click(`#text`))
	testkit.Eval[bool](tab, tab.Ctx, `(window.line = fetch, window.fetch = () => Promise.reject(new TypeError()), true)`)
	tab.Do(chromedp.SendKeys(`#text`, "Boots are needed."))
	tab.Until(tab.Ctx, `document.querySelector('[role=alert]').textContent.includes('What you wrote stays here')`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('title').focus(), true)`)
	tab.Until(tab.Ctx, `document.getElementById('text').value === 'Boots are needed.' && !document.querySelector('#rows .text').textContent.includes('Boots')`)
	assert.Empty(t, says())
	testkit.Eval[bool](tab, tab.Ctx, `(window.fetch = window.line, true)`)
	tab.Until(tab.Ctx, `document.querySelector('#rows .text').textContent.includes('Boots are needed.') && !document.querySelector('[role=alert]').checkVisibility() && document.getElementById('text').value === 'Boots are needed.'`)
	assert.Equal(t, "Boots are needed.", says())

	// Left in the middle of a sentence.
	tab.Do(chromedp.Click(`#text`), chromedp.KeyEvent(kb.End), chromedp.SendKeys(`#text`, " Bring"), chromedp.Navigate(h.URL+"/web-pages"))
	patience.Until(t, func() bool { return strings.Contains(says(), "Bring") && strings.Contains(says(), "Boots are needed.") })
}

// Text that editors write reaches readers without script, and what was not
// published on its bench has a polite line in its place.
func TestAPageIsSafe(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "trail-map.pdf")
	page := webpage.New("Safe")
	page, err := page.Done(webpage.Act{Do: webpage.DoChange, Block: page.Blocks()[0].ID,
		New: &webpage.Block{Kind: webpage.Text, Text: "<script>alert(1)</script>\n\n[x](javascript:alert(1)) <img src=x onerror=alert(1)> **kept**"}})
	require.NoError(t, err)
	page, err = page.Done(webpage.Act{Do: webpage.DoAdd, New: &webpage.Block{Kind: webpage.Placement, Of: p.ID}, To: webpage.Spot{At: 1}})
	require.NoError(t, err)
	page, err = page.Done(webpage.Act{Do: webpage.DoAdd, New: &webpage.Block{Kind: webpage.Placement}, To: webpage.Spot{At: 2}})
	require.NoError(t, err)
	w, err := h.Publishing.AddWebPage(t.Context(), "", page, "Maren Oakes")
	require.NoError(t, err)
	draft, err := h.Publishing.WebPageDraft(t.Context(), w.ID)
	require.NoError(t, err)
	require.NoError(t, h.Publishing.PublishWebPage(t.Context(), w.ID, draft.Revision, "Maren Oakes", webpage.Plan{}))
	status, body, header := h.Visitor(t).Get("/pages")
	require.Equal(t, http.StatusOK, status)
	for _, bad := range []string{"<script", "javascript:", "<img", "<iframe"} {
		assert.NotContains(t, body, bad, "%s", bad)
	}
	assert.Contains(t, body, "<strong>kept</strong>")
	assert.Contains(t, body, "&lt;script&gt;alert(1)&lt;/script&gt;", "what was written is not lost")
	assert.Contains(t, body, "This document is not here at the moment.")
	assert.Equal(t, 1, strings.Count(body, `class="missing"`), "readers do not see where nothing was chosen")
	assert.NotContains(t, header.Get("Content-Security-Policy"), "unsafe")
	assert.Empty(t, header.Values("Set-Cookie"))
	publish(t, h, p.ID)
	_, body, _ = h.Visitor(t).Get("/pages")
	assert.Contains(t, body, "/r/"+p.Key, "it is there as soon as it is published")

	// Who is not signed in changes nothing.
	for _, path := range []string{"act", "publish", "withdraw", "undo", "restore", "path", "plans/drop", "remove"} {
		status, _, _ := h.Visitor(t).Send("POST", fmt.Sprintf("/web-pages/%d/%s", w.ID, path), "application/json", "{}")
		assert.Contains(t, []int{http.StatusUnauthorized, http.StatusForbidden, http.StatusBadRequest}, status, path)
	}
	turns, err := h.Publishing.Turns(t.Context(), w.ID)
	require.NoError(t, err)
	assert.Len(t, turns, 1)
	assert.False(t, strings.Contains(body, demo.Email))
}
