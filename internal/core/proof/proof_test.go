package proof_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/toolbar"
)

func lower(s string) string { return strings.ToLower(s) }

var (
	site  = proof.Site{Name: "Harrowmere", Column: 960, Margin: 16}
	phone = proof.Usual(site)[0]
)

// tides is a document like the demo's tide table: two pages of A4 landscape in
// type of 6.3 pt.
func tides() proof.Facts {
	page := sheet.Sheet{Width: 842, Height: 595, Label: "1"}
	return proof.Facts{
		Pages: frame.PagesOf([]sheet.Sheet{page, page}), Language: "en", FileBytes: 502_000, Text: true, Measured: true,
		Sizes: legible.Sizes{Known: true, Chars: 10_957, Running: 0.06,
			Body:     legible.Text{Size: 6.3, XHeight: 3.25, How: legible.Measured},
			Smallest: legible.Text{Size: 6.3, XHeight: 3.25, How: legible.Measured}},
		Images: map[int]int64{360: 40_000, 800: 110_000, 1200: 190_000}, Shell: 12_000,
	}
}

func with(change func(*setting.Settings)) setting.Settings {
	s := setting.Default()
	change(&s)
	return s
}

// The figures are by hand: 328 - 2 - 24 = 302 px for 842 pt.
func TestTidesOnAPhone(t *testing.T) {
	screens := append([]proof.Screen{phone}, proof.Usual(site)[1:]...)
	v := proof.Run(tides(), setting.Default(), proof.Terms{Budget: 400_000}, screens)[0]
	scale := 302.0 / 842
	assert.InDelta(t, 3.25*scale, v.Body.XHeight, 1e-9)
	assert.InDelta(t, 3.25*scale*0.0213, v.Body.Angle, 1e-9)
	assert.Equal(t, legible.TooSmall, v.Body.Band)
	g, ok := v.Find(proof.Body)
	require.True(t, ok)
	assert.Equal(t, proof.MustFix, g.Level)
	assert.Equal(t, "Body text lands at 2.3 px", g.Title)
	assert.Equal(t, "Its x-height is 1.2 px, 0.02°: too small for most eyes in a column of 328 px.", g.Text)
	assert.Equal(t, g, v.Worst())
	// 0.13° need 0.13 / (3.25 × 0.0213) = 1.878 px per point, 140.8 % of true size.
	require.NotEmpty(t, g.Fixes)
	fix := g.Fixes[0]
	assert.Equal(t, "Never open below 141 % in frames below 480 px, at most 560 px tall", fix.Words)
	assert.Contains(t, fix.Cost, "lines run out of the frame on phone")
	assert.NotContains(t, fix.Cost, "every screen")
	next, err := fix.Set.Over(setting.Default())
	require.NoError(t, err)
	after := proof.Look(tides(), next, proof.Terms{}, []proof.Screen{phone})[0]
	assert.Equal(t, legible.Readable, after.Body.Band)
	assert.InDelta(t, 560, after.Box.Height, 0)

	a := proof.Answer(tides(), setting.Default(), phone, phone)
	assert.InDelta(t, 2+28+24+842*0.13/(3.25*0.0213), a.ReadableFrom, 1)
	assert.Zero(t, a.ComfortableFrom, "no column up to 2,400 px is wide enough")
	assert.InDelta(t, 313, a.OnePage, 0)
	assert.InDelta(t, 141, a.BestZoom, 0)
	assert.Equal(t, proof.Enlarged, a.OnPhone.Way)
}

// What serves a phone depends on the document, and on how it is set.
func TestOnAPhone(t *testing.T) {
	way := func(change func(*proof.Facts), s setting.Settings) string {
		f := tides()
		change(&f)
		p := proof.Answer(f, s, phone, phone).OnPhone
		assert.NotEmpty(t, p.Why)
		return p.Way
	}
	large := func(f *proof.Facts) { f.Sizes.Body.XHeight = 30 }
	assert.Equal(t, proof.Turned, way(large, setting.Default()), "it reads, in a scroll inside a scroll")
	assert.Equal(t, proof.AsSet, way(large, with(func(s *setting.Settings) { s.Flow = setting.Turn })))
	assert.Equal(t, proof.SetAnew, way(func(f *proof.Facts) { f.Sizes.Running = 0.8 }, setting.Default()))
	assert.Equal(t, proof.Pictures, way(func(f *proof.Facts) { f.Sizes = legible.Sizes{} }, setting.Default()))
}

