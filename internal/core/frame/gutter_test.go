package frame_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
)

// Around and between pages lie 12 px, in every way that pages run.
func TestTheGutterIsTheSameEverywhere(t *testing.T) {
	const gutter = 12.0
	sheets := make([]sheet.Sheet, 7)
	for i := range sheets {
		sheets[i] = sheet.Sheet{Width: 300, Height: 400}
	}
	p := frame.PagesOf(sheets)
	s := setting.Default()
	s.Zoom.Kind, s.Zoom.Percent = setting.ByNumber, 25
	for _, flow := range []string{setting.Tiles, setting.Down, setting.Across} {
		s.Flow = flow
		b := frame.Layout(s, p, 500, 800)
		at := frame.Place(s, p, b)
		w, h := at.Rows[0].W, at.Rows[0].H
		assert.InDelta(t, 100, w, 0.1, "a quarter of 400 px")
		switch flow {
		case setting.Tiles:
			n := at.Abreast()
			room := b.InnerWidth - 2*gutter
			assert.Greater(t, float64(n+1)*w+float64(n)*gutter, room, "one more would not fit")
			assert.LessOrEqual(t, float64(n)*w+float64(n-1)*gutter, room+0.1)
			for i, r := range at.Rows {
				assert.InDelta(t, gutter+float64(i/n)*(h+gutter), r.Y, 0.1, "tile %d", i)
				if i%n > 0 {
					assert.InDelta(t, at.Rows[i-1].X+w+gutter, r.X, 0.1, "tile %d", i)
				}
			}
			lines := (len(at.Rows) + n - 1) / n
			assert.InDelta(t, float64(lines)*(h+gutter)+gutter, at.Height, 0.1)
		case setting.Down:
			for i, r := range at.Rows {
				assert.InDelta(t, gutter+float64(i)*(h+gutter), r.Y, 0.1, "row %d", i)
			}
		case setting.Across:
			for i, r := range at.Rows {
				assert.InDelta(t, gutter+float64(i)*(w+gutter), r.X, 0.1, "row %d", i)
			}
		}
	}
	// Tiles that just fit stand abreast, and one hair less room parts them.
	s.Flow = setting.Tiles
	b := frame.Layout(s, p, 500, 800)
	b.InnerWidth = 2*gutter + 3*b.Scale*300 + 2*gutter
	assert.Equal(t, 3, frame.Place(s, p, b).Abreast())
	b.InnerWidth -= 0.5
	assert.Equal(t, 2, frame.Place(s, p, b).Abreast())
}
