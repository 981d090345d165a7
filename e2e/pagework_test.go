package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// The size of a chosen document and all its grips are in view on a laptop's screen,
// also where its frame is taller than that.
func TestATallFrameShowsItsSizeAndGrips(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "tide-table.pdf")
	h.Measured(t, 1)
	page, err := webpage.New("Tides").Done(webpage.Act{Do: webpage.DoAddBelow,
		New: &webpage.Block{Kind: webpage.Placement, Of: p.ID, Set: setting.PatchOf(setting.Height,
			setting.Length{Value: 1500, Unit: setting.Pixels})}})
	require.NoError(t, err)
	w, err := h.Publishing.AddWebPage(t.Context(), "tides", page, "Maren Oakes")
	require.NoError(t, err)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	onStage(h, tab, w.ID)
	tab.Do(chromedp.Click(`#rows .block.placement`))
	tab.Until(tab.Ctx, `document.getElementById('figure').textContent.includes('× 1500 px')`)
	inView := `(() => {
		const desk = document.getElementById('desk').getBoundingClientRect();
		return ['figure', 'grip-right', 'grip-bottom', 'grip-corner', 'grab'].filter((id) => {
			const r = document.getElementById(id).getBoundingClientRect();
			const over = document.elementFromPoint((r.left + r.right) / 2, (r.top + r.bottom) / 2);
			return r.top < desk.top || r.bottom > Math.min(desk.bottom, innerHeight) || r.left < desk.left || r.right > desk.right || id !== 'figure' && over?.closest('button')?.id !== id;
		}).join(' '); })()`
	for _, at := range []string{"0", "300", "1e6"} {
		testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('desk').scrollTop = `+at+`, true)`)
		tab.Until(tab.Ctx, inView+` === ''`)
	}
}

// The history says documents by their titles; what is empty is said once on the
// stage, and to readers not at all.
func TestHistoryNamesDocuments(t *testing.T) {
	h, tab, id := started(t)
	tab.Do(chromedp.Click(`[data-add="placement"]`))
	tab.Until(tab.Ctx, `document.querySelector('#rows .block.placement.picked')`)
	choose(tab, "doc", "1")
	tab.Until(tab.Ctx, `document.querySelector('#rows .held')`)
	assert.Equal(t, 1, testkit.Eval[int](tab, tab.Ctx,
		`document.getElementById('rows').textContent.split('Nothing is written here yet').length - 1`))
	tab.Do(chromedp.Click(`#publish`))
	tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').classList.contains('ok')`)
	tab.Do(chromedp.Click(`#remove`))
	tab.Until(tab.Ctx, `!document.querySelector('#rows .held') && [...document.querySelectorAll('.differs')].some((d) => d.textContent.includes('Document “Tide and hide'))`)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/web-pages/%d/history", h.URL, id)))
	tab.Until(tab.Ctx, `document.querySelector('h1')?.textContent === 'History' && document.querySelector('.difflines')`)
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('main').innerText`), "removed Document “Tide and hide")
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.difflines').innerText`), "Document “Tide and hide")
	status, body, _ := h.Visitor(t).Get("/pages/tides")
	require.Equal(t, http.StatusOK, status)
	assert.NotContains(t, body, "Nothing is written here yet")
}

// On a device that is set to dark, published pages are dark, as the documents on them
// are, and can be read.
func TestPublishedPagesInTheDark(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "annual-report.pdf")
	publish(t, h, p.ID)
	page := webpage.New("Visiting the marsh")
	page, err := page.Done(webpage.Act{Do: webpage.DoChange, Block: page.Blocks()[0].ID,
		New: &webpage.Block{Kind: webpage.Text, Text: "The hides are open from sunrise; [tides](https://tides.example/) **matter**.\n\n# This week\n\n* Knot"}})
	require.NoError(t, err)
	for i, b := range []webpage.Block{{Kind: webpage.Button, Text: "Plan a visit", Address: "/pages"}, {Kind: webpage.Placement, Of: p.ID}} {
		page, err = page.Done(webpage.Act{Do: webpage.DoAdd, New: &b, To: webpage.Spot{At: 1 + i}})
		require.NoError(t, err)
	}
	w, err := h.Publishing.AddWebPage(t.Context(), "", page, "Maren Oakes")
	require.NoError(t, err)
	draft, err := h.Publishing.WebPageDraft(t.Context(), w.ID)
	require.NoError(t, err)
	require.NoError(t, h.Publishing.PublishWebPage(t.Context(), w.ID, draft.Revision, "Maren Oakes", webpage.Plan{}))
	tab := testkit.Browse(t, 1000, 900)
	_, err = chromedp.Call(tab.Ctx, emulation.SetEmulatedMedia,
		emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: "dark"}}})
	require.NoError(t, err)
	tab.Do(chromedp.Navigate(h.URL + "/pages"))
	tab.Until(tab.Ctx, `document.querySelector('.held iframe').contentDocument?.body && 'ready' in document.querySelector('.held iframe').contentDocument.body.dataset`)
	assert.Equal(t, "rgb(38, 37, 46)", testkit.Eval[string](tab, tab.Ctx, `getComputedStyle(document.querySelector('.site')).backgroundColor`))
	tab.Accessible(tab.Ctx, "a published page in the dark")
}

