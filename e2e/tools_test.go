package e2e

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// inFrame drives a reader in a cross-site frame as a person does: what is
// pressed is pressed in the window, where the frame happens to stand.
type inFrame struct {
	t     *testing.T
	site  *testkit.Tab
	frame context.Context
}

func framed(t *testing.T, h *testkit.House, base string) inFrame {
	t.Helper()
	site := testkit.Browse(t, 1280, 900)
	site.Do(chromedp.Navigate(h.Website + "/visiting"))
	f := inFrame{t: t, site: site, frame: site.Frame(h.URL + base)}
	site.Until(f.frame, readerReady)
	return f
}

// middle gives the middle of an element in the window.
func (f inFrame) middle(selector string) (x, y float64) {
	f.t.Helper()
	corner := testkit.Eval[[]float64](f.site, f.site.Ctx, `(() => { const f = document.querySelector('iframe'); f.scrollIntoView({ block: 'nearest' }); const b = f.getBoundingClientRect(); return [b.left, b.top]; })()`)
	at := testkit.Eval[[]float64](f.site, f.frame, fmt.Sprintf(`(() => { const b = document.querySelector(%q).getBoundingClientRect(); return [b.left + b.width / 2, b.top + b.height / 2]; })()`, selector))
	return corner[0] + at[0], corner[1] + at[1]
}

func (f inFrame) mouse(selector string) {
	f.t.Helper()
	x, y := f.middle(selector)
	f.site.Do(chromedp.MouseClickXY(x, y))
}

func (f inFrame) touch(selector string) {
	f.t.Helper()
	x, y := f.middle(selector)
	for _, kind := range []input.DispatchTouchEventType{input.DispatchTouchEventTypeTouchStart, input.DispatchTouchEventTypeTouchEnd} {
		points := []*input.TouchPoint{{X: x, Y: y}}
		if kind == input.DispatchTouchEventTypeTouchEnd {
			points = []*input.TouchPoint{}
		}
		_, err := chromedp.Call(f.site.Ctx, input.DispatchTouchEvent, input.DispatchTouchEventParams{Type: kind, TouchPoints: points})
		require.NoError(f.t, err)
	}
}

func (f inFrame) key(selector string) {
	f.t.Helper()
	testkit.Eval[bool](f.site, f.frame, fmt.Sprintf(`(document.querySelector(%q).focus(), true)`, selector))
	f.press(kb.Enter)
}

func (f inFrame) press(key string, o ...chromedp.KeyOption) {
	f.t.Helper()
	require.NoError(f.t, chromedp.Do(f.frame, chromedp.KeyEvent(key, o...)))
}

func (f inFrame) until(script string) { f.t.Helper(); f.site.Until(f.frame, script) }

// tried is one button: its tool, what comes of pressing it, and how to go back.
type tried struct {
	tool  toolbar.Tool
	do    string
	until string
	back  string
}

func panelOf(tool toolbar.Tool, do, name, ready string) tried {
	return tried{tool, do, fmt.Sprintf(`document.querySelector('#%s:not([hidden])') && (%s) && document.querySelector('[data-do=%s]').ariaExpanded === 'true'`, name, ready, do),
		fmt.Sprintf(`document.querySelector('#%s .shut').click()`, name)}
}

var buttons = []tried{
	{toolbar.Turn, "on", `document.getElementById('number').value === '6'`, ""},
	{toolbar.Turn, "back", `document.getElementById('number').value === '4'`, ""},
	{toolbar.Zoom, "larger", `document.getElementById('zoom').textContent === '150 %'`, ""},
	{toolbar.Zoom, "smaller", `document.getElementById('zoom').textContent === '110 %'`, ""},
	panelOf(toolbar.Zoom, "sizes", "sizes", `document.querySelectorAll('#sizes .plain').length === 4`),
	panelOf(toolbar.Contents, "contents", "contents", `document.querySelectorAll('#contents a').length === 51`),
	panelOf(toolbar.Find, "find", "find", `document.activeElement.id === 'words-find'`),
	panelOf(toolbar.Overview, "overview", "overview", `document.querySelector('.small[aria-current]')?.dataset.small === '5'`),
	panelOf(toolbar.About, "about", "about", `document.querySelector('#about dd')?.textContent === 'Volunteer handbook'`),
	panelOf(toolbar.Link, "link", "link", `document.getElementById('address').value.endsWith('&page=5&zoom=125')`),
	panelOf(toolbar.Print, "print", "print", `document.querySelectorAll('#print [type=radio]').length === 3`),
	panelOf(toolbar.Download, "take", "take", `document.querySelectorAll('#take a').length === 2 && document.querySelector('#take a[href*="/leaf/"]').href.endsWith('/5')`),
	{toolbar.Text, "text", `Math.abs(document.querySelector('.flowing:not([hidden]) #t5')?.getBoundingClientRect().top - 110) < 60 && document.querySelector('[data-do=text]').ariaPressed === 'true' && document.getElementById('number').value === '5'`, `document.querySelector('.flowing .way .plain:last-child').click()`},
	{toolbar.Rotate, "rotate", `document.getElementById('pages').dataset.turn === '1' && document.getElementById('p5').offsetWidth > document.getElementById('p5').offsetHeight`, `for (let i = 0; i < 3; i++) document.querySelector('[data-do=rotate]').click()`},
	{toolbar.Pointer, "pointer", `document.getElementById('pages').classList.contains('drags') && document.querySelector('[data-do=pointer]').ariaPressed === 'true'`, `document.querySelector('[data-do=pointer]').click()`},
	{toolbar.FullScreen, "full", `document.fullscreenElement === document.documentElement`, `document.exitFullscreen()`},
}