// Running text that is too small is mended best by the text view, which costs
// the pages nothing.
func TestTheTextViewIsAFix(t *testing.T) {
	f := tides()
	f.Sizes.Running = 0.8
	closed := with(func(s *setting.Settings) { s.TextView = setting.Closed })
	g, ok := proof.Run(f, closed, proof.Terms{}, []proof.Screen{phone})[0].Find(proof.Body)
	require.True(t, ok)
	require.NotEmpty(t, g.Fixes)
	assert.Equal(t, "Offer the text view below 480 px", g.Fixes[0].Words)
	assert.Empty(t, g.Fixes[0].Cost)
	table, ok := proof.Run(tides(), closed, proof.Terms{}, []proof.Screen{phone})[0].Find(proof.Body)
	require.True(t, ok)
	for _, fix := range table.Fixes {
		assert.NotContains(t, fix.Words, "text view", "a table's places matter")
	}
}

func TestFindings(t *testing.T) {
	for _, c := range []struct {
		name   string
		facts  func(*proof.Facts)
		s      setting.Settings
		kind   proof.Kind
		level  string
		says   string
		screen proof.Screen
	}{
		{"no room", nil, with(func(s *setting.Settings) { s.Height, s.Padding = setting.Length{Value: 150, Unit: setting.Pixels}, 40 }),
			proof.Room, proof.MustFix, "246 × 0 px", phone},
		{"sticks out", nil, with(func(s *setting.Settings) { s.LeastWidth = 400 }), proof.Column, proof.MustFix,
			"400 px wide in a column of 328 px", phone},
		{"nested scroll", nil, setting.Default(), proof.Scroll, proof.TakeCare, "scroll inside", phone},
		{"tall", nil, with(func(s *setting.Settings) { s.Height = setting.Length{Value: 120, Unit: setting.VH} }), proof.Window, proof.TakeCare,
			"960 px tall, the window 800 px", phone},
		{"little of page 1", nil, with(func(s *setting.Settings) {
			s.Height, s.Zoom = setting.Length{Value: 200, Unit: setting.Pixels}, setting.Opening{Kind: setting.TrueSize}
		}), proof.First, proof.TakeCare, "frames long", phone},
		{"sideways", nil, with(func(s *setting.Settings) { s.Zoom.Kind = setting.TrueSize }), proof.Sideways, proof.TakeCare,
			"1123 px wide at 100 %", phone},
		{"tools", nil, with(func(s *setting.Settings) { s.Width.Value = 60 }), proof.Tools, proof.TakeCare, "move behind “More”", phone},
		{"one tool", nil, with(func(s *setting.Settings) {
			s.Tools = toolbar.Set{toolbar.Zoom, toolbar.Number, toolbar.Print}
			s.Width.Value = 80
		}), proof.Tools, proof.TakeCare, "page number and print move", phone},
		{"tools fit", nil, setting.Default(), proof.Tools, proof.InOrder, "in the toolbar", proof.Usual(site)[2]},
		{"turning", nil, with(func(s *setting.Settings) { s.Flow, s.Navigation = setting.Turn, false }), proof.Turning, proof.TakeCare,
			"no key, no button", phone},
		{"tiles", nil, with(func(s *setting.Settings) { s.Flow = setting.Tiles }), proof.Tiles, proof.TakeCare, "only one", phone},
		{"tiles in order", nil, with(func(s *setting.Settings) {
			s.Flow, s.Zoom = setting.Tiles, setting.Opening{Kind: setting.ByNumber, Percent: 30}
		}), proof.Tiles, proof.InOrder, "wrap", proof.Usual(site)[2]},
		{"tree", func(f *proof.Facts) { f.Untold = 3 }, setting.Default(), proof.Tree, proof.TakeCare, "On 3 pages", phone},
		{"order", func(f *proof.Facts) { f.Language = "ar-EG" }, setting.Default(), proof.Order, proof.TakeCare, "from the right", phone},
		{"colours", nil, with(func(s *setting.Settings) {
			s.Scheme, s.Colours = setting.Own, setting.Palette{Paper: "#ffffff", Ink: "#aaaaaa", Accent: "#000000"}
		}), proof.Contrast, proof.MustFix, "needed", phone},
		{"over budget", func(f *proof.Facts) { f.Shell = 900_000 }, setting.Default(), proof.Load, proof.TakeCare, "The budget is 400 KB", phone},
		{"within it", nil, setting.Default(), proof.Load, proof.InOrder, "The file has 502 KB", phone},
		{"scans", func(f *proof.Facts) { f.Text, f.Sizes = false, legible.Sizes{} }, setting.Default(), proof.Body, proof.TakeCare,
			"pictures without text", phone},
		{"not measured yet", func(f *proof.Facts) { f.Measured, f.Sizes = false, legible.Sizes{} }, setting.Default(), proof.Body,
			proof.TakeCare, "in a moment", phone},
		{"fine print", func(f *proof.Facts) { f.Sizes.Body.XHeight, f.Sizes.Smallest.XHeight = 30, 4 }, setting.Default(), proof.Smallest,
			proof.TakeCare, "though the body text reads", phone},
		{"running text", func(f *proof.Facts) { f.Sizes.Running = 0.8 }, with(func(s *setting.Settings) { s.TextView = setting.ByTool }),
			proof.Body, proof.MustFix, "set anew", phone},
		{"running text, offered anew", func(f *proof.Facts) { f.Sizes.Running = 0.8 }, setting.Default(), proof.Body, proof.InOrder,
			"offered the text view at once", phone},
		{"a share of a phone", nil, with(func(s *setting.Settings) { s.Width.Value = 44 }), proof.Small, proof.MustFix, "Its column has 328 px",
			phone},
		{"pages of several widths", func(f *proof.Facts) {
			f.Pages = frame.PagesOf([]sheet.Sheet{{Width: 842, Height: 595}, {Width: 300, Height: 400}, {Width: 842, Height: 595}})
		}, setting.Default(), proof.Mixed, proof.TakeCare, "1 of 3 rows of pages is", phone},
		{"a wide window", func(f *proof.Facts) { f.Sizes.Body.XHeight, f.Sizes.Body.Size = 22, 44 }, setting.Default(), proof.Large,
			proof.TakeCare, "larger than they need to be", proof.Usual(site)[2]},
		{"invited", nil, with(func(s *setting.Settings) { s.Guarded = true }), proof.Invited, proof.TakeCare, "search engines", phone},
		{"no text leaves", nil, with(func(s *setting.Settings) { s.TextView, s.Copying = setting.Closed, false }), proof.Unseen, proof.MustFix,
			"screen readers", phone},
		{"pictures", func(f *proof.Facts) { f.Text, f.Sizes = false, legible.Sizes{} }, setting.Default(), proof.Unseen, proof.TakeCare,
			"nothing read out", phone},
		{"closed", nil, with(func(s *setting.Settings) { s.Download, s.Print = false, false }), proof.Take, proof.InOrder, "neither to anybody",
			phone},
	} {
		f := tides()
		if c.facts != nil {
			c.facts(&f)
		}
		v := proof.Run(f, c.s, proof.Terms{Budget: 400_000}, []proof.Screen{c.screen})[0]
		g, ok := v.Find(c.kind)
		require.True(t, ok, c.name)
		assert.Equal(t, c.level, g.Level, c.name)
		assert.Contains(t, g.Text, c.says, c.name)
		// What must be fixed can be, but for colours that no ink can save.
		if c.level == proof.MustFix {
			assert.NotEmpty(t, g.Fixes, c.name)
		}
		for _, spot := range v.Glosses {
			assert.True(t, spot.Spot.X >= 0 && spot.Spot.X <= v.Box.Width && spot.Spot.Y >= 0 && spot.Spot.Y <= v.Box.Height,
				"%s: %s points into the frame", c.name, spot.Kind)
		}
	}
}