// The buttons above a text set its marks about what is selected, and take them off its
// lines again.
func TestMarksInAText(t *testing.T) {
	h := testkit.Open(t)
	w, err := h.Publishing.AddWebPage(t.Context(), "", webpage.New("Visiting"), "Maren Oakes")
	require.NoError(t, err)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/web-pages/%d", h.URL, w.ID)))
	tab.Until(tab.Ctx, `document.querySelector('#rows .text')`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#rows .text').click(), true)`)
	tab.Until(tab.Ctx, `document.getElementById('text').checkVisibility()`)
	tab.Do(chromedp.SendKeys("#text", "Tides\nKnot"))
	press := func(id string, from, to int, want string) {
		t.Helper()
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const f = document.getElementById('text'); f.focus(); f.setSelectionRange(%d, %d); return true; })()`, from, to))
		tab.Do(chromedp.Click("#" + id))
		tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('text').value === %q && document.activeElement.id === 'text'`, want))
	}
	press("mark-bold", 0, 5, "**Tides**\nKnot")
	press("mark-list", 0, 14, "* **Tides**\n* Knot")
	press("mark-list", 0, 18, "**Tides**\nKnot")
	press("mark-heading", 11, 11, "**Tides**\n# Knot")
	press("mark-link", 12, 16, "**Tides**\n# [Knot](https://)")
	patience.Until(t, func() bool {
		step, err := h.Publishing.WebPageDraft(t.Context(), w.ID)
		return err == nil && strings.Contains(step.Content.Blocks()[0].Text, "# [Knot](https://)")
	}, "it is kept like what is typed")
	tab.Accessible(tab.Ctx, "a text with its buttons")
}

// On a phone the stage stays in view beside what is set, and what has the focus is
// never behind it; the focus goes in the order in which things stand, also where they
// stand beside each other.
func TestTheStageStaysInView(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "tide-table.pdf")
	h.Measured(t, 1)
	page, err := webpage.New("Tides").Done(webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Placement, Of: p.ID}})
	require.NoError(t, err)
	w, err := h.Publishing.AddWebPage(t.Context(), "tides", page, "Maren Oakes")
	require.NoError(t, err)
	tab := testkit.Browse(t, 390, 844)
	signIn(h, tab)
	const stageReady = `document.getElementById('now')?.contentDocument?.body && 'ready' in document.getElementById('now').contentDocument.body.dataset`
	// The order in which the focus goes, as parts of the screen; what hides, and what
	// lies behind the stage.
	const walked = `(async () => {
		const parts = [];
		const hidden = [];
		const desk = document.getElementById('desk');
		for (const e of document.querySelectorAll('#boards :is(button, input, select, textarea, a[href], summary):not([tabindex="-1"])')) {
			if (!e.checkVisibility() || e.disabled || e.closest('#rows')) continue;
			const part = e.closest('.margin, .settings, .stage').classList[0];
			if (parts.at(-1) !== part) parts.push(part);
			e.focus();
			if (document.activeElement !== e) continue;
			await new Promise(requestAnimationFrame);
			const r = e.getBoundingClientRect();
			if (!desk.contains(e) && getComputedStyle(desk).position === 'sticky' && r.top < desk.getBoundingClientRect().bottom && r.bottom > desk.getBoundingClientRect().top) hidden.push(e.id || e.textContent);
		}
		return [parts.join(' '), hidden.join(' | '), String(desk.getBoundingClientRect().top >= 0 && desk.getBoundingClientRect().bottom <= innerHeight)]; })()`
	for path, ready := range map[string]string{fmt.Sprintf("/placements/%d", p.ID): stageReady,
		fmt.Sprintf("/web-pages/%d", w.ID): `document.querySelector('#rows .held iframe')`} {
		tab.Do(chromedp.Navigate(h.URL + path))
		tab.Until(tab.Ctx, ready)
		assert.Equal(t, []string{"stage margin settings", "", "true"}, testkit.Eval[[]string](tab, tab.Ctx, walked), path)
	}
	wide := testkit.Browse(t, 1280, 800)
	signIn(h, wide)
	wide.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d", h.URL, p.ID)))
	wide.Until(wide.Ctx, stageReady)
	testkit.Eval[bool](wide, wide.Ctx, `(document.getElementById('publish').focus(), true)`)
	var at []float64
	for range 80 {
		wide.Do(chromedp.KeyEvent("\t"))
		if left := testkit.Eval[float64](wide, wide.Ctx, `document.activeElement.closest('.margin, .stage, .settings')?.getBoundingClientRect().left ?? -1`); left >= 0 && (len(at) == 0 || at[len(at)-1] != left) {
			at = append(at, left)
		}
	}
	assert.IsIncreasing(t, at, "findings, stage, settings")
	assert.Len(t, at, 3)
	// A window that becomes narrow is no other one.
	_, err = chromedp.Call(wide.Ctx, emulation.SetDeviceMetricsOverride,
		emulation.SetDeviceMetricsOverrideParams{Width: 800, Height: 800, DeviceScaleFactor: 1})
	require.NoError(t, err)
	wide.Until(wide.Ctx, `document.querySelector('.stage').nextElementSibling.matches('.margin')`)
	wide.Do(chromedp.Focus("#open_at"), chromedp.KeyEvent(kb.ArrowUp), chromedp.KeyEvent(kb.Tab))
	wide.Until(wide.Ctx, `document.body.dataset.revision === '1'`)
}