// start brings the reader to page 5 at 125 %.
const start = `(() => {
	const e = document.getElementById('number'); e.value = 5; e.dispatchEvent(new Event('change'));
	document.querySelector('[data-do=sizes]').click(); return true; })()`

func (f inFrame) start() {
	f.t.Helper()
	testkit.Eval[bool](f.site, f.frame, start)
	f.until(`document.querySelector('#sizes:not([hidden]) form')`)
	// The pages come to rest beside the panel before their size is changed.
	testkit.Eval[bool](f.site, f.frame, `new Promise((done) => { requestAnimationFrame(() => requestAnimationFrame(() => done(true))); })`)
	testkit.Eval[bool](f.site, f.frame, `(() => { document.getElementById('percent').value = 125; document.querySelector('#sizes form').requestSubmit(); document.querySelector('#sizes .shut').click(); document.activeElement.blur(); return true; })()`)
	f.until(`document.getElementById('zoom').textContent === '125 %' && document.getElementById('number').value === '5'`)
}

// Every tool does its work in a frame on another site, by mouse, by touch and by
// keyboard.
func TestEveryToolInEveryWay(t *testing.T) {
	h := testkit.Open(t)
	var all toolbar.Set
	onWebsite(t, h, "volunteer-handbook.pdf", func(s *setting.Settings) {
		all = toolbar.Set(toolbar.All())
		s.Tools, s.Name, s.Height = all, false, setting.Length{Value: 600, Unit: setting.Pixels}
	})
	waitIndexed(t, h)
	f := framed(t, h, "/r/")
	covered := map[toolbar.Tool]bool{toolbar.Layers: true, toolbar.Number: true}
	for way, press := range map[string]func(string){"mouse": f.mouse, "touch": f.touch, "keyboard": f.key} {
		for _, b := range buttons {
			covered[b.tool] = true
			f.start()
			t.Log(way, b.do)
			// What does not fit is behind "More".
			if !testkit.Eval[bool](f.site, f.frame, fmt.Sprintf(`document.querySelector('[data-do=%s]').offsetParent !== null`, b.do)) {
				press("#more")
				f.until(fmt.Sprintf(`document.querySelector('#others [data-do=%s]').offsetParent !== null`, b.do))
			}
			press(fmt.Sprintf("[data-do=%s]", b.do))
			f.until(b.until)
			if b.back != "" {
				testkit.Eval[any](f.site, f.frame, b.back)
				f.until(`!document.querySelector('.side:not([hidden])') && !document.fullscreenElement && !document.body.classList.contains('as-text')`)
			}
		}
		// The number is typed, whichever way one comes to it.
		f.start()
		if way == "keyboard" {
			testkit.Eval[bool](f.site, f.frame, `(document.getElementById('number').focus(), true)`)
		} else {
			// Just after full screen a headless browser may send the first press to
			// where the frame stood before: it is pressed until it has the focus.
			for range 5 {
				press("#number")
				if testkit.Eval[bool](f.site, f.frame, `(async () => { for (let i = 0; i < 30 && document.activeElement.id !== 'number'; i++) await new Promise(requestAnimationFrame); return document.activeElement.id === 'number'; })()`) {
					break
				}
			}
		}
		f.until(`document.activeElement.id === 'number'`)
		testkit.Eval[bool](f.site, f.frame, `(document.getElementById('number').select(), true)`)
		f.press("12")
		f.press(kb.Enter)
		f.until(`document.getElementById('said').textContent === 'Page 12 of 52'`)
		testkit.Eval[bool](f.site, f.frame, `(document.activeElement.blur(), true)`)
	}
	for _, tool := range toolbar.All() {
		assert.True(t, covered[tool], "%s was tried", tool)
	}
	// Where all tools are given, their targets are a fingertip wide.
	small := testkit.Eval[[]string](f.site, f.frame, `[...document.querySelectorAll('.bar .tool')].filter((b) => b.offsetParent && (b.offsetWidth < 44 || b.offsetHeight < 44)).map((b) => b.dataset.do)`)
	assert.Empty(t, small)
}

