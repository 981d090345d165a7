package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/testkit"
)

// reach presses Tab, or Shift and Tab where a control lies before what has the focus, until
// the control has it.
func reach(t *testing.T, tab *testkit.Tab, control string) {
	t.Helper()
	before := testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => {
		const there = document.querySelector(%q);
		return Boolean(there && document.activeElement.compareDocumentPosition(there) & Node.DOCUMENT_POSITION_PRECEDING);
	})()`, control))
	press := chromedp.KeyEvent(kb.Tab)
	if before {
		press = chromedp.KeyEvent(kb.Tab, chromedp.KeyModifiers(8))
	}
	for range 260 {
		tab.Do(press)
		if testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`document.activeElement.matches(%q)`, control)) {
			return
		}
	}
	require.Fail(t, "not reached by Tab", control)
}

func alt(p *input.DispatchKeyEventParams) { p.Modifiers |= 1 }

// Every control of the bench is reached with Tab and changed with keys, and the
// change is kept: no pointer is used.
func TestEveryControlByKeyboard(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	// On a slow machine this takes over a minute: the viewer that readers have then
	// asks for a newer edition, and was closed to this page meanwhile.
	tab.Expect("/edition")
	p := onMeasuredBench(t, h, tab, "volunteer-handbook.pdf", "?page=360")
	publish(t, h, p.ID)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d?page=360", h.URL, p.ID)))
	tab.Until(tab.Ctx, `document.getElementById('now')?.contentDocument?.body && 'ready' in document.getElementById('now').contentDocument.body.dataset && document.querySelector('.gloss .fix button')`)
	reached := map[string]bool{}
	// do reaches a control, presses keys, and waits until something is so.
	do := func(control string, until string, keys ...chromedp.Action[chromedp.Void]) {
		t.Helper()
		reach(t, tab, control)
		reached[control] = true
		tab.Do(keys...)
		tab.Until(tab.Ctx, until)
	}
	key := func(k string, o ...chromedp.KeyOption) chromedp.Action[chromedp.Void] {
		return chromedp.KeyEvent(k, o...)
	}
	kept := func(path, value string) string {
		return fmt.Sprintf(`Alpine_state().settings.%s === %s`, path, value)
	}
	// The state as the page has it.
	testkit.Eval[bool](tab, tab.Ctx, `(window.Alpine_state = () => document.querySelector('.bench')._x_dataStack[0].st, true)`)

	// The head.
	do("#screens", `document.querySelectorAll('.screen .drawn').length === 4`, key(kb.Enter))
	do(".screen:nth-of-type(2) .seeit", `document.getElementById('page').value === '820' && document.getElementById('screens').ariaPressed === 'false'`, key(kb.Enter))
	do("#compare", `document.querySelector('#drafted iframe')`, key(kb.Enter))
	tab.Do(key(kb.Escape))
	do("#embedding", `document.getElementById('code').open`, key(kb.Enter))
	reach(t, tab, "#copy")
	tab.Do(key(kb.Escape))
	tab.Until(tab.Ctx, `!document.getElementById('code').open`)

	// The stage.
	do("#page", `document.getElementById('column').value === '328'`, key("a", ctrl), key("360"), key(kb.Enter))
	do("#ruler .thumb", `document.getElementById('page').value === '370'`, key(kb.ArrowRight))
	do("#curve .thumb", `document.getElementById('column').value === '328'`, key(kb.ArrowLeft))
	do("#column", `document.getElementById('page').value === '361'`, key(kb.ArrowUp), key("a", ctrl), key("329"), key(kb.Enter))
	do("#page", `document.getElementById('column').value === '328'`, key("a", ctrl), key("360"), key(kb.Enter))
	do("#grip-right", kept("width.value", "97"), key(kb.ArrowLeft))
	do("#grip-bottom", kept("height.unit", "'px'"), key(kb.ArrowUp))
	do("#grip-corner", kept("width.value", "100"), key(kb.ArrowRight))
	do(`[aria-label="Undo"]`, kept("width.value", "97"), key(kb.Enter))
	do(`[aria-label="Redo"]`, kept("width.value", "100"), key(kb.Enter))

	// A gloss and its fix.
	reach(t, tab, ".gloss .fix button")
	testkit.Eval[bool](tab, tab.Ctx, `(window.mended = document.activeElement.closest('.gloss').id, true)`)
	tab.Do(key(kb.Enter))
	tab.Until(tab.Ctx, `document.getElementById(window.mended)?.classList.contains('order') ?? true`)
	reached["#"+testkit.Eval[string](tab, tab.Ctx, `window.mended`)+" .fix button"] = true
	tab.Do(key("z", ctrl))
	tab.Until(tab.Ctx, `document.querySelector('#' + window.mended + ' .fix button')`)

	do("#start-report", kept("max_width", "820"), key(kb.Enter))
	tab.Do(key("z", ctrl))
	tab.Until(tab.Ctx, kept("max_width", "0"))

	do("#explain", `document.querySelector('.explained').checkVisibility()`, key(kb.Enter))
	do("#explain", `!document.querySelector('.explained').checkVisibility()`, key(kb.Enter))

	// The settings, in the order they stand.
	value := func(id, typed, path, want string) {
		t.Helper()
		do("#"+id, kept(path, want), key("a", ctrl), key(typed), key(kb.Enter))
	}
	value("width", "80", "width.value", "80")
	do(`[aria-label="Unit of the width"]`, kept("width.unit", "'px'"), key(kb.ArrowDown))
	value("min_width", "140", "min_width", "140")
	value("max_width", "300", "max_width", "300")
	value("height", "420", "height.value", "420")
	do("#height_unit", kept("height.unit", "'vh'"), key(kb.ArrowDown))
	value("min_height", "200", "min_height", "200")
	value("max_height", "500", "max_height", "500")
	radio := func(group, want string, presses int) {
		t.Helper()
		keys := []chromedp.Action[chromedp.Void]{}
		for range presses {
			keys = append(keys, key(kb.ArrowRight))
		}
		do(fmt.Sprintf(`input[name="%s"]`, group), kept(group, want), keys...)
	}
	radio("align", "'right'", 1)
	value("open_at", "3", "open_at", "3")
	radio("row_scale", "'each'", 1)
	do(`input[name="zoom"]`, kept("zoom.kind", "'percent'"), key(kb.ArrowLeft))
	value("percent", "90", "zoom.percent", "90")
	value("least_zoom", "40", "least_zoom", "40")
	value("narrow_zoom", "60", "narrow_zoom", "60")
	value("most_zoom", "300", "most_zoom", "300")
	radio("flow", "'across'", 1)
	radio("facing", "'pairs'", 1)
	radio("order", "'rtl'", 1)
	radio("navigation", "false", 1)
	radio("fore_edge", "false", 1)
	radio("pointer", "'drag'", 1)
	do(`input[name="toolbar"]`, kept("toolbar", "false"), key(kb.ArrowRight))
	do(`input[name="toolbar"]`, kept("toolbar", "true"), key(kb.ArrowRight))
	radio("bar_place", "'bottom'", 1)
	radio("bar_shown", "'approach'", 1)
	radio("name", "false", 1)
	do("#tool-zoom", `Alpine_state().settings.tools.indexOf('zoom') === 6`, key(kb.ArrowRight, alt))
	tab.Until(tab.Ctx, `document.activeElement.id === 'tool-zoom'`)
	do("#reorder", `document.getElementById('toolorder').checkVisibility()`, key(kb.Enter))
	do("#later-contents", `Alpine_state().settings.tools.indexOf('contents') === 3 && document.activeElement.id === 'later-contents'`,
		key(kb.Enter))
	do("#earlier-contents", `Alpine_state().settings.tools.indexOf('contents') === 2 && document.activeElement.id === 'earlier-contents'`,
		key(kb.Enter))
	do("#tool-print", `!Alpine_state().settings.tools.includes('print')`, key(" "))
	do(".narrowtools summary", `document.querySelector('.narrowtools').open`, key(kb.Enter))
	do("#narrow-find", `Alpine_state().settings.narrow_out.join() === 'find' && document.querySelector('.narrowtools summary').textContent.includes('without one')`, key(" "))
	radio("download", "false", 1)
	radio("print", "false", 1)
	radio("copying", "false", 1)
	radio("guarded", "true", 1)
	radio("text_view", "'closed'", 1)
	do("#sites", `Alpine_state().settings.sites.join(' ') === 'https://www.harrowmere.example https://*.marsh.example'`,
		key("a", ctrl), key("www.harrowmere.example/visiting https://*.marsh.example"), key(kb.Enter))
	value("padding", "6", "padding", "6")
	value("border", "2", "border", "2")
	value("corner", "9", "corner", "9")
	radio("shadow", "'soft'", 1)
	radio("dim", "true", 1)
	do(`input[name="scheme"]`, kept("scheme", "'own'"), key(kb.ArrowLeft))
	value("colour-paper", "#fafaf0", "colours.paper", "'#fafaf0'")
	value("colour-ink", "#101010", "colours.ink", "'#101010'")
	value("colour-accent", "#224488", "colours.accent", "'#224488'")
	value("background", "#e0e6e0", "background", "'#e0e6e0'")
	do(`[aria-label="Reset to house style: 100 % of the column"]`, kept("width.unit", "'%'"), key(kb.Enter))
	tab.Accessible(tab.Ctx, "the bench, with everything set")
	do("#publish", `document.getElementById('musts').open`, key(kb.Enter)) // what was set cannot be left so without being asked
	do("#anyway", `Alpine_state().unseen.length === 0 && document.activeElement.id === 'publish'`, key(kb.Enter))
	do(".withdraw button", `!Alpine_state().published`, key(kb.Enter))

	// Nothing that can be used was left out: each control of the bench is one of
	// those, or of a kind of which one was used.
	left := testkit.Eval[[]string](tab, tab.Ctx, `[...document.querySelectorAll('.bench button, .bench input, .bench select, .bench [tabindex="0"]')]
		.filter((e) => e.checkVisibility({ visibilityProperty: true }) && !e.closest('dialog') && !e.disabled).map((e) => e.id ? '#' + e.id : e.name ? 'input[name="' + e.name + '"]' : e.getAttribute('role') === 'slider' ? '#' + e.parentElement.id + ' .thumb' : e.ariaLabel ?? e.className)`)
	for _, control := range left {
		used := reached[control]
		for kind, sample := range map[string]string{
			"#tool-": "#tool-zoom", "#narrow-": "#narrow-find", "#earlier-": "#earlier-contents", "#later-": "#later-contents",
			"#start-": "#start-report", "Reset to": `[aria-label="Reset to house style: 100 % of the column"]`,
			"Unit of": `[aria-label="Unit of the width"]`, "Undo": `[aria-label="Undo"]`, "Redo": `[aria-label="Redo"]`,
			"#align": `input[name="align"]`, "#zoom-": `input[name="zoom"]`, "#flow-": `input[name="flow"]`, "#facing-": `input[name="facing"]`,
			"#order-": `input[name="order"]`, "#row_scale-": `input[name="row_scale"]`, "#dim-": `input[name="dim"]`,
			"#navigation-": `input[name="navigation"]`,
			"#toolbar-":    `input[name="toolbar"]`, "#bar_place-": `input[name="bar_place"]`, "#bar_shown-": `input[name="bar_shown"]`,
			"#download-": `input[name="download"]`, "#print-": `input[name="print"]`, "#shadow-": `input[name="shadow"]`,
			"#scheme-":    `input[name="scheme"]`,
			"#fore_edge-": `input[name="fore_edge"]`, "#pointer-": `input[name="pointer"]`, "#name-": `input[name="name"]`,
			"#copying-": `input[name="copying"]`, "#text_view-": `input[name="text_view"]`, "#guarded-": `input[name="guarded"]`,
			"Paper, picked": "#colour-paper", "Ink, picked": "#colour-ink", "Accent, picked": "#colour-accent", "Background, picked": "#background",
		} {
			used = used || (strings.HasPrefix(control, kind) && reached[sample])
		}
		// Fixes that are left are buttons like the one that was used.
		assert.True(t, used || control == "", "%s was not tried", control)
	}
}

func TestScreensAreAccessible(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	onMeasuredBench(t, h, tab, "tide-table.pdf", "?page=360")
	tab.Accessible(tab.Ctx, "the bench")
	tab.Do(chromedp.Click("#screens"))
	tab.Until(tab.Ctx, `document.querySelectorAll('.screen .drawn').length === 4`)
	tab.Accessible(tab.Ctx, "all screens")
	tab.Do(chromedp.Navigate(h.URL + "/house-style"))
	tab.Until(tab.Ctx, `document.querySelectorAll('.sample .drawn').length === 4`)
	testkit.Eval[bool](tab, tab.Ctx, `(document.querySelector('#flow-turn').click(), true)`)
	tab.Until(tab.Ctx, `document.querySelector('.effects li')`)
	tab.Accessible(tab.Ctx, "house style")
}

// Where the device takes colours away, what is chosen is still told from what is not,
// and the focus is seen.
func TestForcedColours(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	forced := func() {
		_, err := chromedp.Call(tab.Ctx, emulation.SetEmulatedMedia,
			emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "forced-colors", Value: "active"}}})
		require.NoError(t, err)
	}
	forced()
	onMeasuredBench(t, h, tab, "tide-table.pdf", "?page=360")
	differ := func(a, b string) {
		t.Helper()
		assert.True(t, testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const c = (q) => { const s = getComputedStyle(document.querySelector(q)); return s.backgroundColor + s.color; }; return c(%q) !== c(%q); })()`, a, b)), "%s and %s", a, b)
	}
	differ(`label[for="align-centre"]`, `label[for="align-left"]`)
	differ(`nav.ways [aria-current]`, `nav.ways a:not([aria-current])`)
	tab.Do(chromedp.Focus("#publish"))
	assert.NotEqual(t, "none", testkit.Eval[string](tab, tab.Ctx, `(() => { const s = getComputedStyle(document.getElementById('publish')); return s.outlineStyle === 'none' && s.boxShadow === 'none' ? 'none' : 'seen'; })()`))
	assert.NotEqual(t, "rgba(0, 0, 0, 0)", testkit.Eval[string](tab, tab.Ctx,
		`getComputedStyle(document.querySelector('#grip-corner')).backgroundColor`))
	_, p := placed(t, h, "volunteer-handbook.pdf")
	publish(t, h, p.ID)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	forced()
	tab.Until(tab.Ctx, readerReady)
	assert.NotEqual(t, "none", testkit.Eval[string](tab, tab.Ctx, `getComputedStyle(document.querySelector('.ticks path')).stroke`))
}

