package frame_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
)

var (
	tides    = frame.PagesOf([]sheet.Sheet{{Width: 842, Height: 595}, {Width: 842, Height: 595}})
	handbook = frame.PagesOf([]sheet.Sheet{{Width: 595, Height: 842}, {Width: 595, Height: 842}, {Width: 842, Height: 595}})
	leaflet  = frame.PagesOf([]sheet.Sheet{{Width: 595, Height: 842}})
)

func with(change func(*setting.Settings)) setting.Settings {
	s := setting.Default()
	change(&s)
	return s
}

func TestLayout(t *testing.T) {
	for _, c := range []struct {
		name   string
		s      setting.Settings
		p      frame.Pages
		column float64
		want   frame.Box
		// plateau is what a frame keeps where the strip has just come to stand beside.
		plateau float64
	}{
		// 328 - 2 border = 326, less 24 gutter = 302; 302/842; the fore-edge lies
		// below and takes 28 of the height.
		{"whole page in a phone's column", setting.Default(), tides, 328,
			frame.Box{Width: 328, Height: 2 + 44 + 28 + 24 + 595*302.0/842, InnerWidth: 326, InnerHeight: 24 + 595*302.0/842, Scale: 302.0 / 842},
			0},
		// 480 - 2 - 28 = 450, less 24 = 426.
		{"from 480 px on the fore-edge stands beside", setting.Default(), tides, 480,
			frame.Box{Width: 480, Height: 2 + 44 + 24 + 595*426.0/842, InnerWidth: 450, InnerHeight: 24 + 595*426.0/842, Scale: 426.0 / 842},
			28 * (1 + 595/842.0)},
		{"without one", with(func(s *setting.Settings) { s.ForeEdge = false }), tides, 480,
			frame.Box{Width: 480, Height: 2 + 44 + 24 + 595*454.0/842, InnerWidth: 478, InnerHeight: 24 + 595*454.0/842, Scale: 454.0 / 842}, 0},
		{"one page needs no fore-edge", setting.Default(), leaflet, 328,
			frame.Box{Width: 328, Height: 2 + 44 + 24 + 842*302.0/595, InnerWidth: 326, InnerHeight: 24 + 842*302.0/595, Scale: 302.0 / 595}, 0},
		{"px, no toolbar, no navigation", with(func(s *setting.Settings) {
			s.Width, s.Height = setting.Length{Value: 400, Unit: "px"}, setting.Length{Value: 300, Unit: "px"}
			s.Toolbar, s.Navigation = false, false
		}), tides, 700, frame.Box{Width: 400, Height: 300, InnerWidth: 398, InnerHeight: 298, Scale: 374.0 / 842}, 0},
		{"px wider than its column", with(func(s *setting.Settings) {
			s.Width, s.Height = setting.Length{Value: 900, Unit: "px"}, setting.Length{Value: 300, Unit: "px"}
		}), leaflet, 500, frame.Box{Width: 500, Height: 300, InnerWidth: 498, InnerHeight: 254, Scale: 474.0 / 595}, 0},
		{"maximum and vh, fit page", with(func(s *setting.Settings) {
			s.MaxWidth, s.Height, s.Zoom.Kind = 600, setting.Length{Value: 50, Unit: "vh"}, setting.FitPage
		}), handbook, 1000, frame.Box{Width: 600, Height: 400, InnerWidth: 570, InnerHeight: 354, Scale: 330.0 / 842}, 0},
		{"true size", with(func(s *setting.Settings) { s.Zoom.Kind = setting.TrueSize }), leaflet, 700,
			frame.Box{Width: 700, Height: 70 + 842*4.0/3, InnerWidth: 698, InnerHeight: 24 + 842*4.0/3, Scale: 4.0 / 3}, 0},
		{"fit goes down as far as the page needs", setting.Default(), frame.PagesOf([]sheet.Sheet{{Width: 20000, Height: 100}}), 300,
			frame.Box{Width: 300, Height: 70 + 100*274.0/20000, InnerWidth: 298, InnerHeight: 24 + 100*274.0/20000, Scale: 274.0 / 20000}, 0},
		{"a figure never falls below 10 %", with(func(s *setting.Settings) { s.Zoom = setting.Opening{Kind: setting.ByNumber, Percent: 3} }),
			leaflet, 700,
			frame.Box{Width: 700, Height: 70 + 842*frame.MinScale, InnerWidth: 698, InnerHeight: 24 + 842*frame.MinScale, Scale: frame.MinScale}, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := frame.Layout(c.s, c.p, c.column, 800)
			for name, pair := range map[string][2]float64{
				"width": {c.want.Width, got.Width}, "inner width": {c.want.InnerWidth, got.InnerWidth}, "scale": {c.want.Scale, got.Scale},
				"what is not inner": {c.want.Height - c.want.InnerHeight, got.Height - got.InnerHeight},
			} {
				assert.InDelta(t, pair[0], pair[1], 1e-9, name)
			}
			// Heights that follow the width have a pixel or two to spare (see room).
			assert.GreaterOrEqual(t, got.Height, c.want.Height-1e-9)
			assert.LessOrEqual(t, got.Height, c.want.Height+3+c.plateau)
		})
	}
}

