package e2e

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/embed"
	"incipit/internal/placing"
	"incipit/internal/publishing"
	"incipit/internal/testkit"
)

// gathered is a house with three published documents in a collection.
func gathered(t *testing.T, as collection.Arrangement) (*testkit.House, publishing.Collection, []placing.Placement) {
	t.Helper()
	h := testkit.Open(t)
	c := collection.New("Surveys and reports")
	c.Arrangement, c.Sorting = as, true
	var placements []placing.Placement
	for i, file := range []string{"trail-map.pdf", "survey-form.pdf", "leaflet-welcome.pdf"} {
		_, p := placed(t, h, file)
		publish(t, h, p.ID)
		placements = append(placements, p)
		c.Items = append(c.Items, collection.Item{Placement: p.ID, Category: []string{"Maps", "Forms", "Forms"}[i]})
	}
	kept, err := h.Publishing.AddCollection(t.Context(), c)
	require.NoError(t, err)
	return h, kept, placements
}

// A chooser on another website: one document at a time, the choice in that
// page's address, back and forward, search, keys.
func TestAChooserOnAWebsite(t *testing.T) {
	h, kept, placements := gathered(t, collection.Chooser)
	code, err := embed.Collection{Address: h.URL + "/c/" + kept.Key, Name: kept.Content.Name, Height: kept.Content.Height}.Code(embed.Element)
	require.NoError(t, err)
	require.NoError(t, h.Pages.Save("visiting", "<h1>Visiting</h1>\n"+heard+
		"<script>addEventListener('incipit-chosen', (e) => window.heard.push(['chosen', e.detail.key]))</script>\n"+code))
	tab := testkit.Browse(t, 1280, 900)
	tab.Do(chromedp.Navigate(h.Website + "/visiting"))
	inside := tab.Frame(h.URL + "/c/")
	tab.Until(inside, `document.body.dataset.shown && document.getElementById('viewer').contentDocument?.body && 'ready' in document.getElementById('viewer').contentDocument.body.dataset`)
	assert.Equal(t, placements[0].Key, testkit.Eval[string](tab, inside, `document.body.dataset.shown`), "the first is shown")
	assert.Empty(t, testkit.Eval[string](tab, tab.Ctx, `location.hash`))
	tab.Accessible(inside, "a chooser")
	assert.Zero(t, shift(tab, tab.Ctx))

	press := func(key string) {
		testkit.Eval[bool](tab, inside, fmt.Sprintf(`(document.querySelector('a[data-key="%s"]').click(), true)`, key))
		tab.Until(tab.Ctx, fmt.Sprintf(`location.hash === '#shown=%s'`, key))
		tab.Until(inside, fmt.Sprintf(`document.body.dataset.shown === %q && document.querySelectorAll('[aria-current]').length === 1 && document.querySelector('[aria-current]').dataset.key === %q`, key, key))
	}
	press(placements[1].Key)
	press(placements[2].Key)
	tab.Until(tab.Ctx, fmt.Sprintf(`window.heard.some(([n, k]) => n === 'chosen' && k === %q) && window.heard.filter(([n]) => n === 'ready').length > 1`, placements[2].Key))
	testkit.Eval[bool](tab, tab.Ctx, `(history.back(), true)`)
	tab.Until(inside, fmt.Sprintf(`document.body.dataset.shown === %q`, placements[1].Key))
	testkit.Eval[bool](tab, tab.Ctx, `(history.forward(), true)`)
	tab.Until(inside, fmt.Sprintf(`document.body.dataset.shown === %q`, placements[2].Key))

	// An address that somebody was given leads to the choice.
	tab.Do(chromedp.Navigate("about:blank"), chromedp.Navigate(h.Website+"/visiting#shown="+placements[1].Key))
	inside = tab.Frame(h.URL + "/c/")
	tab.Until(inside, fmt.Sprintf(`document.body.dataset.shown === %q`, placements[1].Key))

	// Looking for a title leaves what is read where it is; keys go through the list.
	testkit.Eval[bool](tab, inside, `(() => { const f = document.querySelector('[name=find]'); f.value = 'LEAFLET'; return f.dispatchEvent(new Event('input', { bubbles: true })); })()`)
	tab.Until(inside, `document.querySelectorAll('#entries a').length === 1`)
	assert.Equal(t, placements[1].Key, testkit.Eval[string](tab, inside, `document.body.dataset.shown`))
	testkit.Eval[bool](tab, inside, `(() => { const f = document.querySelector('[name=find]'); f.value = ''; return f.dispatchEvent(new Event('input', { bubbles: true })); })()`)
	tab.Until(inside, `document.querySelectorAll('#entries a').length === 3`)
	testkit.Eval[bool](tab, inside, `(() => { const f = document.querySelector('[name=sort]'); f.value = 'newest'; return f.dispatchEvent(new Event('change', { bubbles: true })); })()`)
	tab.Until(inside, `document.querySelectorAll('#entries section').length === 2 && document.querySelectorAll('#entries a')[1].textContent.startsWith('Welcome')`)
	testkit.Eval[bool](tab, inside, `(document.querySelector('#entries a').focus(), true)`)
	moved := testkit.Eval[string](tab, inside, `(document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { key: 'End', bubbles: true })), document.activeElement.textContent)`)
	assert.Equal(t, testkit.Eval[string](tab, inside, `[...document.querySelectorAll('#entries a')].at(-1).textContent`), moved)

	// The collection changes, and the page follows; one that is withdrawn is left
	// out, and comes back.
	h.Withdraw(t, placements[2].ID)
	_, body, _ := h.Visitor(t).Get("/c/" + kept.Key)
	assert.NotContains(t, body, placements[2].Key)
	publish(t, h, placements[2].ID)
	content := kept.Content
	content.Arrangement, content.Items = collection.List, content.Items[1:]
	h.Gather(t, kept.ID, content)
	_, body, _ = h.Visitor(t).Get("/c/" + kept.Key)
	assert.NotContains(t, body, placements[0].Key)
	assert.Contains(t, body, placements[2].Key)
}

