package e2e

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/starter"
	"incipit/internal/core/toolbar"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/paper"
	"incipit/internal/testkit/patience"
)

// received publishes a file with all tools and opens it.
func received(t *testing.T, h *testkit.House, name string, b []byte, width, height int64) (placing.Placement, library.Edition,
	*testkit.Tab) {
	t.Helper()
	d, e, err := h.Intake.Receive(t.Context(), name+".pdf", bytes.NewReader(b), 0)
	require.NoError(t, err)
	patience.Until(t, func() bool { // its title may become the file's own
		is, err := h.Library.Edition(t.Context(), e.ID)
		return err == nil && is.State == library.Ready
	}, "%s is examined", name)
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	s := setting.Default()
	s.Tools = toolbar.Set(toolbar.All())
	require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 0, setting.Diff(setting.Default(), s)))
	publish(t, h, p.ID)
	tab := testkit.Browse(t, width, height)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	return p, e, tab
}

// below says how far the top of the frame is below the top of a page, in points.
const below = `(page) => { const s = document.getElementById('p' + page).getBoundingClientRect(); return (document.getElementById('pages').getBoundingClientRect().top + 12 - s.top) / s.height * 842; }`

// What leads somewhere arrives at its spot and makes a step, which Back undoes; what
// leads nowhere says so; what is loaded anew is where it was.
func TestGoingToAPlace(t *testing.T) {
	h := testkit.Open(t)
	p, _, tab := received(t, h, "Manual", paper.Manual(20, 60), 900, 500)
	at := func(page int, points float64) {
		t.Helper()
		tab.Until(tab.Ctx, fmt.Sprintf(`Math.abs((%s)(%d) - %g) < 6`, below, page, points))
	}
	// Contents begin folded but for the way to where reading is.
	tab.Do(chromedp.Click(`[data-do=contents]`))
	tab.Until(tab.Ctx, `document.querySelector('#contents[aria-busy=false] [aria-current]')`)
	shown := `[...document.querySelectorAll('#contents a')].filter((a) => a.offsetParent).length`
	assert.Equal(t, 5+2+11, testkit.Eval[int](tab, tab.Ctx, shown), "the chapters, what leads elsewhere, and the first chapter's parts")
	tab.Accessible(tab.Ctx, "folded contents")
	tab.Do(chromedp.Focus(`#contents nav > ol > li:nth-child(4) > a`), chromedp.KeyEvent(kb.ArrowRight))
	tab.Until(tab.Ctx, shown+` === 29`)
	tab.Do(chromedp.Click(`#contents nav > ol > li:nth-child(4) > .fold`))
	tab.Until(tab.Ctx, shown+` === 18`)
	tab.Do(chromedp.Click(`#contents nav > ol > li:nth-child(4) > .fold`),
		chromedp.Click(`#contents nav > ol > li:nth-child(4) ol li:nth-child(5) a`)) // entry 41
	at(1+41*19/60, 100+40)
	tab.Do(chromedp.Click(`#contents [data-beyond=file]`))
	tab.Until(tab.Ctx, `document.getElementById('note-beyond')?.textContent.includes('another file')`)
	tab.Do(chromedp.Click(`#contents [data-beyond=none]`))
	tab.Until(tab.Ctx, `document.getElementById('note-beyond')?.textContent.includes('leads nowhere')`)
	tab.Do(chromedp.Click(`#contents .shut`), chromedp.NavigateBack())
	at(1, 0)
	// A link on the page, Back, and forward again.
	tab.Until(tab.Ctx, `document.querySelector('#p1 .layer a[data-page="20"]')`)
	tab.Do(chromedp.Click(`#p1 .layer a[data-page="20"] rect`))
	at(20, 300)
	assert.Equal(t, "p20", testkit.Eval[string](tab, tab.Ctx, `document.activeElement.id`))
	tab.Do(chromedp.NavigateBack())
	at(1, 0)
	tab.Do(chromedp.NavigateForward())
	at(20, 300)
	// Loaded anew it is where it was, in its size.
	tab.Do(chromedp.Click(`[data-do=larger]`))
	tab.Until(tab.Ctx, `history.state.place.zoom > 100`)
	before := testkit.Eval[[]any](tab, tab.Ctx, `[document.getElementById('number').value, document.getElementById('zoom').textContent]`)
	spot := testkit.Eval[float64](tab, tab.Ctx, `(`+below+`)(20)`)
	tab.Do(chromedp.Reload())
	tab.Until(tab.Ctx, readerReady)
	at(20, spot)
	assert.Equal(t, before, testkit.Eval[[]any](tab, tab.Ctx, `[document.getElementById('number').value, document.getElementById('zoom').textContent]`))
	// Addresses (RFC 8118).
	for i, c := range []struct {
		fragment string
		page     int
		points   float64
	}{
		{"nameddest=high-water", 2, 400}, {"page=7&view=FitH,250", 7, 250}, {"page=5&zoom=150,0,300", 5, 300},
		{"page=9&viewrect=50,200,300,100", 9, 200}, {"page=99", 20, -1}, {"page=0", 1, 0},
	} {
		tab.Do(chromedp.Navigate(fmt.Sprintf("%s/r/%s?n=%d#%s", h.URL, p.Key, i, c.fragment)))
		tab.Until(tab.Ctx, readerReady)
		if c.points >= 0 {
			at(c.page, c.points)
		}
		tab.Until(tab.Ctx, fmt.Sprintf(`document.getElementById('number').value === '%d'`, c.page))
		said := testkit.Eval[string](tab, tab.Ctx, `document.getElementById('note-beyond')?.textContent ?? ''`)
		assert.Equal(t, c.fragment == "page=99" || c.fragment == "page=0", said != "", "%s: %s", c.fragment, said)
	}
}

