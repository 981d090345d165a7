package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// Two editors at the same, each in a browser of their own. No command carries or loses
// what its maker has not seen: what differs comes together and is told, what clashes is
// asked about, in words, and what was typed is not lost without a word. (Web pages:
// TestTwoEditorsAtOnePage.)

// pair opens a screen for Maren and for Piet.
func pair(t *testing.T, h *testkit.House, path, ready string) (maren, piet *testkit.Tab) {
	t.Helper()
	h.AnotherEditor(t, "piet@harrowmere.example", "Piet Holm")
	open := func(email string) *testkit.Tab {
		tab := testkit.Browse(t, 1280, 800)
		tab.Expect("409")
		tab.Expect("422")
		tab.Do(chromedp.Navigate(h.URL+"/sign-in"), chromedp.SendKeys("#email", email), chromedp.SendKeys("#password", demo.Password),
			chromedp.Click(".btn-primary"))
		tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'Documents'`)
		tab.Do(chromedp.Navigate(h.URL + path))
		tab.Until(tab.Ctx, ready)
		return tab
	}
	maren = testkit.Browse(t, 1280, 800)
	maren.Expect("409")
	maren.Expect("422")
	signIn(h, maren)
	maren.Do(chromedp.Navigate(h.URL + path))
	maren.Until(maren.Ctx, ready)
	return maren, open("piet@harrowmere.example")
}

const benchReady = `document.getElementById('now')?.contentDocument?.body && 'ready' in document.getElementById('now').contentDocument.body.dataset`

// says waits until a screen says something in an alert or a status, seen by everybody.
func says(t *testing.T, tab *testkit.Tab, words ...string) {
	t.Helper()
	for _, w := range words {
		tab.Until(tab.Ctx, fmt.Sprintf(`[...document.querySelectorAll('.said')].some((e) => e.checkVisibility() && e.textContent.includes(%q))`,
			w))
	}
}

func TestTwoEditorsAtAPlacement(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "leaflet-welcome.pdf")
	h.Measured(t, 1)
	maren, piet := pair(t, h, fmt.Sprintf("/placements/%d", p.ID), benchReady)
	revision := func(tab *testkit.Tab, n int) {
		t.Helper()
		tab.Until(tab.Ctx, fmt.Sprintf(`document.body.dataset.revision === '%d'`, n))
	}
	settings := func() setting.Settings {
		now, err := h.Placing.Placement(t.Context(), p.ID)
		require.NoError(t, err)
		s, err := h.Placing.DraftSettings(t.Context(), now)
		require.NoError(t, err)
		return s
	}

	// Different settings come together.
	piet.Do(chromedp.Click(`label[for="guarded-yes"]`))
	revision(piet, 1)
	enter(maren, "#max_width", "700")
	says(t, maren, "Piet Holm changed “Guarded” at", "Your change was made beside it")
	revision(maren, 2)
	assert.Equal(t, 700.0, settings().MaxWidth)
	assert.True(t, settings().Guarded, "what the other one did is not lost")
	maren.Until(maren.Ctx, `document.getElementById('guarded-yes').checked`)

	// The same setting is asked about, and theirs is in view.
	enter(piet, "#max_width", "650")
	says(t, piet, "Maren Oakes changed “At most” at", "yours was not kept")
	piet.Until(piet.Ctx, `document.getElementById('max_width').value === '700'`)
	enter(piet, "#max_width", "650")
	revision(piet, 3)

	// Publishing, undoing and withdrawing go by what was seen.
	maren.Do(chromedp.Click("#publish"))
	says(t, maren, "Piet Holm changed “At most” at", "You had not seen that, so nothing was done", "then publish")
	now, err := h.Placing.Placement(t.Context(), p.ID)
	require.NoError(t, err)
	assert.Nil(t, now.Published)
	maren.Until(maren.Ctx, `document.getElementById('max_width').value === '650'`)
	maren.Do(chromedp.Click("#publish"))
	maren.Until(maren.Ctx, `document.querySelector('.unseen-mark.ok') || document.getElementById('musts').open`)
	testkit.Eval[bool](maren, maren.Ctx, `(document.getElementById('musts').open && document.getElementById('anyway').click(), true)`)
	maren.Until(maren.Ctx, `document.querySelector('.unseen-mark.ok')`)
	enter(maren, "#padding", "9")
	revision(maren, 4)
	piet.Do(chromedp.Click(`[aria-label="Undo"]`))
	says(t, piet, "Maren Oakes changed “Padding” at", "nothing was done")
	assert.Equal(t, 9.0, settings().Padding, "what was not seen is not undone")
	piet.Do(chromedp.Click(`[aria-label="Undo"]`))
	revision(piet, 5)
	assert.Equal(t, 0.0, settings().Padding)
	piet.Do(chromedp.Click(".withdraw button"))
	piet.Until(piet.Ctx, `document.querySelector('.unseen-mark').textContent.includes('Readers see nothing')`)

	// House style changed under a draft is part of what is published.
	house, err := h.Placing.House(t.Context())
	require.NoError(t, err)
	house.Settings.Download = false
	_, err = h.Placing.ChangeHouse(t.Context(), house.Revision, "Maren Oakes", house, nil)
	require.NoError(t, err)
	piet.Do(chromedp.Click("#publish"))
	says(t, piet, "changed “The file” in house style at", "nothing was done")
	piet.Until(piet.Ctx, `document.getElementById('download-no').checked`)
}

func TestTwoEditorsAtACollection(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "leaflet-welcome.pdf")
	publish(t, h, p.ID)
	kept, err := h.Publishing.AddCollection(t.Context(), collection.Collection{Name: "Reports", Arrangement: collection.List,
		Order: collection.ByHand, Height: 500, Items: []collection.Item{}})
	require.NoError(t, err)
	maren, piet := pair(t, h, fmt.Sprintf("/collections/%d", kept.ID), `document.getElementById('gadd')?.options.length === 2`)
	now := func() collection.Collection {
		c, err := h.Publishing.Collection(t.Context(), kept.ID)
		require.NoError(t, err)
		return c.Content
	}
	piet.Do(chromedp.Click(`label[for=a-grid]`))
	piet.Until(piet.Ctx, `document.querySelector('.sets [role=status]').textContent.startsWith('Kept')`)
	choose(maren, "gname", "For visitors")
	says(t, maren, "Piet Holm changed how it is shown at")
	assert.Equal(t, []string{"For visitors", "grid"}, []string{now().Name, string(now().Arrangement)})
	choose(piet, "gname", "For everybody")
	says(t, piet, "Maren Oakes changed the name at", "yours was not kept")
	piet.Until(piet.Ctx, `document.getElementById('gname').value === 'For visitors'`)

	// Undo takes back what is seen, on the server: after a reload, too.
	maren.Do(chromedp.Reload())
	maren.Until(maren.Ctx, `document.getElementById('undo') && !document.getElementById('undo').disabled`)
	maren.Do(chromedp.Click("#undo"))
	maren.Until(maren.Ctx, `document.getElementById('gname').value === 'Reports'`)
	assert.Equal(t, collection.Grid, now().Arrangement)
	piet.Do(chromedp.Click("#undo"))
	says(t, piet, "Maren Oakes changed the name at", "nothing was done")
	maren.Do(chromedp.Click("#redo"))
	maren.Until(maren.Ctx, `document.getElementById('gname').value === 'For visitors'`)
}

func TestTwoEditorsAtTheFrameOfAllPages(t *testing.T) {
	h := testkit.Open(t)
	maren, piet := pair(t, h, "/web-pages", `document.querySelector('.siteframe')?._x_dataStack`)
	choose(piet, "faccent", "#7a2424")
	piet.Until(piet.Ctx, `[...document.querySelectorAll('.siteframe [role=status]')].some((e) => e.textContent.startsWith('Kept'))`)
	choose(maren, "fname", "Harrowmere")
	says(t, maren, "Piet Holm changed the accent at")
	f, err := h.Publishing.SiteFrame(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []string{"Harrowmere", "#7a2424"}, []string{f.Content.Name, f.Content.Accent})
	choose(piet, "fname", "The marsh")
	says(t, piet, "Maren Oakes changed the name at", "yours was not kept")
	piet.Until(piet.Ctx, `document.getElementById('fname').value === 'Harrowmere'`)
	choose(piet, "fname", "The marsh")
	piet.Until(piet.Ctx, `document.querySelector('.siteframe')._x_dataStack[0].st.frame.name === 'The marsh'`)
	maren.Do(chromedp.Click("#frameundo"))
	says(t, maren, "Piet Holm changed the name at", "nothing was done")
	piet.Do(chromedp.Click("#frameundo"))
	piet.Until(piet.Ctx, `document.getElementById('fname').value === 'Harrowmere'`)
}

func TestTwoEditorsAtHouseStyle(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "leaflet-welcome.pdf")
	publish(t, h, p.ID)
	maren, piet := pair(t, h, "/house-style", `document.querySelector('.sample .drawn')`)
	apply := func(tab *testkit.Tab) {
		tab.Until(tab.Ctx, `document.getElementById('toDrafts').checkVisibility()`)
		testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('toDrafts').click(), true)`) // it moves while its section opens
	}
	house := func() setting.Settings {
		s, err := h.Placing.HouseStyle(t.Context())
		require.NoError(t, err)
		return s
	}
	enter(maren, "#padding", "7")
	enter(piet, "#corner", "9")
	apply(piet)
	piet.Until(piet.Ctx, `document.querySelector('[role=status]').textContent.includes('Drafts follow now')`)
	apply(maren)
	says(t, maren, "Piet Holm changed “Corner” at", "beside it")
	assert.Equal(t, []float64{7, 9}, []float64{house().Padding, house().Corner}, "a change of house style erases no other one")

	// The same: told, and what was thought of is still there to be applied.
	enter(piet, "#padding", "12")
	piet.Until(piet.Ctx, `document.querySelector('.thought p').textContent.includes('12 px')`)
	enter(maren, "#padding", "8")
	enter(maren, "#corner", "5")
	maren.Until(maren.Ctx, `document.querySelector('.thought p').textContent.includes('5 px')`)
	apply(maren)
	maren.Until(maren.Ctx, `document.querySelector('.thought').style.display === 'none'`)
	apply(piet)
	says(t, piet, "Maren Oakes changed “Padding” at", "yours was not kept")
	assert.Equal(t, 8.0, house().Padding)
	piet.Until(piet.Ctx, `document.getElementById('padding').value === '12' && document.querySelector('.thought p').textContent.includes('8 px')`)
	assert.False(t, strings.Contains(testkit.Eval[string](piet, piet.Ctx, `document.querySelector('.thought p').textContent`),
		"Corner"), "only what is his")
	apply(piet)
	piet.Until(piet.Ctx, `document.querySelector('[role=status]').textContent.includes('Drafts follow now')`)
	assert.Equal(t, 12.0, house().Padding)

	// House style has undo and redo, by what was seen.
	maren.Do(chromedp.Click(`[aria-label="Undo"]`))
	says(t, maren, "Piet Holm changed “Padding” at", "nothing was done")
	piet.Do(chromedp.Focus(`nav.ways [aria-current]`), chromedp.KeyEvent("z", ctrl))
	piet.Until(piet.Ctx, `document.getElementById('padding').value === '8'`)
	assert.Equal(t, 8.0, house().Padding)
	piet.Do(chromedp.KeyEvent("y", ctrl))
	piet.Until(piet.Ctx, `document.getElementById('padding').value === '12'`)
	enter(piet, "#budget", "90")
	piet.Until(piet.Ctx, `document.querySelector('[role=status]').textContent.includes('Proofs go by it')`)
	assert.Equal(t, 12.0, house().Padding, "terms leave settings alone")
}