// Covers and lists: a document takes their place and gives it back; on a phone a
// chooser is a field; in another language its words are that language's; without
// script the links do the same.
func TestCollectionsOfEveryKind(t *testing.T) {
	h, kept, placements := gathered(t, collection.Grid)
	address := h.URL + "/c/" + kept.Key
	tab := testkit.Browse(t, 900, 700)
	tab.Do(chromedp.Navigate(address))
	tab.Until(tab.Ctx, `document.body.classList.contains('enhanced') && [...document.images].every((i) => i.naturalWidth > 0)`)
	tab.Accessible(tab.Ctx, "a grid of covers")
	// How many are found is said, and nothing before somebody looked.
	assert.Equal(t, "", testkit.Eval[string](tab, tab.Ctx, `document.querySelector('main, .count[role=status]') && document.querySelector('main #entries') && document.querySelector('.count').textContent`))
	look := func(words string) {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const f = document.querySelector('[name=find]'); f.value = %q; return f.dispatchEvent(new Event('input', { bubbles: true })); })()`, words))
	}
	look("map")
	tab.Until(tab.Ctx, `document.querySelector('.count').textContent === 'Documents: 1' && document.querySelectorAll('#entries a').length === 1`)
	look("nobody")
	tab.Until(tab.Ctx, `document.querySelector('.count').textContent === 'No document here is called that.'`)
	look("")
	tab.Until(tab.Ctx, `document.querySelector('.count').textContent === '' && document.querySelectorAll('#entries a').length === 3`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelectorAll('#entries a')[1].focus(), true)`)
	tab.Do(chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, `document.body.classList.contains('reading') && document.activeElement.closest('.back') && !document.getElementById('entries').checkVisibility()`)
	const viewerReady = `document.getElementById('viewer')?.contentDocument?.body && 'ready' in document.getElementById('viewer').contentDocument.body.dataset`
	tab.Until(tab.Ctx, viewerReady)
	assert.Equal(t, "?show="+placements[1].Key, testkit.Eval[string](tab, tab.Ctx, `location.search`))
	tab.Do(chromedp.KeyEvent(kb.Enter))
	tab.Until(tab.Ctx, fmt.Sprintf(`!document.querySelector('.shown') && document.activeElement.dataset.key === %q`, placements[1].Key))
	testkit.Eval[bool](tab, tab.Ctx, `(history.back(), true)`)
	tab.Until(tab.Ctx, fmt.Sprintf(`document.body.dataset.shown === %q && document.getElementById('viewer')`, placements[1].Key))
	tab.Until(tab.Ctx, viewerReady)

	content := kept.Content
	content.Arrangement = collection.Chooser
	h.Gather(t, kept.ID, content)
	phone := testkit.Browse(t, 390, 844)
	phone.Do(chromedp.Navigate(address))
	phone.Until(phone.Ctx, `document.body.classList.contains('enhanced') && `+viewerReady)
	assert.True(t, testkit.Eval[bool](phone, phone.Ctx, `document.querySelector('.pick').checkVisibility() && !document.getElementById('entries').checkVisibility() && document.documentElement.scrollWidth <= 390`))
	phone.Accessible(phone.Ctx, "a chooser on a phone")
	testkit.Eval[bool](phone, phone.Ctx, fmt.Sprintf(`(() => { const f = document.querySelector('.pick select'); f.value = %q; return f.dispatchEvent(new Event('change', { bubbles: true })); })()`, placements[2].Key))
	phone.Until(phone.Ctx, fmt.Sprintf(`document.getElementById('viewer').src.endsWith(%q)`, placements[2].Key))
	phone.Until(phone.Ctx, viewerReady)
	phone.Until(phone.Ctx, `document.querySelector('.count').textContent === document.getElementById('viewer').title`)

	plain := testkit.BrowseWithoutScript(t, 900, 700)
	plain.Expect("/reader/") // scripts that are announced, and not loaded
	plain.Do(chromedp.Navigate(address + "?find=map"))
	text, err := chromedp.Run(plain.Ctx, chromedp.InnerHTML(`body`))
	require.NoError(t, err)
	assert.Equal(t, 1, strings.Count(text, `data-key="`), "found by the server")

	q, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address, nil)
	require.NoError(t, err)
	q.Header.Set("Accept-Language", "ar")
	answer, err := http.DefaultClient.Do(q)
	require.NoError(t, err)
	defer answer.Body.Close()
	arabic, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	assert.Contains(t, string(arabic), `lang="ar" dir="rtl"`)
	assert.Contains(t, string(arabic), "ابحث عن مستند")
	content.Sites = []string{"https://www.harrowmere.example"}
	h.Gather(t, kept.ID, content)
	q.Header.Set("Referer", h.Website+"/visiting")
	q.Header.Set("Sec-Fetch-Dest", "iframe")
	refused, err := http.DefaultClient.Do(q)
	require.NoError(t, err)
	refused.Body.Close()
	assert.Equal(t, http.StatusForbidden, refused.StatusCode, "a website that is not allowed gets the note")
	status, _, _ := h.Visitor(t).Get("/c/aaaaaaaaaaaaaaaaaaaa")
	assert.Equal(t, http.StatusNotFound, status)
}