// Slides are whole wherever they are shown: in their own window, on a phone that
// lies, in a low window and in a tall one.
func TestSlidesAreWhole(t *testing.T) {
	for _, size := range [][2]int64{{1280, 800}, {844, 390}, {1000, 260}, {390, 844}} {
		h := testkit.Open(t)
		_, p := placed(t, h, "trail-map.pdf")
		s := setting.Default()
		patch := slides(t)
		s, err := patch.Over(s)
		require.NoError(t, err)
		require.NoError(t, h.Placing.Redraft(t.Context(), p.ID, 0, setting.Diff(setting.Default(), s)))
		publish(t, h, p.ID)
		tab := testkit.Browse(t, size[0], size[1])
		tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
		tab.Until(tab.Ctx, readerReady)
		assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `(() => { const s = document.getElementById('p1').getBoundingClientRect(); const r = document.getElementById('pages').getBoundingClientRect(); return s.width > 100 && s.left >= r.left && s.right <= r.right + 1 && s.top >= r.top && s.bottom <= r.bottom + 1; })()`), "%v", size)
	}
}

// slides are the settings of that starter.
func slides(t *testing.T) setting.Patch {
	t.Helper()
	s, ok := starter.Named("slides")
	require.True(t, ok)
	return s.Set
}

// Where finding is not given, the browser's own search finds what stands on pages
// that are far, and leads there; where the text may not be taken, nothing is sent.
func TestTheBrowsersOwnSearch(t *testing.T) {
	t.Parallel() // it waits more than it works
	for _, how := range [][2]bool{{true, false}, {true, true}, {false, false}} {
		copying, menu := how[0], how[1]
		h, p, tab := opened(t, "volunteer-handbook.pdf", 900, 600, func(s *setting.Settings) {
			s.Copying = copying
			s.Tools = toolbar.Set{toolbar.Number}
		})
		_, _ = h, p
		if menu {
			testkit.Eval[bool](tab, tab.Ctx, `dispatchEvent(new Event('blur'))`) // its menu takes the focus
		} else {
			tab.Do(chromedp.KeyEvent("f", func(p *input.DispatchKeyEventParams) { p.Modifiers |= 2 }))
		}
		if !copying {
			tab.Until(tab.Ctx, `performance.now() > 3000 && !document.querySelector('.until')`)
			continue
		}
		tab.Until(tab.Ctx, `document.querySelector('.until[data-whole]')`)
		pages := testkit.Eval[int](tab, tab.Ctx, `document.querySelectorAll('.until > [hidden=until-found]').length`)
		assert.Greater(t, pages, 45)
		assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `document.body.textContent.includes('mending shelf') && getComputedStyle(document.querySelector('.until > div')).contentVisibility === 'hidden'`))
		testkit.Eval[bool](tab, tab.Ctx, `[...document.querySelectorAll('.until > div')].at(-3).dispatchEvent(new Event('beforematch'))`)
		tab.Until(tab.Ctx, `document.getElementById('number').value === '50' && document.querySelector('#p50 img')?.naturalWidth > 0`)
		tab.Until(tab.Ctx, fmt.Sprintf(`document.querySelectorAll('.until > div').length < %d`, pages)) // where a layer is, it is what is found
	}
}

