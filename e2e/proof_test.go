package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// onMeasuredBench opens the bench when the type is measured.
func onMeasuredBench(t *testing.T, h *testkit.House, tab *testkit.Tab, file, query string) placing.Placement {
	t.Helper()
	d, p := placed(t, h, file)
	h.Measured(t, d.ID)
	signIn(h, tab)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d%s", h.URL, p.ID, query)))
	tab.Until(tab.Ctx, `document.getElementById('now')?.contentDocument?.body && 'ready' in document.getElementById('now').contentDocument.body.dataset && document.querySelector('.gloss')`)
	return p
}

// The tide table on a phone: the proof says that its type is too small, with
// figures that a ruler held to the screen confirms, and its fix really helps.
func TestTidesOnThePhoneStage(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	onMeasuredBench(t, h, tab, "tide-table.pdf", "?page=360")
	type gloss struct{ Title, Text, Class, Fix string }
	read := func() gloss {
		return testkit.Eval[gloss](tab, tab.Ctx, `(() => { const g = document.getElementById('gloss-body'); return { Title: g.querySelector('h3').textContent, Text: g.querySelector('p').textContent, Class: g.className, Fix: g.querySelector('.fix button')?.textContent ?? '' }; })()`)
	}
	g := read()
	assert.Equal(t, "Must fix: Body text lands at 2.3 px", g.Title)
	assert.Equal(t, "gloss must", g.Class)
	assert.Contains(t, g.Text, "x-height is 1.1 px, 0.02°")
	assert.Equal(t, "Never open below 144 % in frames below 480 px, at most 560 px tall", g.Fix)

	// The size of the text on the stage, from the layer over the page: 6.3 pt at
	// the scale that page 1 has there.
	size := testkit.Eval[float64](tab, tab.Ctx, `(async () => { const d = document.getElementById('now').contentDocument; while (!d.querySelector('#p1 .layer[data-whole]')) await new Promise(requestAnimationFrame);
		const t = [...d.querySelectorAll('#p1 .layer text')].find((e) => /\d\d:\d\d/.test(e.textContent)); return Number(t.getAttribute('font-size')) * d.querySelector('#p1').getBoundingClientRect().width / 842; })()`)
	assert.InDelta(t, 2.26, size, 0.06)

	tab.Do(chromedp.Click("#gloss-body .fix button"))
	tab.Until(tab.Ctx, `document.getElementById('gloss-body').classList.contains('order') && document.getElementById('held').style.height === '560px'`)
	assert.Contains(t, read().Text, "0.13°: readable")
	tab.Until(tab.Ctx, `(() => { const d = document.querySelectorAll('#held iframe').length === 1 && document.getElementById('now').contentDocument; return d && 'ready' in d.body.dataset && d.querySelector('#p1').getBoundingClientRect().width > 1500; })()`)
	assert.Equal(t, "gloss-sideways", testkit.Eval[string](tab, tab.Ctx, `document.getElementById('gloss-sideways')?.id ?? ''`),
		"what got worse is told")
	tab.Do(chromedp.KeyEvent("z", ctrl))
	tab.Until(tab.Ctx, `document.getElementById('gloss-body').classList.contains('must')`)
}

