package frame_test

import (
	"fmt"
	"math"
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
	}{
		// 328 - 2 border = 326, less 24 gutter = 302; 302/842; the fore-edge lies
		// below and takes 28 of the height.
		{"whole page in a phone's column", setting.Default(), tides, 328,
			frame.Box{Width: 328, Height: 2 + 44 + 28 + 24 + 595*302.0/842, InnerWidth: 326, InnerHeight: 24 + 595*302.0/842, Scale: 302.0 / 842}},
		// 480 - 2 - 28 = 450, less 24 = 426.
		{"from 480 px on the fore-edge stands beside", setting.Default(), tides, 480,
			frame.Box{Width: 480, Height: 2 + 44 + 24 + 595*426.0/842, InnerWidth: 450, InnerHeight: 24 + 595*426.0/842, Scale: 426.0 / 842}},
		{"without one", with(func(s *setting.Settings) { s.ForeEdge = false }), tides, 480,
			frame.Box{Width: 480, Height: 2 + 44 + 24 + 595*454.0/842, InnerWidth: 478, InnerHeight: 24 + 595*454.0/842, Scale: 454.0 / 842}},
		{"one page needs no fore-edge", setting.Default(), leaflet, 328,
			frame.Box{Width: 328, Height: 2 + 44 + 24 + 842*302.0/595, InnerWidth: 326, InnerHeight: 24 + 842*302.0/595, Scale: 302.0 / 595}},
		{"px, no toolbar, no navigation", with(func(s *setting.Settings) {
			s.Width, s.Height = setting.Length{Value: 400, Unit: "px"}, setting.Length{Value: 300, Unit: "px"}
			s.Toolbar, s.Navigation = false, false
		}), tides, 700, frame.Box{Width: 400, Height: 300, InnerWidth: 398, InnerHeight: 298, Scale: 374.0 / 842}},
		{"px wider than its column", with(func(s *setting.Settings) {
			s.Width, s.Height = setting.Length{Value: 900, Unit: "px"}, setting.Length{Value: 300, Unit: "px"}
		}), leaflet, 500, frame.Box{Width: 500, Height: 300, InnerWidth: 498, InnerHeight: 254, Scale: 474.0 / 595}},
		{"maximum and vh, fit page", with(func(s *setting.Settings) {
			s.MaxWidth, s.Height, s.Zoom.Kind = 600, setting.Length{Value: 50, Unit: "vh"}, setting.FitPage
		}), handbook, 1000, frame.Box{Width: 600, Height: 400, InnerWidth: 570, InnerHeight: 354, Scale: 330.0 / 842}},
		{"true size", with(func(s *setting.Settings) { s.Zoom.Kind = setting.TrueSize }), leaflet, 700,
			frame.Box{Width: 700, Height: 70 + 842*4.0/3, InnerWidth: 698, InnerHeight: 24 + 842*4.0/3, Scale: 4.0 / 3}},
		{"fit goes down as far as the page needs", setting.Default(), frame.PagesOf([]sheet.Sheet{{Width: 20000, Height: 100}}), 300,
			frame.Box{Width: 300, Height: 70 + 100*274.0/20000, InnerWidth: 298, InnerHeight: 24 + 100*274.0/20000, Scale: 274.0 / 20000}},
		{"a figure never falls below 10 %", with(func(s *setting.Settings) { s.Zoom = setting.Opening{Kind: setting.ByNumber, Percent: 3} }), leaflet, 700,
			frame.Box{Width: 700, Height: 70 + 842*frame.MinScale, InnerWidth: 698, InnerHeight: 24 + 842*frame.MinScale, Scale: frame.MinScale}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := frame.Layout(c.s, c.p, c.column, 800)
			// Frames are whole pixels: down in width, up in height.
			c.want.Height, c.want.InnerHeight = math.Ceil(c.want.Height), c.want.InnerHeight+math.Ceil(c.want.Height)-c.want.Height
			for name, pair := range map[string][2]float64{
				"width": {c.want.Width, got.Width}, "height": {c.want.Height, got.Height},
				"inner width": {c.want.InnerWidth, got.InnerWidth}, "inner height": {c.want.InnerHeight, got.InnerHeight},
				"scale": {c.want.Scale, got.Scale},
			} {
				assert.InDelta(t, pair[0], pair[1], 1e-9, name)
			}
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
		width setting.Length
		max   float64
		want  string
	}{
		{setting.Length{Value: 100, Unit: "%"}, 0, "100cqw"},
		{setting.Length{Value: 62.5, Unit: "%"}, 0, "62.5cqw"},
		{setting.Length{Value: 100, Unit: "%"}, 800, "min(100cqw,800px)"},
		{setting.Length{Value: 640, Unit: "px"}, 0, "min(100cqw,640px)"},
	} {
		s := with(func(s *setting.Settings) { s.Width, s.MaxWidth = c.width, c.max })
		require.Equal(t, c.want, frame.CSS(s, tides).PlainWidth)
		require.Equal(t, "round(down,"+c.want+" + 0.013px,1px)", frame.CSS(s, tides).Width)
	}
}

func ExampleCSS() {
	style := frame.CSS(setting.Default(), tides)
	fmt.Println(style.PlainHeight)
	// Output: calc(clamp(3.1733333px,(100cqw - 26px - clamp(0px,(100cqw - 479.5px)*1000,28px))*0.7066508,5077.3333333px) + 70px + (28px - clamp(0px,(100cqw - 479.5px)*1000,28px)))
}