// The text view has its contents, notes and figures: contents lead to their page, a
// note is gone to and come back from, and a figure is cut out of its page.
func TestPartsOfTheTextView(t *testing.T) {
	h := testkit.Open(t)
	made, err := os.ReadFile(filepath.Join("..", "internal", "intake", "testdata", "kinds.pdf"))
	require.NoError(t, err)
	_, _, tab := received(t, h, "Companion", made, 700, 700)
	waitIndexed(t, h)
	tab.Do(chromedp.Reload())
	tab.Until(tab.Ctx, readerReady)
	tab.Do(chromedp.Click(`[data-do=text]`))
	tab.Until(tab.Ctx, `document.querySelector('.flowing section.here')`)
	tab.Accessible(tab.Ctx, "the parts of the text view")
	tab.Do(chromedp.Click(`.contents a[data-to="3"]`))
	tab.Until(tab.Ctx, `document.getElementById('number').value === '3'`)
	tab.Until(tab.Ctx, `(() => { const c = document.querySelector('svg.cut').getBoundingClientRect(); return c.width > 200 && c.height > 80 && document.querySelector('figure figcaption').textContent.startsWith('Figure 1'); })()`)
	inView := `(() => { const n = document.activeElement.getBoundingClientRect(); const f = document.getElementById('flow').getBoundingClientRect(); return n.top >= f.top && n.bottom <= f.bottom; })()`
	tab.Do(chromedp.Click(`a[role=doc-noteref][href="#n4-2"]`))
	tab.Until(tab.Ctx, `document.activeElement.id === 'n4-2' && `+inView)
	tab.Do(chromedp.Click(`#n4-2 a[role=doc-backlink]`))
	tab.Until(tab.Ctx, `document.activeElement.id === 'r4-2' && `+inView)
}