// The desk's screen: made, filled, sorted, undone, kept at once.
func TestACollectionIsMade(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "trail-map.pdf")
	publish(t, h, p.ID)
	_, draft := placed(t, h, "survey-form.pdf")
	tab := testkit.Browse(t, 1280, 900)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(h.URL + "/collections"))
	tab.Accessible(tab.Ctx, "no collections")
	tab.Do(chromedp.SendKeys(`#name`, "For visitors"+kb.Enter))
	tab.Until(tab.Ctx, `document.getElementById('gadd')?.options.length === 3`)
	kept := func(said string) {
		t.Helper()
		tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('.sets [role=status]').textContent === %q`, said))
	}
	add := func(id int64) {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(document.getElementById('gadd').value = '%d', document.querySelector('.add .btn').click(), true)`, id))
		tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('[data-item="%d"]')`, id))
	}
	add(p.ID)
	// A press ends the writing in a field: both are kept.
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const f = document.getElementById('gname'); f.value = 'For all visitors'; f.dispatchEvent(new Event('change')); document.getElementById('gadd').value = '%d'; document.querySelector('.add .btn').click(); return true; })()`, draft.ID))
	tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('[data-item="%d"]')`, draft.ID))
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, fmt.Sprintf(`document.querySelector('[data-item="%d"]').innerText`,
		draft.ID)), "not published: readers do not see it")
	tab.Do(chromedp.Click(fmt.Sprintf(`[data-item="%d"] .mover button`, draft.ID)))
	kept("Moved.")
	assert.Equal(t, fmt.Sprint(draft.ID), testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.items li').dataset.item`))
	tab.Do(chromedp.Click(`label[for=a-grid]`))
	kept("Kept. Readers see it.")
	tab.Expect("422")
	tab.Expect("/collections/")
	choose(tab, "gheight", "90")
	tab.Until(tab.Ctx, `document.querySelector('.tried [role=alert]').textContent.includes('200 to 4000 px')`)
	choose(tab, "gheight", "500")
	tab.Until(tab.Ctx, `document.getElementById('code-inline').value.includes('height:500px')`)
	tab.Do(chromedp.Click(`.sets .line .btn`))
	kept("As before.")
	tab.Until(tab.Ctx, `document.getElementById('code-inline').value.includes('height:640px')`)
	// Websites are listed as on the bench, however they were parted.
	choose(tab, "gsites", "https://www.harrowmere.example;https://*.marsh.example  https://tides.example/visit")
	tab.Until(tab.Ctx, `document.getElementById('gsites').value === 'https://www.harrowmere.example, https://*.marsh.example, https://tides.example'`)
	tab.Accessible(tab.Ctx, "a collection on the desk")
	c, err := h.Publishing.Collection(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, collection.Grid, c.Content.Arrangement)
	assert.Len(t, c.Content.Items, 2)
	assert.Equal(t, "For all visitors", c.Content.Name)
}
