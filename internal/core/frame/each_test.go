package frame_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
)

// Where each row is as large as fits, every row is as wide as there is room, or whole
// within what the largest takes; the scale that is told is that of the widest, so
// that no page is read smaller than is said.
func TestEachRowAsLargeAsFits(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for range 300 {
		sheets := make([]sheet.Sheet, 1+r.IntN(12))
		for i := range sheets {
			sheets[i] = sheet.Sheet{Width: 60 + 1500*r.Float64(), Height: 60 + 1500*r.Float64()}
		}
		p := frame.PagesOf(sheets)
		s := setting.Default()
		s.RowScale, s.Facing = setting.EachRow, []string{setting.Single, setting.Pairs, setting.Cover}[r.IntN(3)]
		b := frame.Layout(s, p, 400+600*r.Float64(), 800)
		at := frame.Place(s, p, b)
		same := s
		same.RowScale = setting.SameScale
		inProportion := frame.Place(same, p, frame.Layout(same, p, b.Width, 800))
		for i, row := range at.Rows {
			if b.Scale > frame.MinScale && b.Scale < frame.MaxScale {
				assert.InDelta(t, b.InnerWidth-2*frame.Gutter, row.W, 0.1)
			}
			assert.GreaterOrEqual(t, p.Factor(s, i), 1-1e-9)
			assert.GreaterOrEqual(t, row.W, inProportion.Rows[i].W-0.1)
		}
		s.Zoom.Kind = setting.FitPage
		b = frame.Layout(s, p, 400+600*r.Float64(), 800)
		for _, row := range frame.Place(s, p, b).Rows {
			if b.Scale > frame.MinScale {
				assert.LessOrEqual(t, row.W, b.InnerWidth-2*frame.Gutter+0.1)
				assert.LessOrEqual(t, row.H, b.InnerHeight-2*frame.Gutter+0.1)
			}
		}
		s.Zoom.Kind = setting.TrueSize
		assert.InDelta(t, 1, p.Factor(s, 0), 0, "true sizes are true")
	}
}
