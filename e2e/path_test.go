package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/testkit"
)

// dropFile drops a file from an editor's disk on the page. The page must have
// answered that it takes the file before the drop counts.
func dropFile(t *testing.T, tab *testkit.Tab, path string) {
	t.Helper()
	data := &input.DragData{Items: []*input.DragDataItem{}, Files: []string{path}, DragOperationsMask: 1}
	drag := func(kind input.DispatchDragEventType) {
		_, err := chromedp.Call(tab.Ctx, input.DispatchDragEvent, input.DispatchDragEventParams{Type: kind, X: 600, Y: 400, Data: data})
		require.NoError(t, err)
	}
	drag("dragEnter")
	drag("dragOver")
	tab.Until(tab.Ctx, `getComputedStyle(document.querySelector('.dropping')).display !== 'none'`)
	drag("dragOver")
	drag("drop")
	tab.Until(tab.Ctx, `getComputedStyle(document.querySelector('.dropping')).display === 'none'`)
}

// set changes a setting on the bench and waits until it is kept.
func set(tab *testkit.Tab, action chromedp.Action[chromedp.Void], kept string) {
	tab.Do(action)
	tab.Until(tab.Ctx, kept)
}

// TestThePath is the whole job, once: from an editor's disk to a web page on
// another site that a reader opens.
func TestThePath(t *testing.T) {
	h := testkit.Open(t)
	tab := testkit.Browse(t, 1280, 800)
	signIn(h, tab)

	// Add.
	content, err := demo.PDF("tide-table.pdf")
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "tide-table.pdf")
	require.NoError(t, os.WriteFile(path, content, 0o644))
	tab.Until(tab.Ctx, `!document.querySelector('.dropping').hasAttribute('x-cloak')`)
	dropFile(t, tab, path)
	tab.Until(tab.Ctx, `document.querySelector('.docs .dtitle')?.textContent === 'Tide table'`)
	tab.Until(tab.Ctx, `document.querySelector('.docs')?.dataset.reading === 'false'`)
	h.Measured(t, 1)

	// Set.
	tab.Do(chromedp.Click(".acts .btn"))
	tab.Until(tab.Ctx, `document.getElementById('now')?.contentDocument?.body?.dataset && 'ready' in document.getElementById('now').contentDocument.body.dataset`)
	testkit.Eval[bool](tab, tab.Ctx, `window.notReloaded = true`)
	assert.Equal(t, "plan", testkit.Eval[string](tab, tab.Ctx, `JSON.parse(document.getElementById('state').textContent).starter.name`))
	// From something else first, so that each change is one.
	set(tab, chromedp.SetValue("#width", "80"), "true")
	testkit.Eval[bool](tab, tab.Ctx, `document.getElementById('width').dispatchEvent(new Event('change'))`)
	tab.Until(tab.Ctx, `document.body.dataset.revision === '1' && document.getElementById('held').style.width === '768px'`)
	tab.Do(chromedp.SetValue("#width", "100"))
	testkit.Eval[bool](tab, tab.Ctx, `document.getElementById('width').dispatchEvent(new Event('change'))`)
	tab.Until(tab.Ctx, `document.body.dataset.revision === '2' && document.getElementById('held').style.width === '960px'`)
	choose := func(id, option string, step int) {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const f = document.getElementById(%q); f.value = %q; return f.dispatchEvent(new Event('change')); })()`, id, option))
		tab.Until(tab.Ctx, fmt.Sprintf(`document.body.dataset.revision === '%d'`, step))
	}
	choose("height_unit", "px", 3)
	choose("height_unit", "page", 4)
	set(tab, chromedp.Click(`label[for="navigation-off"]`), `document.body.dataset.revision === '5'`)
	set(tab, chromedp.Click(`label[for="navigation-on"]`), `document.body.dataset.revision === '6'`)
	set(tab, chromedp.Click(`label[for="download-no"]`), `document.body.dataset.revision === '7'`)
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `window.notReloaded`), "the bench was never loaded anew")
	tab.Until(tab.Ctx, `document.querySelectorAll('#held iframe').length === 1 && !document.getElementById('now').contentDocument.querySelector('a[download]')`)

	// Publish, and copy the code.
	// Fine type on a phone is asked about: it is what this table is.
	tab.Do(chromedp.Click("#publish"))
	tab.Until(tab.Ctx, `document.getElementById('musts').open && document.querySelector('#musts .must h3').textContent !== ''`)
	tab.Accessible(tab.Ctx, "asking before publishing")
	set(tab, chromedp.Click("#anyway"), `document.querySelector('.unseen-mark').textContent.startsWith('Readers see this since')`)
	tab.Do(chromedp.Click("#embedding"))
	tab.Until(tab.Ctx, `document.getElementById('code').open`)
	tab.Allow("clipboard-read", h.URL)
	tab.Allow("clipboard-write", h.URL)
	set(tab, chromedp.Click("#copy"), `document.querySelector('#code .ok').textContent === 'Copied'`)
	code := testkit.Eval[string](tab, tab.Ctx, `navigator.clipboard.readText()`)
	require.Contains(t, code, "<iframe")
	assert.Equal(t, testkit.Eval[string](tab, tab.Ctx, `document.getElementById('embed').value`), code)

	// Paste it into the other website's page, as its owner does.
	tab.Do(chromedp.Navigate(h.Website + "/edit/visiting"))
	testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const f = document.getElementById('source'); f.value = f.value.replace('</h1>', '</h1>\n' + %q); return true; })()`, code))
	tab.Do(chromedp.Click("form button"))
	tab.Until(tab.Ctx, `location.pathname === '/visiting' && document.querySelector('iframe')`)

	// Read it there.
	site := testkit.Browse(t, 1280, 800)
	site.Do(chromedp.Navigate(h.Website + "/visiting"))
	frame := site.Frame(h.URL + "/r/")
	site.Until(frame, readerReady)
	assert.Zero(t, shift(site, site.Ctx), "nothing on the page moved")
	assert.Equal(t, "rgb", testkit.Eval[string](site, site.Ctx, `getComputedStyle(document.querySelector('h1')).color.slice(0, 3)`))

	// The pointer drags this page at first, since it is one to look over; switched,
	// it selects a word: a double click on it.
	testkit.Eval[bool](site, frame, `(document.querySelector('[data-do=pointer]').click(), true)`)
	at := testkit.Eval[[]float64](site, frame, `(async () => { for (let i = 0; i < 400 && !document.querySelector('#p1 .layer[data-whole]'); i++) await new Promise(requestAnimationFrame);
		const t = [...document.querySelectorAll('#p1 .layer text')].find((e) => e.textContent.startsWith('Tide and hide')); const b = t.getBoundingClientRect(); return [b.left + 8, b.top + b.height / 2]; })()`)
	corner := testkit.Eval[[]float64](site, site.Ctx, `(() => { const b = document.querySelector('iframe').getBoundingClientRect(); return [b.left, b.top]; })()`)
	site.Do(chromedp.MouseClickXY(corner[0]+at[0], corner[1]+at[1], chromedp.ClickCount(2)))
	site.Until(frame, `getSelection().toString().trim() === 'Tide'`)

	// Turn to page 2.
	next := testkit.Eval[[]float64](site, frame, `(() => { const b = document.querySelector('[data-do=on]').getBoundingClientRect(); return [b.left + b.width / 2, b.top + b.height / 2]; })()`)
	site.Do(chromedp.MouseClickXY(corner[0]+next[0], corner[1]+next[1]))
	site.Until(frame, `document.getElementById('said').textContent === 'Page 2 of 2' && document.querySelector('#p2 img')?.naturalWidth > 0 && document.querySelector('#p2 .layer text')`)
	box := testkit.Eval[[]float64](site, frame, `(() => { const b = document.getElementById('p2').getBoundingClientRect(); return [b.left, innerWidth]; })()`)
	assert.True(t, box[0] >= 0 && box[0] < box[1]/2, "page 2 stands in view")

	// No route gives the file.
	_, rest, _ := strings.Cut(code, `src="`)
	base, _, _ := strings.Cut(rest, `"`)
	base = strings.TrimPrefix(base, h.URL)
	assert.Nil(t, testkit.Eval[any](site, frame, `document.querySelector('a[download], a[href$="/file"]')`))
	for _, client := range []*testkit.Client{h.Visitor(t), h.Editor(t)} {
		for _, route := range []string{base + "/file", "/stage/1/file"} {
			for _, method := range []string{"GET", "HEAD", "POST"} {
				status, body, headers := client.Send(method, route, "", "")
				assert.GreaterOrEqual(t, status, http.StatusBadRequest, "%s %s", method, route)
				assert.NotEqual(t, "application/pdf", headers.Get("Content-Type"))
				assert.False(t, strings.Contains(body, "%PDF-"), "%s %s", method, route)
			}
		}
	}
	// What the frame loaded came from us, is no PDF, and left no cookie.
	assert.Equal(t, true, testkit.Eval[bool](site, frame, fmt.Sprintf(`performance.getEntriesByType('resource').every((r) => r.name.startsWith(%q) && !r.name.endsWith('/file'))`, h.URL+"/")))
	assert.Empty(t, testkit.Eval[string](site, frame, `document.cookie`))
}

