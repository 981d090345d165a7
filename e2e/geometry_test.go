package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/vary"
)

// combination is one placement on the test's web page.
type combination struct {
	file     string
	settings setting.Settings
	pages    frame.Pages
	headings int
	text     bool
	column   float64
	code     string
	window   float64
}

// boxes are what the browser made of one.
type boxes struct {
	Frame, Inner [2]float64
	Pages        [][4]float64
	Shown, More  []string
	Per          float64 // CSS px per point
	Sideways     float64 // CSS px that the pages can be moved across
}

// measureAll waits for every reader on the page and measures it. Boxes of pages
// start at the corner of the inner box.
const measureAll = `(async () => {
	const frames = [...document.querySelectorAll('iframe')];
	const ready = (f) => f.contentDocument?.body && 'ready' in f.contentDocument.body.dataset;
	while (!frames.every(ready)) await new Promise(requestAnimationFrame);
	for (let i = 0; i < 3; i++) await new Promise(requestAnimationFrame);
	return frames.map((f) => {
		const d = f.contentDocument;
		const inner = d.querySelector('.stage').getBoundingClientRect();
		const outer = f.getBoundingClientRect();
		const sheets = [...d.querySelectorAll('.sheet')].map((s) => s.getBoundingClientRect());
		const names = (at) => [...d.querySelectorAll(at + ' > .t')].filter((t) => at !== '.bar' || t.getClientRects().length).map((t) => t.className.slice(4));
		return { Frame: [outer.width, outer.height], Inner: [inner.width, inner.height],
			Pages: sheets.map((s) => [s.left - inner.left, s.top - inner.top, s.width, s.height]), Shown: names('.bar'), More: names('.others'),
			Sideways: d.getElementById('pages').scrollWidth - d.getElementById('pages').clientWidth,
			Per: sheets[0].width / Number(d.defaultView.getComputedStyle(d.querySelector('.sheet')).getPropertyValue('--w')) };
	});
})()`

// Whatever the settings, the document and the width: frame, inner box, scale,
// the box of every page and the tools in the bar are in the browser what core
// computed, at most 1 px apart. The combinations come from a seed.
func TestTheBrowserDoesWhatCoreComputes(t *testing.T) {
	const each = 23
	h := testkit.Open(t)
	// Places follow from the sizes of pages: their pictures are one dot here.
	var dot bytes.Buffer
	require.NoError(t, png.Encode(&dot, image.NewGray(image.Rect(0, 0, 1, 1))))
	house := through(t, h, func(w http.ResponseWriter, r *http.Request) bool {
		if r.URL.Path == "/blank" {
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write([]byte("<!doctype html><title>Blank</title>"))
			return true
		}
		picture := strings.Contains(r.URL.Path, "/page/")
		if picture {
			_, _ = w.Write(dot.Bytes())
		}
		return picture
	})
	r := vary.Rand(3)
	total := 0
	for _, d := range demo.Documents() {
		listed := h.Add(t, d.File)
		e, err := h.Library.CurrentEdition(t.Context(), listed.ID)
		require.NoError(t, err)
		pages := frame.PagesOf(e.AllSheets())
		window := vary.One(r, 640.0, 800, 1080)
		var all []combination
		html := ""
		for range each {
			c := combination{file: d.File, settings: vary.Settings(r), pages: pages, headings: e.Facts.Headings(), text: e.HasText,
				column: vary.One(r, 328, 360, 640.5, 960, 200+math.Round(r.Float64()*4000)/4), window: window}
			p, err := h.Placing.Place(t.Context(), listed.ID, placing.Start{})
			require.NoError(t, err)
			require.Empty(t, setting.Check(c.settings, pages.Count()))
			require.NoError(t, h.Placing.Publish(t.Context(), p.ID, e.ID, 1, c.settings))
			c.code, err = embed.Code(c.settings, embed.Subject{Address: house + "/r/" + p.Key, Title: d.Title, Pages: pages})
			require.NoError(t, err)
			html += fmt.Sprintf(`<div style="width:%gpx;margin:0 0 40px">%s</div>`, c.column, c.code)
			all = append(all, c)
		}
		tab := testkit.Browse(t, 1500, int64(window))
		// A page of Incipit's own origin, so that the frames can be looked into.
		tab.Do(chromedp.Navigate(house + "/blank"))
		encoded, err := json.Marshal(html)
		require.NoError(t, err)
		testkit.Eval[bool](tab, tab.Ctx, `(async () => { document.body.innerHTML = ''; document.body.style.cssText = 'margin:0;min-height:100vh'; for (let i = 0; i < 3; i++) await new Promise(requestAnimationFrame);
			document.body.innerHTML = `+string(encoded)+`.replaceAll('loading="lazy"', ''); return true; })()`)
		got := testkit.Eval[[]boxes](tab, tab.Ctx, measureAll)
		require.Len(t, got, len(all))
		for i, c := range all {
			total++
			compare(t, c, got[i])
		}
		assert.Zero(t, shift(tab, tab.Ctx), "the web page moved")
	}
	require.GreaterOrEqual(t, total, 200)
	t.Logf("%d combinations", total)
}

func compare(t *testing.T, c combination, got boxes) {
	t.Helper()
	b := frame.Layout(c.settings, c.pages, c.column, c.window)
	at := frame.Place(c.settings, c.pages, b)
	worst, what := 0.0, ""
	apart := func(name string, want, got float64) {
		if d := math.Abs(want - got); d > worst {
			worst, what = d, fmt.Sprintf("%s: core %.2f, browser %.2f", name, want, got)
		}
	}
	apart("width", b.Width, got.Frame[0])
	apart("height", b.Height, got.Frame[1])
	apart("inner width", b.InnerWidth, got.Inner[0])
	apart("inner height", b.InnerHeight, got.Inner[1])
	// A scale is no length: what it makes of the widest page is.
	widest, _ := c.pages.Extent(c.settings)
	apart("scale × widest row", b.Scale*widest, got.Per*widest)
	require.Len(t, got.Pages, len(at.Pages))
	for i, p := range at.Pages {
		for k, want := range []float64{p.X, p.Y, p.W, p.H} {
			apart(fmt.Sprintf("page %d, %s", i+1, []string{"left", "top", "width", "height"}[k]), want, got.Pages[i][k])
		}
	}
	settings, err := json.Marshal(setting.Diff(setting.Default(), c.settings))
	require.NoError(t, err)
	if c.settings.Flow == setting.Down || c.settings.Flow == setting.Tiles {
		// A scroll bar lies over the gutter, and calls for no other.
		assert.Equal(t, at.Width > b.InnerWidth+0.5, got.Sideways > 0,
			"core %.2f of %.2f, the browser %g px more than there is, in a column of %g: %s", at.Width, b.InnerWidth, got.Sideways, c.column,
			settings)
	}
	assert.LessOrEqual(t, worst, 1.0, "%s\n%s in a column of %g, window %g: %s", what, c.file, c.column, c.window, settings)
	v := proof.Run(proof.Facts{Pages: c.pages, Headings: c.headings, Text: c.text}, c.settings, proof.Terms{},
		[]proof.Screen{{Column: c.column, Height: c.window, Page: 1500, Density: 1}})[0]
	assert.Equal(t, names(v.Fit.Shown), names2(got.Shown), "tools in the bar: %s in %g", settings, c.column)
	assert.Equal(t, names(v.Fit.More), names2(got.More), "tools behind More: %s in %g", settings, c.column)
}

func names(s toolbar.Set) string { return fmt.Sprint([]toolbar.Tool(s)) }
func names2(s []string) string   { return fmt.Sprint(s) }