// What is in order on the screen that is looked at, and ruined on another one, is told.
func TestTheVerdictIsThatOfAllScreens(t *testing.T) {
	s := with(func(s *setting.Settings) { s.Width.Value = 44 })
	screens := append([]proof.Screen{proof.Usual(site)[2]}, proof.Usual(site)...)
	views := proof.Run(tides(), s, proof.Terms{}, screens)
	_, here := views[0].Find(proof.Small)
	require.False(t, here, "a laptop's frame has room")
	v := proof.Judge(views)
	assert.Positive(t, v.Must)
	require.NotEmpty(t, v.Elsewhere)
	assert.Equal(t, proof.MustFix, v.Elsewhere[0].Level)
	at := slices.IndexFunc(v.Elsewhere, func(e proof.Elsewhere) bool { return e.Kind == proof.Small })
	require.GreaterOrEqual(t, at, 0)
	assert.Contains(t, v.Elsewhere[at].Screens, proof.Usual(site)[0].Name)
	// What mends the phone leaves the laptop as it is.
	require.NotEmpty(t, v.Elsewhere[at].Fixes)
	after, err := v.Elsewhere[at].Fixes[0].Set.Over(s)
	require.NoError(t, err)
	fixed := proof.Run(tides(), after, proof.Terms{}, screens)
	assert.InDelta(t, views[0].Box.Width, fixed[0].Box.Width, 0)
	_, there := fixed[1].Find(proof.Small)
	assert.False(t, there)
	assert.Equal(t, proof.Verdict{Elsewhere: []proof.Elsewhere{}}, proof.Judge(silent(views)))
}