// The frame is pulled by its edges; it comes to rest where it has a meaning, and
// the figures follow the pointer.
func TestPullingTheFrame(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	onMeasuredBench(t, h, tab, "volunteer-handbook.pdf", "?page=820")
	mouse := func(kind input.DispatchMouseEventType, x, y float64) {
		_, err := chromedp.Call(tab.Ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, X: x, Y: y, Button: "left",
			Buttons: 1, ClickCount: 1})
		require.NoError(t, err)
	}
	scale := testkit.Eval[float64](tab, tab.Ctx, `document.getElementById('held').getBoundingClientRect().width / parseFloat(document.getElementById('held').style.width)`)

	// The right edge, a centred frame: 100 px of the web page at each side.
	at := middle(tab, ".grip.right")
	mouse("mousePressed", at[0], at[1])
	mouse("mouseMoved", at[0]-100*scale, at[1])
	tab.Until(tab.Ctx, `document.getElementById('figure').textContent.startsWith('591 ×') || document.getElementById('figure').textContent.startsWith('588 ×')`)
	assert.NotEqual(t, "1", testkit.Eval[string](tab, tab.Ctx, `document.body.dataset.revision ?? '0'`), "nothing is kept while it is pulled")
	mouse("mouseMoved", at[0]-3, at[1])
	tab.Until(tab.Ctx, `document.getElementById('figure').textContent.includes('full column')`)
	mouse("mouseMoved", at[0]-100*scale, at[1])
	mouse("mouseReleased", at[0]-100*scale, at[1])
	tab.Until(tab.Ctx, `document.body.dataset.revision === '1' && document.getElementById('width').value === '75'`)

	// The bottom edge comes to rest at one page.
	tab.Do(chromedp.KeyEvent("z", ctrl))
	tab.Until(tab.Ctx, `document.body.dataset.revision === '2'`)
	enter(tab, "#page", "360")
	enter(tab, "#max_height", "300")
	tab.Until(tab.Ctx, `document.body.dataset.revision === '3' && document.getElementById('held').style.height === '300px' && document.getElementById('held').style.width === '328px'`)
	page := testkit.Eval[float64](tab, tab.Ctx, `fetch('/placements/1/state?page=360', { headers: { Accept: 'application/json' } }).then((r) => r.json()).then((s) => s.answers.one_page)`)
	at = middle(tab, ".grip.bottom")
	mouse("mousePressed", at[0], at[1])
	mouse("mouseMoved", at[0], at[1]+page-300-5)
	tab.Until(tab.Ctx, `document.getElementById('figure').textContent.includes('one page')`)
	mouse("mouseReleased", at[0], at[1]+page-300-5)
	tab.Until(tab.Ctx, `document.body.dataset.revision === '4' && document.getElementById('height_unit').value === 'page' && document.getElementById('max_height').value === ''`)

	// The corner does both; arrows do the same.
	tab.Do(chromedp.Focus(".grip.corner"), chromedp.KeyEvent(kb.ArrowLeft))
	tab.Until(tab.Ctx, `document.body.dataset.revision === '5' && document.getElementById('width').value === '97'`)
	tab.Do(chromedp.Focus(".grip.corner"), chromedp.KeyEvent(kb.ArrowUp))
	tab.Until(tab.Ctx, `document.body.dataset.revision === '6' && document.getElementById('height_unit').value === 'px'`)

	// The curve and the ruler are dragged to another width.
	at = middle(tab, "#curve")
	mouse("mousePressed", at[0], at[1])
	mouse("mouseMoved", at[0]-60, at[1])
	mouse("mouseReleased", at[0]-60, at[1])
	tab.Until(tab.Ctx, `Math.abs(Number(document.getElementById('column').value) - 328) > 20 && document.body.dataset.shown === document.getElementById('column').value`)
	at = testkit.Eval[[]float64](tab, tab.Ctx, `(() => { const b = document.querySelector('#ruler .sign').getBoundingClientRect(); return [b.left + b.width / 2, b.top + 12]; })()`)
	mouse("mousePressed", at[0], at[1])
	mouse("mouseReleased", at[0], at[1])
	tab.Until(tab.Ctx, `document.getElementById('page').value === '360' && document.querySelector('#ruler .mark.here')`)
	assert.Equal(t, "6", testkit.Eval[string](tab, tab.Ctx, `document.body.dataset.revision`), "looking changes nothing")
}