// In a window of 320 px, which is what 1,280 px at 400 % are, no screen of the desk
// scrolls sideways, and what is pressed is 24 px at least (WCAG 2.2, 1.4.10 and 2.5.8).
func TestTheDeskIn320Pixels(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 320, 700)
	_, p := placed(t, h, "tide-table.pdf")
	publish(t, h, p.ID)
	signIn(h, tab)
	for _, path := range []string{"/documents", "/placements", "/check", fmt.Sprintf("/placements/%d/starters", p.ID),
		fmt.Sprintf("/placements/%d/ways", p.ID), fmt.Sprintf("/placements/%d", p.ID), "/collections", "/web-pages", "/house-style", "/account",
		"/signing-keys"} {
		tab.Do(chromedp.Navigate(h.URL + path))
		tab.Until(tab.Ctx, `document.readyState === 'complete' && !document.querySelector('main [x-cloak]:not([style*="none"])')`)
		assert.LessOrEqual(t, testkit.Eval[int](tab, tab.Ctx, `document.scrollingElement.scrollWidth`), 320, path)
		small := testkit.Eval[[]string](tab, tab.Ctx, `[...document.querySelectorAll('main button, main summary, main select, main input:not([type=hidden], [type=radio], [type=checkbox])')].filter((e) => { const b = e.getBoundingClientRect(); return e.checkVisibility({ opacityProperty: true }) && b.width > 1 && (b.height < 23.5 || b.width < 23.5) && !e.closest('.outline, .ruler, .curve'); }).map((e) => e.id || e.textContent || e.className)`)
		assert.Empty(t, small, path)
	}
}