// Where each page is as large as fits, pages of other sizes are as wide as the first,
// hits lie on their words, links arrive at their height, and the size that is told is
// that of the page.
func TestEachPageAsLargeAsFits(t *testing.T) {
	_, p, tab := opened(t, "annual-report.pdf", 700, 700, func(s *setting.Settings) { s.RowScale = setting.EachRow })
	require.NotEmpty(t, p.Key)
	widths := testkit.Eval[[]float64](tab, tab.Ctx, `[...document.querySelectorAll('.sheet')].map((s) => parseFloat(getComputedStyle(s).width))`)
	for _, w := range widths {
		assert.InDelta(t, widths[0], w, 1)
	}
	figure := `parseInt(document.getElementById('zoom').textContent)`
	first := testkit.Eval[int](tab, tab.Ctx, figure)
	testkit.Eval[bool](tab, tab.Ctx, `(() => { const e = document.getElementById('number'); e.value = 6; return e.dispatchEvent(new Event('change')); })()`)
	tab.Until(tab.Ctx, `document.querySelector('#p6 .layer[data-whole]')`)
	turned := testkit.Eval[[]float64](tab, tab.Ctx, `[...document.querySelectorAll('#p1 , #p6')].map((s) => Number(getComputedStyle(s).getPropertyValue('--f')))`)
	tab.Do(chromedp.Click(`[data-do=larger]`), chromedp.Click(`[data-do=smaller]`))
	tab.Until(tab.Ctx, fmt.Sprintf(`Math.abs(%s - %d * %g / %g) < 12`, figure, first, turned[1], turned[0]))
	tab.Do(chromedp.Click(`[data-do=find]`))
	tab.Until(tab.Ctx, `document.getElementById('words-find')`)
	look(tab, "stored upright")
	tab.Until(tab.Ctx, `document.querySelector('#p6 .hits rect') && document.querySelector('#p6 .layer[data-whole]')`)
	assert.True(t, testkit.Eval[bool](tab, tab.Ctx, `(() => {
		const hit = document.querySelector('#p6 .hits rect').getBoundingClientRect();
		const line = [...document.querySelectorAll('#p6 .layer text')].find((t) => t.textContent.includes('stored upright')).getBoundingClientRect();
		return hit.left >= line.left - 2 && hit.right <= line.right + 2 && hit.top >= line.top - 6 && hit.bottom <= line.bottom + 6; })()`), "the hit lies on its words")
}

// In the dark, pages are light on dark where the editor or the reader wants it; the
// pictures on them stay as they are.
func TestPagesInTheDark(t *testing.T) {
	h := testkit.Open(t)
	made, err := os.ReadFile(filepath.Join("..", "internal", "intake", "testdata", "kinds.pdf"))
	require.NoError(t, err)
	p, _, tab := received(t, h, "Companion", made, 700, 700)
	s := setting.Default()
	s.Tools, s.Dim, s.Scheme = toolbar.Set(toolbar.All()), true, setting.Dark
	h.Publish(t, p.ID, s)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key + "?dark#page=3"))
	tab.Until(tab.Ctx, `document.querySelector('#p3 .kept canvas')`)
	// The picture's paper is white, the page around it dark.
	looks := func() []bool { // all is read at once: browsers warn where it is read again and again
		return testkit.Eval[[]bool](tab, tab.Ctx, `(() => {
			const canvas = document.querySelector('#p3 .kept canvas');
			const all = canvas?.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
			const at = (x, y) => (all ? all[4 * (Math.round(y) * canvas.width + Math.round(x))] : 0);
			const paper = [at(canvas?.width / 2, 4)];
			// The line of the drawing ends in a dot at its upper right corner.
			const dot = [at(canvas?.width * 180 / 184, canvas?.height * 2.5 / 93.8)];
			const c = canvas?.getBoundingClientRect(), s = document.getElementById('p3').getBoundingClientRect();
			return [getComputedStyle(document.querySelector('#p3 > img')).filter.includes('invert'), paper[0] > 240, !!c && c.left > s.left && c.right < s.right && c.width > 100 && dot[0] < 60]; })()`)
	}
	assert.Equal(t, []bool{true, true, true}, looks())
	tab.Accessible(tab.Ctx, "dimmed pages")
	tab.Do(chromedp.Click(`[data-do=sizes]`))
	tab.Until(tab.Ctx, `document.getElementById('dim')?.checked`)
	tab.Do(chromedp.Click(`#dim`))
	tab.Until(tab.Ctx, `!document.querySelector('.kept') && getComputedStyle(document.querySelector('#p3 > img')).filter === 'none'`)
	tab.Do(chromedp.Click(`#dim`))
	tab.Until(tab.Ctx, `document.querySelector('#p3 .kept canvas')`)
	s.Scheme = setting.Light
	h.Publish(t, p.ID, s)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key + "?light#page=3"))
	tab.Until(tab.Ctx, `document.querySelector('#p3 .layer[data-whole]')`)
	assert.Equal(t, []bool{false, false, false}, looks())
}