// Leader lines end at the frame, and no line runs through written text.
func TestLeaderLinesCrossNoText(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	for i, file := range []string{"tide-table.pdf", "trail-map.pdf", "volunteer-handbook.pdf"} {
		if i == 0 {
			onMeasuredBench(t, h, tab, file, "?page=360")
		} else {
			d, p := placed(t, h, file)
			h.Measured(t, d.ID)
			tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d?page=360", h.URL, p.ID)))
		}
		for _, page := range []string{"360", "820", "1280"} {
			tab.Until(tab.Ctx, `(() => { const d = document.getElementById('now')?.contentDocument; return d?.body && 'ready' in d.body.dataset && d.querySelector('#p1 .layer') && document.querySelector('.gloss'); })()`)
			enter(tab, "#page", page)
			tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelector('#ruler .thumb').getAttribute('aria-valuenow') === '%s'`, page))
			type result struct {
				Lines   int
				Crossed []string
			}
			r := testkit.Eval[result](tab, tab.Ctx, crossings)
			assert.Empty(t, r.Crossed, "%s at %s px", file, page)
			if page == "360" {
				assert.NotZero(t, r.Lines, "%s at %s px", file, page)
			}
		}
	}
}

// crossings lists the texts that a leader line runs through: those of the desk
// and those of the reader on the stage. Lines are sampled every two px.
const crossings = `(async () => {
	for (let i = 0; i < 3; i++) await new Promise(requestAnimationFrame);
	const now = document.getElementById('now');
	const frame = now.getBoundingClientRect();
	const scale = frame.width / now.offsetWidth;
	const boxes = [];
	const collect = (d, dx, dy, k) => {
		const walk = d.createTreeWalker(d.body, NodeFilter.SHOW_TEXT);
		while (walk.nextNode()) {
			const n = walk.currentNode;
			if (!n.textContent.trim() || n.parentElement.closest('script, noscript, dialog, template, .visually-hidden, .unseen, .skip, .aloud')) continue;
			const range = d.createRange();
			range.selectNodeContents(n);
			for (const b of range.getClientRects()) if (b.width > 1 && b.height > 1) boxes.push({ left: dx + b.left * k, right: dx + b.right * k, top: dy + b.top * k + 1, bottom: dy + b.bottom * k - 1, text: n.textContent.trim().slice(0, 30) });
		}
	};
	collect(document, 0, 0, 1);
	collect(now.contentDocument, frame.left, frame.top, scale);
	const svg = document.getElementById('leaders');
	const origin = svg.getBoundingClientRect();
	const crossed = new Set();
	const lines = [...svg.querySelectorAll('path')];
	for (const line of lines) {
		for (let at = 0; at <= line.getTotalLength(); at += 2) {
			const p = line.getPointAtLength(at);
			const x = p.x + origin.left;
			const y = p.y + origin.top;
			for (const b of boxes) if (x > b.left && x < b.right && y > b.top && y < b.bottom) crossed.add(b.text);
		}
	}
	return { Lines: lines.length, Crossed: [...crossed] };
})()`

// All four screens, and draft and published beside each other.
func TestScreensAndComparison(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	p := onMeasuredBench(t, h, tab, "tide-table.pdf", "")
	tab.Do(chromedp.Click("#screens"))
	tab.Until(tab.Ctx, `document.querySelectorAll('.screen .drawn').length === 4 && [...document.querySelectorAll('.screen image')].length >= 4`)
	assert.Equal(t, "Must fix: Body text lands at 2.3 px", testkit.Eval[string](tab, tab.Ctx,
		`['.visually-hidden', '.gtitle'].map((c) => document.querySelector('.screen .gloss ' + c).textContent).join('')`))
	tab.Do(chromedp.Click(".screen .seeit"))
	tab.Until(tab.Ctx, `document.getElementById('page').value === '360' && document.getElementById('screens').getAttribute('aria-pressed') === 'false'`)

	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `document.getElementById('compare').disabled`), "there is nothing to compare yet")
	publish(t, h, p.ID)
	status, body, _ := h.Editor(t).Send("PATCH", fmt.Sprintf("/placements/%d/draft", p.ID), "application/json",
		`{"revision":0,"set":{"download":false,"max_height":240}}`)
	require.Equal(t, 200, status, body)
	tab.Do(chromedp.Navigate(fmt.Sprintf("%s/placements/%d?page=1280", h.URL, p.ID)))
	tab.Until(tab.Ctx, `document.getElementById('now')`)
	tab.Do(chromedp.Click("#compare"))
	both := `(() => { const [a, b] = ['seen', 'drafted'].map((id) => document.querySelector('#' + id + ' iframe')?.contentDocument); return a?.body && b?.body && 'ready' in a.body.dataset && 'ready' in b.body.dataset; })()`
	tab.Until(tab.Ctx, both)
	assert.Equal(t, [][]string{{"At most tall", "no maximum", "240 px"}, {"The file", "may be downloaded", "stays closed"}},
		testkit.Eval[[][]string](tab, tab.Ctx, `[...document.querySelectorAll('.differences tbody tr')].map((r) => [...r.children].map((c) => c.textContent))`))
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `Boolean(document.querySelector('#seen iframe').contentDocument.querySelector('a[download]')) && !document.querySelector('#drafted iframe').contentDocument.querySelector('a[download]')`))
	tab.Do(chromedp.KeyEvent("c"))
	tab.Until(tab.Ctx, `document.getElementById('compare').getAttribute('aria-pressed') === 'false'`)
}

// Starters: the one Incipit would choose stands first, with its reason; any of
// them is one click, and can be undone.
func TestStarters(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	p := onMeasuredBench(t, h, tab, "survey-form.pdf", "")
	tab.Do(chromedp.Click(`.what a`))
	tab.Until(tab.Ctx, `document.querySelectorAll('.starter .drawn').length === 14`)
	assert.Contains(t, testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.starter.chosen').innerText`), "to fill in")
	assert.Equal(t, "A form to print", testkit.Eval[string](tab, tab.Ctx, `document.querySelector('.starter h2').textContent`))
	tab.Accessible(tab.Ctx, "starters")
	tab.Do(chromedp.Click(`[data-starter="leaflet"]`))
	tab.Until(tab.Ctx, `document.querySelector('.what')?.textContent.includes('set up as a leaflet') && document.getElementById('flow-turn').checked`)
	placement, err := h.Placing.Placement(t.Context(), p.ID)
	require.NoError(t, err)
	draft, err := h.Placing.Draft(t.Context(), placement)
	require.NoError(t, err)
	assert.Equal(t, "leaflet", draft.Starter)
	tab.Do(chromedp.Click(`[aria-label="Undo"]`))
	tab.Until(tab.Ctx, `document.getElementById('flow-down').checked && !document.querySelector('.what').textContent.includes('leaflet')`)
	// On the bench it is one click, too.
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('start-form').click(), true)`)
	tab.Until(tab.Ctx, `document.getElementById('start-form').disabled && document.querySelector('.facts').textContent.includes('to fill in')`)
}

// The reader of each way pages run: turning goes by rows, from the right where
// pages begin there; tools behind "More" work.
func TestFlowsInTheReader(t *testing.T) {
	h := testkit.Open(t)
	_, p := placed(t, h, "volunteer-handbook.pdf")
	editor := h.Editor(t)
	tab := testkit.Browse(t, 390, 700)
	for step, c := range []struct{ set, said string }{
		{`{"flow":"turn","facing":"cover","order":"rtl"}`, "Page 2 of 52"},
		{`{"flow":"across","facing":"single","order":"ltr"}`, "Page 2 of 52"},
		{`{"flow":"tiles","facing":"pairs","zoom":{"kind":"percent","percent":10}}`, "Page 3 of 52"},
	} {
		status, body, _ := editor.Send("PATCH", fmt.Sprintf("/placements/%d/draft", p.ID), "application/json",
			fmt.Sprintf(`{"revision":%d,"set":%s}`, step, c.set))
		require.Equal(t, 200, status, body)
		publish(t, h, p.ID)
		tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
		tab.Until(tab.Ctx, readerReady)
		key := kb.ArrowRight
		if step == 0 {
			key = kb.ArrowLeft // pages begin at the right
		}
		tab.Do(chromedp.Focus("#pages"), chromedp.KeyEvent(key))
		tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('said').textContent === %q && document.getElementById('number').value === %q`,
			c.said, c.said[5:6]))
		tab.Do(chromedp.KeyEvent(kb.End))
		tab.Until(tab.Ctx, `document.getElementById('said').textContent.startsWith('Page 5') && (() => { const s = document.querySelector('.stage').getBoundingClientRect(); const b = document.getElementById('p52').getBoundingClientRect(); return b.left < s.right && b.right > s.left && b.top < s.bottom && b.bottom > s.top; })()`)
		tab.Do(chromedp.Click("#more"))
		tab.Until(tab.Ctx, `!document.getElementById('others').hidden && document.activeElement.closest('#others')`)
		tab.Do(chromedp.KeyEvent(kb.Escape))
		tab.Until(tab.Ctx, `document.getElementById('others').hidden && document.activeElement.id === 'more'`)
		assert.Equal(t, "true", testkit.Eval[string](tab, tab.Ctx, `String([...document.querySelectorAll('.bar > .t')].every((t) => t.getBoundingClientRect().right <= innerWidth))`))
	}
}