// silent gives views without findings.
func silent(views []proof.View) []proof.View {
	out := slices.Clone(views)
	for i := range out {
		out[i].Glosses = nil
	}
	return out
}

// The image that counts is the narrowest with a pixel for each of the screen's.
func TestWeight(t *testing.T) {
	at := func(column, density float64) proof.Weight {
		return proof.Look(tides(), setting.Default(), proof.Terms{}, []proof.Screen{{Column: column, Page: column, Height: 800,
			Density: density}})[0].Weight
	}
	w := at(328, 1)
	assert.Equal(t, 360, w.Width)
	assert.EqualValues(t, 52_000, w.Bytes)
	assert.Equal(t, 1200, at(328, 3).Width, "274 px at three device pixels each are 822")
	assert.Equal(t, 1200, at(1300, 2).Width, "the widest there is")
	// 52,000 bytes at 1.5 Mbit/s, after five round trips of 0.3 s.
	assert.InDelta(t, 1.5+52_000*8/1.5e6, w.Seconds[0], 1e-9)
	f := tides()
	f.Images = nil
	assert.False(t, proof.Look(f, setting.Default(), proof.Terms{}, []proof.Screen{phone})[0].Weight.Known)
}

func TestScreens(t *testing.T) {
	assert.InDelta(t, 328, phone.Column, 0)
	assert.InDelta(t, 960, proof.Usual(site)[3].Column, 0)
	assert.Equal(t, "tablet", proof.Nearest(site, 820).Name)
	assert.Equal(t, "here", proof.Nearest(site, 800).Name)
	assert.InDelta(t, 1180, proof.Nearest(site, 800).Height, 0, "a tablet's")
	assert.InDelta(t, 768, proof.Nearest(site, 800).Column, 0)
	s, err := proof.ScreenAt(site, 400, 700)
	require.NoError(t, err)
	assert.Equal(t, proof.Screen{Name: "here", Page: 432, Column: 400, Height: 700, Density: 3}, s)
	for _, bad := range [][2]float64{{100, 700}, {3000, 700}, {400, 100}, {400, 9000}} {
		_, err := proof.ScreenAt(site, bad[0], bad[1])
		assert.Error(t, err, bad)
	}
}

func TestCheckTerms(t *testing.T) {
	assert.Empty(t, proof.CheckTerms(proof.Terms{Budget: 400_000}, []proof.Site{site}))
	for says, c := range map[string]struct {
		budget int64
		sites  []proof.Site
	}{
		"budget":      {-1, []proof.Site{site}},
		"from 1 to":   {0, nil},
		"has a name":  {0, []proof.Site{{Column: 900}}},
		"two website": {0, []proof.Site{site, site}},
		"A column":    {0, []proof.Site{{Name: "a", Column: 12}}},
		"A margin":    {0, []proof.Site{{Name: "a", Column: 900, Margin: 400}}},
	} {
		assert.Contains(t, proof.CheckTerms(proof.Terms{Budget: c.budget}, c.sites), says)
	}
}