// A removed document takes its glosses along, and its place on a page says what is
// missing.
func TestARemovedDocumentsGlossesGo(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "tide-table.pdf")
	h.Measured(t, 1)
	page, err := webpage.New("Tides").Done(webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Placement, Of: p.ID}})
	require.NoError(t, err)
	w, err := h.Publishing.AddWebPage(t.Context(), "tides", page, "Maren Oakes")
	require.NoError(t, err)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)
	onStage(h, tab, w.ID)
	tab.Until(tab.Ctx, `document.querySelector('.margin .gloss.must')`)
	tab.Do(chromedp.Navigate("about:blank"))
	status, _, _ := h.Editor(t).Send("POST", fmt.Sprintf("/documents/%d/remove", d.ID), "application/x-www-form-urlencoded", "")
	require.Equal(t, http.StatusNoContent, status)
	onStage(h, tab, w.ID)
	assert.Equal(t, 0, testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('.margin .glosses li').length`))
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('#rows .block.placement').textContent`), "removed")
}

// What is chosen on a page is moved by buttons, too, which touch and every pointer can
// press; the focus stays with them.
func TestBlocksMoveByButtons(t *testing.T) {
	h, tab, id := started(t)
	tab.Do(chromedp.Click(`#rows .text`))
	tab.Until(tab.Ctx, `document.querySelector('[data-split="1-1"]')?.checkVisibility()`)
	tab.Do(chromedp.Click(`[data-split="1-1"]`))
	tab.Until(tab.Ctx, `document.querySelectorAll('#rows [data-column]').length === 2`)
	tab.Do(chromedp.Click(`[data-add="placement"]`))
	tab.Until(tab.Ctx, `document.querySelector('#rows .block.placement.picked')`)
	before := shaped(tab)
	move := func(button string) string {
		was := shaped(tab)
		tab.Do(chromedp.Focus(button), chromedp.KeyEvent("\r"))
		tab.Until(tab.Ctx, fmt.Sprintf(`[...document.querySelectorAll('#rows .pagerow')].map((r) => [...r.querySelectorAll('[data-column]')].map((c) => [...c.querySelectorAll('[data-block]')].map((b) => b.classList[1]).join(' ')).join('|')).join(' / ') !== %q`, was))
		assert.Equal(t, button, "#"+testkit.Eval[string](tab, tab.Ctx, `document.activeElement.id`))
		return shaped(tab)
	}
	if strings.HasPrefix(before, "text placement") {
		assert.Equal(t, "placement text|", move("#block-up"))
		assert.Equal(t, before, move("#block-down"))
	}
	assert.NotEqual(t, before, move("#block-right"))
	assert.Contains(t, shaped(tab), "|placement")
	assert.NotContains(t, move("#block-left"), "|placement")
	_, _ = h, id
}