// What mends a phone leaves wide screens as they were: narrow frames have tools and a
// least zoom of their own, which come and go with the width.
func TestNarrowFramesHaveTheirOwn(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	onMeasuredBench(t, h, tab, "tide-table.pdf", "?page=360")
	const st = `document.querySelector('.bench')._x_dataStack[0].st`
	tab.Until(tab.Ctx, `[...document.querySelectorAll('.fix button')].some((b) => b.textContent.includes('in frames below 480 px'))`)
	for _, about := range []string{"Never open below", "Leave out"} {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`([...document.querySelectorAll('.fix button')].find((b) => b.textContent.startsWith(%q) && b.textContent.includes('in frames below 480 px')).click(), true)`, about))
		key := map[string]string{"Never open below": "narrow_zoom", "Leave out": "narrow_out.length"}[about]
		tab.Until(tab.Ctx, st+`.settings.`+key+` > 0`)
	}
	assert.Equal(t, []float64{0, 11}, testkit.Eval[[]float64](tab, tab.Ctx, `[`+st+`.settings.least_zoom, `+st+`.settings.tools.length]`),
		"wide screens keep theirs")
	publish(t, h, 1)
	p, err := h.Placing.Placement(t.Context(), 1)
	require.NoError(t, err)

	reader := testkit.Browse(t, 360, 700)
	resize := func(width int64) {
		_, err := chromedp.Call(reader.Ctx, emulation.SetDeviceMetricsOverride,
			emulation.SetDeviceMetricsOverrideParams{Width: width, Height: 700, DeviceScaleFactor: 1})
		require.NoError(t, err)
	}
	reader.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	reader.Until(reader.Ctx, readerReady)
	tools := func() []int {
		return testkit.Eval[[]int](reader, reader.Ctx, `[[...document.querySelectorAll('.bar > .t')].filter((t) => t.checkVisibility()).length, document.getElementById('more').checkVisibility() ? 1 : 0, parseInt(document.getElementById('p1').getBoundingClientRect().width)]`)
	}
	narrow := tools()
	assert.Zero(t, narrow[1], "nothing is behind “More”")
	assert.Greater(t, narrow[2], 700, "pages are as large as they are to be on a phone")
	resize(900)
	reader.Until(reader.Ctx, `[...document.querySelectorAll('.bar > .t')].filter((t) => t.checkVisibility()).length > `+fmt.Sprint(narrow[0]))
	wide := tools()
	assert.Less(t, wide[2], 900, "and elsewhere they fit")
	resize(360)
	reader.Until(reader.Ctx, `[...document.querySelectorAll('.bar > .t')].filter((t) => t.checkVisibility()).length === `+
		fmt.Sprint(narrow[0]))
	assert.Equal(t, narrow, tools())
}