// A frame that is pulled comes to rest at sizes with a meaning.
func TestPull(t *testing.T) {
	laptop := proof.Usual(site)[2]
	f := tides()
	f.Sizes.Body.XHeight = 6 // readable at 2 + 28 + 24 + 842 × 0.13 / (6 × 0.0213) = 910.5 px
	for _, c := range []struct {
		name  string
		pull  proof.Pull
		s     setting.Settings
		words string
		width setting.Length
		high  setting.Length
	}{
		{"in percent", proof.Pull{Width: 700, Within: 8}, setting.Default(), "", setting.Length{Value: 73, Unit: "%"}, setting.Default().Height},
		{"full column", proof.Pull{Width: 955, Within: 8}, with(func(s *setting.Settings) { s.Width.Value, s.MaxWidth = 50, 600 }),
			"full column", setting.Length{Value: 100, Unit: "%"}, setting.Default().Height},
		{"beyond it", proof.Pull{Width: 2000}, with(func(s *setting.Settings) { s.Width.Value = 50 }), "full column",
			setting.Length{Value: 100, Unit: "%"}, setting.Default().Height},
		{"readable", proof.Pull{Width: 905, Within: 8}, setting.Default(), "readable from here", setting.Length{Value: 94.9, Unit: "%"},
			setting.Default().Height},
		{"in px", proof.Pull{Width: 700.4, Height: 300.2}, with(func(s *setting.Settings) { s.Width = setting.Length{Value: 500, Unit: "px"} }),
			"", setting.Length{Value: 700, Unit: "px"}, setting.Length{Value: 300, Unit: "px"}},
		{"one page", proof.Pull{Height: 714, Within: 8}, with(func(s *setting.Settings) { s.Height = setting.Length{Value: 50, Unit: "vh"} }),
			"one page", setting.Length{Value: 100, Unit: "%"}, setting.Length{Unit: setting.OnePage}},
		{"in vh", proof.Pull{Height: 480}, with(func(s *setting.Settings) { s.Height = setting.Length{Value: 50, Unit: "vh"} }), "",
			setting.Length{Value: 100, Unit: "%"}, setting.Length{Value: 60, Unit: "vh"}},
		{"never too small to stand", proof.Pull{Width: 1, Height: 1}, setting.Default(), "", setting.Length{Value: 10, Unit: "%"},
			setting.Length{Value: 80, Unit: "px"}},
	} {
		got := c.pull.Apply(f, c.s, laptop)
		next, err := got.Set.Over(c.s)
		require.NoError(t, err)
		assert.Equal(t, c.words, got.Words, c.name)
		assert.Equal(t, c.width, next.Width, c.name)
		assert.Equal(t, c.high, next.Height, c.name)
		assert.Empty(t, setting.Check(next, 2), c.name)
		if c.words == "readable from here" {
			assert.Equal(t, legible.Readable, proof.Look(f, next, proof.Terms{}, []proof.Screen{laptop})[0].Body.Band)
		}
	}
}

func TestCurve(t *testing.T) {
	points := proof.Curve(tides(), setting.Default(), 800)
	require.Len(t, points, 67)
	assert.InDelta(t, 280, points[0].Column, 0)
	assert.InDelta(t, 1600, points[66].Column, 0)
	assert.InDelta(t, 3.25*0.0213*(1600-54)/842, points[66].Body, 1e-9)
	f := tides()
	f.Sizes = legible.Sizes{}
	assert.Empty(t, proof.Curve(f, setting.Default(), 800))
}

func ExampleRun() {
	v := proof.Run(tides(), setting.Default(), proof.Terms{}, []proof.Screen{phone})[0]
	g := v.Worst()
	fmt.Println(g.Title)
	fmt.Println(g.Fixes[0].Words)
	// Output:
	// Body text lands at 2.3 px
	// Never open below 141 % in frames below 480 px, at most 560 px tall
}