func TestFitWidthGrowsWithTheColumn(t *testing.T) {
	last := 0.0
	for column := 100.0; column < 3000; column += 7 {
		s := frame.Layout(setting.Default(), handbook, column, 800).Scale
		// At 480 px the fore-edge moves beside the pages.
		if column < frame.Narrow || column-7 >= frame.Narrow {
			assert.GreaterOrEqual(t, s, last)
		}
		last = s
	}
}

func TestNoSheetsStillHaveAPlace(t *testing.T) {
	b := frame.Layout(setting.Default(), frame.PagesOf(nil), 600, 800)
	assert.Greater(t, b.Height, 600.0)
}

func TestCSSWidths(t *testing.T) {
	for _, c := range []struct {
		width  setting.Length
		max    float64
		held   string
		pasted string
	}{
		{setting.Length{Value: 100, Unit: "%"}, 0, "100cqw", "round(down,100%,1px)"},
		{setting.Length{Value: 62.5, Unit: "%"}, 0, "62.5cqw", "round(down,62.5% + 0.013px,1px)"},
		{setting.Length{Value: 100, Unit: "%"}, 800, "min(100cqw,800px)", "round(down,min(100%,800px) + 0.013px,1px)"},
		{setting.Length{Value: 640, Unit: "px"}, 0, "min(100cqw,640px)", "round(down,min(100%,640px) + 0.013px,1px)"},
	} {
		style := frame.CSS(with(func(s *setting.Settings) { s.Width, s.MaxWidth = c.width, c.max }), tides)
		require.Equal(t, c.held, style.PlainWidth)
		require.Equal(t, "round(down,"+c.held+" + 0.013px,1px)", style.Width)
		require.Equal(t, c.pasted, style.Across)
	}
}

func ExampleCSS() {
	fmt.Println(frame.CSS(setting.Default(), tides).Down)
	fmt.Println(frame.CSS(setting.Default(), leaflet).Down)
	// Output:
	// clamp(70.67% + 33px,420px,70.67% + 81px)
	// calc(141.52% + 35px)
}

// A height of whole pages never falls where its column grows, is never less than its
// pages need, and has little more.
func TestAHeightOfWholePagesHoldsThem(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for range 400 {
		var sheets []sheet.Sheet
		for range 1 + r.IntN(4) {
			sheets = append(sheets, sheet.Sheet{Width: 80 + r.Float64()*1500, Height: 80 + r.Float64()*1500})
		}
		p := frame.PagesOf(sheets)
		s := with(func(s *setting.Settings) {
			s.ForeEdge = r.IntN(3) > 0
			s.Border, s.Padding = float64(r.IntN(5)), float64(r.IntN(30))
			if r.IntN(3) == 0 {
				s.Height = setting.Length{Value: float64(1 + r.IntN(4)), Unit: setting.Rows}
			}
			if r.IntN(4) == 0 {
				s.MostZoom = 20 + r.Float64()*200
			}
			if r.IntN(3) == 0 {
				s.Width = setting.Length{Value: 20 + math.Floor(r.Float64()*80), Unit: setting.Percent}
			}
		})
		last := 0.0
		for column := 150.0; column < 1600; column += 3.25 {
			b := frame.Layout(s, p, column, 800)
			require.GreaterOrEqual(t, b.Height, last, "%v in %g", s, column)
			last = b.Height
			if b.Width < 120 {
				continue // narrower than any frame
			}
			// What its pages need inside, at the scale they open at.
			at := frame.Place(s, p, b)
			n := 1
			if s.Height.Unit == setting.Rows {
				n = min(int(s.Height.Value), len(at.Rows))
			}
			needs := at.Rows[n-1].Y + at.Rows[n-1].H + frame.Gutter
			require.GreaterOrEqual(t, b.InnerHeight, needs, "%v in %g", s, column)
			if rows := p.Rows(s); b.Width > 150 && (len(sheets) == 1 || b.Width < frame.Narrow && b.Width > 100 && s.MostZoom == 0) {
				widest, _ := p.Extent(s)
				points := 0.0
				for _, row := range rows[:n] {
					points += row.Height
				}
				require.LessOrEqual(t, b.InnerHeight, needs+4+points/widest, "%v in %g", s, column)
			}
		}
	}
}