// The editor's whole path by keyboard alone, in the device's own colours and in forced
// ones: signing in, adding, setting, publishing, the code, a web page. What has the
// focus is seen, and is never the page itself.
func TestThePathByKeyboardAlone(t *testing.T) {
	content, err := demo.PDF("trail-map.pdf")
	require.NoError(t, err)
	path := filepath.Join(t.TempDir(), "trail-map.pdf")
	require.NoError(t, os.WriteFile(path, content, 0o600))
	for _, colours := range []string{"none", "active"} {
		t.Run(colours, func(t *testing.T) {
			h := testkit.Open(t)
			tab := testkit.Browse(t, 1280, 800)
			_, err := chromedp.Call(tab.Ctx, emulation.SetEmulatedMedia,
				emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: "forced-colors", Value: colours}}})
			require.NoError(t, err)
			key := func(keys ...string) {
				for _, k := range keys {
					tab.Do(chromedp.KeyEvent(k))
				}
			}
			to := func(control string) {
				t.Helper()
				if !testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`document.activeElement.matches(%q)`, control)) {
					reach(t, tab, control)
				}
				assert.Equal(t, "seen", testkit.Eval[string](tab, tab.Ctx, `(() => { const e = document.activeElement; const seen = (x) => { const s = x && getComputedStyle(x); return s && (s.outlineStyle !== 'none' && parseFloat(s.outlineWidth) > 0 || s.boxShadow !== 'none'); };
					return [e, e.nextElementSibling, e.previousElementSibling, e.parentElement].some(seen) ? 'seen' : 'not seen: ' + e.outerHTML.slice(0, 90); })()`))
			}
			tab.Do(chromedp.Navigate(h.URL + "/sign-in"))
			tab.Until(tab.Ctx, `document.activeElement.id === 'email'`)
			tab.Do(chromedp.SendKeys("#email", demo.Email))
			to("#password")
			tab.Do(chromedp.SendKeys("#password", demo.Password))
			key(kb.Enter)
			tab.Until(tab.Ctx, `document.querySelector('.dropping') && !document.querySelector('.dropping').hasAttribute('x-cloak')`)

			to("#file")
			tab.Do(chromedp.SetUploadFiles("#file", []string{path})) // what the system's own window gives
			tab.Until(tab.Ctx, `document.querySelector('.docs')?.dataset.reading === 'false'`)
			to(".docs .acts .btn")
			key(kb.Enter)
			tab.Until(tab.Ctx, `document.getElementById('now')?.contentDocument?.body && 'ready' in document.getElementById('now').contentDocument.body.dataset`)
			to("#max_width")
			key("8", "2", "0", kb.Enter)
			tab.Until(tab.Ctx, `document.body.dataset.revision === '1'`)
			tab.Accessible(tab.Ctx, "the bench, "+colours)
			to("#publish")
			key(kb.Enter)
			tab.Until(tab.Ctx, `document.querySelector('.unseen-mark.ok') || document.getElementById('musts').open`)
			if testkit.Eval[bool](tab, tab.Ctx, `document.getElementById('musts').open`) {
				to("#anyway")
				key(kb.Enter)
			}
			tab.Until(tab.Ctx, `document.querySelector('.unseen-mark.ok') && document.activeElement.id === 'publish'`)
			to("#embedding")
			key(kb.Enter)
			tab.Until(tab.Ctx, `document.getElementById('code').open && document.getElementById('code').contains(document.activeElement)`)
			tab.Accessible(tab.Ctx, "the code, "+colours)
			key(kb.Escape)
			tab.Until(tab.Ctx, `document.activeElement.id === 'embedding'`)

			to(`nav.ways a[href="/web-pages"]`)
			key(kb.Enter)
			tab.Until(tab.Ctx, `document.getElementById('newtitle')`)
			to("#newtitle")
			tab.Do(chromedp.SendKeys("#newtitle", "Paths"+kb.Enter))
			tab.Until(tab.Ctx, `document.querySelector('#rows [data-block]')`)
			to(`[data-add="placement"]`)
			key(kb.Enter)
			tab.Until(tab.Ctx, `document.querySelector('#rows .block.placement.picked')`)
			to("#doc")
			key("T")
			tab.Until(tab.Ctx, `document.querySelector('#rows .held iframe')`)
			tab.Accessible(tab.Ctx, "the web page, "+colours)
			to("#publish")
			key(kb.Enter)
			tab.Until(tab.Ctx, `document.querySelector('.unseen-mark').classList.contains('ok')`)
			assert.NotEqual(t, "BODY", testkit.Eval[string](tab, tab.Ctx, `document.activeElement.tagName`))
			address := testkit.Eval[string](tab, tab.Ctx, `new URL(document.querySelector('.what a[target]').href).pathname`)
			status, body, _ := h.Visitor(t).Get(address)
			require.Equal(t, 200, status)
			assert.Contains(t, body, "/r/")
		})
	}
}