// The largest page there is and a tiny one show whole, and come back from being
// enlarged; between them sizes keep to their bounds.
func TestTheLargestAndTheSmallestPage(t *testing.T) {
	h := testkit.Open(t)
	for name, box := range map[string]string{"Largest": "0 0 14400 14400", "Smallest": "0 0 8 6"} {
		p, e, tab := received(t, h, name, hostile.OnePage(box, "/Contents 4 0 R", hostile.Stream("", "0 0 1 rg 1 1 5 3 re f")), 640, 500)
		s := setting.Default()
		s.Tools, s.Zoom.Kind = toolbar.Set(toolbar.All()), setting.FitPage
		h.Publish(t, p.ID, s)
		tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key + "?whole"))
		tab.Until(tab.Ctx, readerReady)
		whole := `(() => { const s = document.getElementById('p1').getBoundingClientRect(), r = document.getElementById('pages').getBoundingClientRect(); return s.width > 20 && s.left >= r.left && s.right <= r.right + 1 && s.top >= r.top && s.bottom <= r.bottom + 1; })()`
		tab.Until(tab.Ctx, whole)
		b := frame.Layout(s, frame.PagesOf(e.AllSheets()), 640, 500)
		assert.Positive(t, b.Scale)
		tab.Do(chromedp.Click(`[data-do=larger]`), chromedp.Click(`[data-do=sizes]`))
		tab.Until(tab.Ctx, `document.getElementById('percent')`)
		testkit.Eval[bool](tab, tab.Ctx, `([...document.querySelectorAll('#sizes .plain')][2].click(), true)`)
		tab.Until(tab.Ctx, whole)
	}
}

// In a frame of another website keys work as it opens, with no press before them;
// until then the page around keeps its focus.
func TestKeysInAFrameThatOpens(t *testing.T) {
	h := testkit.Open(t)
	onWebsite(t, h, "volunteer-handbook.pdf", nil)
	f := framed(t, h, "/r/")
	around := func() string { return testkit.Eval[string](f.site, f.site.Ctx, `document.activeElement.tagName`) }
	require.Equal(t, "BODY", around(), "a frame that opens takes no focus")
	f.press(kb.PageDown)
	f.until(`document.getElementById('pages').scrollTop > 40`)
	f.press(kb.End)
	f.until(`document.getElementById('number').value === '52'`)
}

// The page that one goes to is the one that is told, also where it is so short, or so
// near the end, that another one takes more of the frame; moving on tells what is read.
func TestTheEntryKeepsWhatItTook(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "annual-report.pdf", nil)
	tab := testkit.Browse(t, 1200, 1900)
	tab.Do(chromedp.Navigate(h.URL + "/r/" + p.Key))
	tab.Until(tab.Ctx, readerReady)
	for _, page := range []int{3, 6, 7, 5, 1, 4} {
		testkit.Eval[bool](tab, tab.Ctx, fmt.Sprintf(`(() => { const e = document.getElementById('number'); e.value = %d; return e.dispatchEvent(new Event('change')); })()`, page))
		// What follows a scroll has followed: two frames later it is still that page.
		got := testkit.Eval[string](tab, tab.Ctx, `new Promise((done) => { let n = 0; const look = () => (n++ < 6 ? requestAnimationFrame(look) : done(document.getElementById('number').value)); look(); })`)
		assert.Equal(t, fmt.Sprint(page), got)
	}
	testkit.Eval[bool](tab, tab.Ctx, `(document.getElementById('pages').scrollTop = 0, true)`)
	tab.Until(tab.Ctx, `document.getElementById('number').value === '1'`)
}
