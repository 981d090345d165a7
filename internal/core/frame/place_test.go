package frame_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
)

// Five pages at 100 %, so that points are 4/3 px, in an inner box that is 24 px
// more than three pages wide. Figures are by hand.
func TestPlace(t *testing.T) {
	page := sheet.Sheet{Width: 75, Height: 150} // 100 × 200 px
	pages := frame.PagesOf([]sheet.Sheet{page, page, page, page, page})
	box := frame.Box{InnerWidth: 348, InnerHeight: 324, Scale: frame.TrueScale}
	place := func(change func(*setting.Settings)) frame.Standing {
		return frame.Place(with(change), pages, box)
	}
	left := func(s frame.Standing) (out []float64) {
		for _, p := range s.Pages {
			out = append(out, p.X)
		}
		return out
	}
	top := func(s frame.Standing) (out []float64) {
		for _, p := range s.Pages {
			out = append(out, p.Y)
		}
		return out
	}
	down := place(func(*setting.Settings) {})
	assert.Equal(t, []float64{124, 124, 124, 124, 124}, left(down))
	assert.Equal(t, []float64{12, 224, 436, 648, 860}, top(down))
	assert.Equal(t, []float64{236, 1072}, []float64{down.Width, down.Height})

	across := place(func(s *setting.Settings) { s.Flow = setting.Across })
	assert.Equal(t, []float64{12, 124, 236, 348, 460}, left(across))
	assert.Equal(t, []float64{62, 62, 62, 62, 62}, top(across))
	assert.Equal(t, []float64{572, 274}, []float64{across.Width, across.Height})
	backward := place(func(s *setting.Settings) { s.Flow, s.Order = setting.Across, setting.FromRight })
	assert.Equal(t, []float64{236, 124, 12, -100, -212}, left(backward))

	turned := place(func(s *setting.Settings) { s.Flow, s.Facing = setting.Turn, setting.Cover })
	assert.Equal(t, []float64{124, 348 + 74, 348 + 174, 696 + 74, 696 + 174}, left(turned))
	rtl := place(func(s *setting.Settings) { s.Flow, s.Facing, s.Order = setting.Turn, setting.Cover, setting.FromRight })
	assert.Equal(t, []float64{124, -348 + 174, -348 + 74, -696 + 174, -696 + 74}, left(rtl), "the first page of a pair stands at the right")

	tiles := place(func(s *setting.Settings) { s.Flow = setting.Tiles })
	assert.Equal(t, []float64{12, 124, 236, 68, 180}, left(tiles), "three fit exactly, two stand in the middle")
	assert.Equal(t, []float64{12, 12, 12, 224, 224}, top(tiles))
	assert.Equal(t, 3, tiles.Abreast())
	assert.Equal(t, 1, down.Abreast())

	assert.InDelta(t, 1, box.Shown(down.Pages[0]), 1e-9)
	assert.InDelta(t, 0.5, box.Shown(down.Pages[1]), 1e-9)
	assert.Zero(t, box.Shown(down.Pages[2]))
}

func TestHeights(t *testing.T) {
	for _, c := range []struct {
		name   string
		change func(*setting.Settings)
		want   float64
	}{
		// 634 - 2 - 28 - 24 = 580 px for 842 pt at the widest; two rows of 842 pt and three gutters.
		{"two rows of pages", func(s *setting.Settings) { s.Height = setting.Length{Value: 2, Unit: setting.Rows} }, 2 + 44 + 36 +
			2*842*580.0/842},
		{"more rows than there are", func(s *setting.Settings) { s.Height = setting.Length{Value: 9, Unit: setting.Rows} }, 2 + 44 + 48 +
			(842+842+595)*580.0/842},
		{"rows beside each other are one", func(s *setting.Settings) {
			s.Height, s.Flow = setting.Length{Value: 2, Unit: setting.Rows}, setting.Turn
		}, 2 + 44 + 24 + 842*580.0/842},
		{"a toolbar on approach takes no room", func(s *setting.Settings) { s.BarShown = setting.Approach }, 2 + 24 + 842*580.0/842},
		{"padding and border", func(s *setting.Settings) { s.Padding, s.Border = 10, 3 }, 26 + 44 + 24 + 842*(634-26-28-24)/842.0},
		{"at most", func(s *setting.Settings) { s.MostHeight = 400 }, 400},
		{"at least", func(s *setting.Settings) {
			s.Height, s.LeastHeight = setting.Length{Value: 10, Unit: setting.VH}, 240
		}, 240},
		// The strip may stand below: its 28 px are kept.
		{"never above a zoom", func(s *setting.Settings) { s.MostZoom = 40 }, 2 + 44 + 24 + 842*40*4/300.0 + 28},
		{"never below a zoom", func(s *setting.Settings) { s.LeastZoom = 75 }, 2 + 44 + 24 + 842},
	} {
		b := frame.Layout(with(c.change), handbook, 634, 800)
		assert.GreaterOrEqual(t, b.Height, c.want-1e-9, c.name)
		assert.LessOrEqual(t, b.Height, c.want+3, c.name)
		assert.InDelta(t, b.Height, float64(int(b.Height)), 0, "whole pixels")
	}
	b := frame.Layout(with(func(s *setting.Settings) { s.LeastWidth = 400 }), handbook, 320.5, 800)
	assert.InDelta(t, 400, b.Width, 0, "a minimum sticks out of a narrow column")
	for align, left := range map[string]float64{setting.Left: 0, setting.Centre: 50, setting.Right: 100} {
		s := with(func(s *setting.Settings) { s.Align = align })
		assert.InDelta(t, left, frame.Left(s, 300, 400), 0, align)
		assert.Zero(t, frame.Left(s, 500, 400), align)
	}
}

func TestExtent(t *testing.T) {
	p := frame.PagesOf([]sheet.Sheet{{Width: 595, Height: 842}, {Width: 842, Height: 595}})
	w, h := p.Extent(setting.Default())
	assert.Equal(t, []float64{842, 842}, []float64{w, h})
	w, h = p.Extent(with(func(s *setting.Settings) { s.Facing = setting.Pairs }))
	assert.Equal(t, []float64{595 + 842, 842}, []float64{w, h}, "two pages abreast")
}

// Column undoes what Layout does to widths.
func TestColumnOfAFrame(t *testing.T) {
	p := frame.PagesOf([]sheet.Sheet{{Width: 595, Height: 842}})
	for _, x := range []struct {
		width setting.Length
		most  float64
	}{{setting.Length{Value: 100, Unit: setting.Percent}, 0}, {setting.Length{Value: 62, Unit: setting.Percent}, 0},
		{setting.Length{Value: 80, Unit: setting.Percent}, 700}, {setting.Length{Value: 500, Unit: setting.Pixels}, 0}} {
		s := setting.Default()
		s.Width, s.MaxWidth = x.width, x.most
		for column := 200.0; column <= 1600; column += 7 {
			width := frame.Layout(s, p, column, 800).Width
			back := frame.Column(s, width)
			assert.LessOrEqual(t, back, column+2, "%v in %v", x.width, column)
			assert.InDelta(t, width, frame.Layout(s, p, back, 800).Width, 1, "%v in %v", x.width, column)
		}
	}
}