// Who sets text wider apart (WCAG 2.2, 1.4.12) loses nothing: no words are cut off, and
// no part of the screen is pushed out of it.
func TestTextSetApart(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	onMeasuredBench(t, h, tab, "tide-table.pdf", "")
	publish(t, h, 1)
	page, err := webpage.New("Tides").Done(webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Placement, Of: 1}})
	require.NoError(t, err)
	w, err := h.Publishing.AddWebPage(t.Context(), "tides", page, "Maren Oakes")
	require.NoError(t, err)
	_, err = h.Publishing.AddCollection(t.Context(), collection.Collection{Name: "Reports", Arrangement: collection.List,
		Order: collection.ByHand, Height: 500, Items: []collection.Item{{Placement: 1}}})
	require.NoError(t, err)
	p, err := h.Placing.Placement(t.Context(), 1)
	require.NoError(t, err)
	const apart = `(async () => {
		const sheet = new CSSStyleSheet();
		sheet.replaceSync('*:not(svg *) { line-height: 1.5 !important; letter-spacing: .12em !important; word-spacing: .16em !important; } p { margin-bottom: 2em !important; }');
		document.adoptedStyleSheets.push(sheet);
		for (let i = 0; i < 3; i++) await new Promise(requestAnimationFrame);
		const cut = [];
		for (const e of document.querySelectorAll('body *')) {
			if (!e.checkVisibility({ visibilityProperty: true }) || e.closest('.unseen, .visually-hidden, .visually-hidden-focusable, .aloud, .sheet, iframe, #rows, svg, option, .bar .name, [hidden]') || ![...e.childNodes].some((n) => n.nodeType === 3 && n.data.trim())) continue;
			const style = getComputedStyle(e);
			const words = document.createRange();
			words.selectNodeContents(e);
			const r = words.getBoundingClientRect();
			if (!r.width || r.right < 1) continue;
			for (let box = e; box && box !== document.body; box = box.parentElement) {
				const s = getComputedStyle(box);
				const b = box.getBoundingClientRect();
				// What scrolls or ends in dots can be reached; what is cut cannot.
				if (s.overflowX === 'hidden' && s.textOverflow !== 'ellipsis' && r.right > b.right + 1.5 || s.overflowY === 'hidden' && r.bottom > b.bottom + 1.5) cut.push(e.textContent.trim().slice(0, 40) + ' in ' + (box.id || box.className));
				if (/auto|scroll/.test(s.overflowX + s.overflowY)) break;
			}
			const press = e.closest('button, .btn, .choice label');
			if (press && (r.right > press.getBoundingClientRect().right + 1.5 || r.bottom > press.getBoundingClientRect().bottom + 1.5)) cut.push(e.textContent.trim() + ' out of ' + (press.id || press.className || press.htmlFor));
		}
		if (document.documentElement.scrollWidth > innerWidth + 1) cut.push('scrolls sideways by ' + (document.documentElement.scrollWidth - innerWidth));
		return [...new Set(cut)].join('\n'); })()`
	for _, path := range []string{"/documents", "/placements", "/placements/1", "/placements/1/ways", "/placements/1/starters", "/check",
		"/house-style", "/collections", "/collections/1", "/web-pages", fmt.Sprintf("/web-pages/%d", w.ID),
		fmt.Sprintf("/web-pages/%d/history", w.ID), "/signing-keys", "/account", "/r/" + p.Key} {
		tab.Do(chromedp.Navigate(h.URL + path))
		tab.Until(tab.Ctx, `document.readyState === 'complete' && document.querySelector('main')`)
		assert.Empty(t, testkit.Eval[string](tab, tab.Ctx, apart), path)
	}
}