// waitIndexed waits until the text of every document can be searched.
func waitIndexed(t testing.TB, h *testkit.House) {
	t.Helper()
	patience.Until(t, func() bool {
		all, err := h.Library.Documents(context.Background(), "")
		if err != nil {
			return false
		}
		for _, d := range all {
			e, err := h.Library.CurrentEdition(context.Background(), d.ID)
			if err != nil || e.HasText && e.Indexed < e.Pages {
				return false
			}
		}
		return true
	}, "every page is read")
}

// A tool that is not given is not there, and what it needs of the server is
// refused to whoever asks.
func TestNoToolWithoutLeave(t *testing.T) {
	h := testkit.Open(t)
	d, p := placed(t, h, "volunteer-handbook.pdf")
	waitIndexed(t, h)
	e, err := h.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	base, mark := "/r/"+p.Key, e.SHA256[:16]
	routes := map[string]string{
		"find": "/find/" + mark + "?q=tide", "hits": "/hits/" + mark + "/12?q=tide", "contents": "/contents/" + mark, "about": "/about/" + mark,
		"text": "/text", "flow": "/flow/" + mark + "/1", "layer": "/layer/" + mark + "/9", "print": "/print?pages=1", "file": "/file",
		"leaf": "/leaf/" + mark + "/9",
	}
	all := func(s *setting.Settings) { s.Tools = toolbar.Set(toolbar.All()) }
	without := func(tools ...toolbar.Tool) func(*setting.Settings) {
		return func(s *setting.Settings) { s.Tools = toolbar.Set(toolbar.All()).Without(tools...) }
	}
	step := 0
	for _, c := range []struct {
		name    string
		change  func(*setting.Settings)
		gone    []string // data-do of buttons
		refused []string // of routes
	}{
		{"everything", all, nil, nil},
		{"no find", without(toolbar.Find), []string{"find"}, []string{"find", "hits"}},
		{"no contents, no facts", without(toolbar.Contents, toolbar.About), []string{"contents", "about"}, []string{"contents", "about"}},
		{"no navigation", func(s *setting.Settings) { all(s); s.Navigation = false }, []string{"on", "back", "contents", "overview"},
			[]string{"contents"}},
		{"no file", func(s *setting.Settings) { all(s); s.Download = false }, []string{"take"}, []string{"file", "leaf"}},
		{"no print", func(s *setting.Settings) { all(s); s.Print = false }, []string{"print"}, []string{"print"}},
		{"no text to take", func(s *setting.Settings) { all(s); s.Copying = false }, []string{"pointer"}, []string{"layer"}},
		{"no text view", func(s *setting.Settings) { all(s); s.TextView = setting.Closed }, []string{"text"}, []string{"text", "flow"}},
		{"nothing to look with", without(toolbar.Zoom, toolbar.Rotate, toolbar.FullScreen, toolbar.Link, toolbar.Pointer, toolbar.Overview),
			[]string{"larger", "smaller", "sizes", "rotate", "full", "link", "pointer", "overview"}, nil},
		{"no toolbar", func(s *setting.Settings) { all(s); s.Toolbar = false }, []string{"find", "contents", "about", "text", "print", "take"},
			[]string{"find", "hits", "contents", "about"}},
	} {
		s := setting.Default()
		c.change(&s)
		require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, int64(step), setting.Diff(setting.Default(), s)))
		step++
		publish(t, h, p.ID)
		v := h.Visitor(t)
		_, page, _ := v.Get(base)
		for _, b := range buttons {
			there := strings.Contains(page, fmt.Sprintf(`data-do="%s"`, b.do))
			assert.Equal(t, !slices.Contains(c.gone, b.do) && s.Toolbar, there, "%s: %s", c.name, b.do)
		}
		for name, route := range routes {
			for _, who := range []string{base, fmt.Sprintf("/stage/%d", p.ID)} {
				client := v
				if who != base {
					client = h.Editor(t)
				}
				status, body, _ := client.Get(who + route)
				if slices.Contains(c.refused, name) {
					assert.GreaterOrEqual(t, status, http.StatusBadRequest, "%s: %s", c.name, name)
					assert.NotContains(t, body, "Small, pale rump", "%s: %s", c.name, name)
					assert.NotContains(t, body, "%PDF-", "%s: %s", c.name, name)
				} else {
					assert.Equal(t, http.StatusOK, status, "%s: %s", c.name, name)
				}
			}
		}
		if !s.Copying {
			_, body, _ := v.Get(base + routes["find"])
			assert.NotContains(t, body, "quote", "hits are not quoted where the text stays closed")
			_, body, _ = v.Get(base + "/links/" + mark + "/9")
			assert.NotContains(t, body, "<text")
		}
	}
}
