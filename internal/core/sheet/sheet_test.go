package sheet_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/sheet"
)

func TestNewTurnsTheBox(t *testing.T) {
	box := sheet.Crop{Left: 10, Bottom: 20, Right: 210, Top: 320}
	for _, c := range []struct {
		name          string
		rotation      int
		width, height float64
		want          int
	}{
		{"upright", 0, 200, 300, 0},
		{"quarter", 90, 300, 200, 90},
		{"half", 180, 200, 300, 180},
		{"three quarters", 270, 300, 200, 270},
		{"negative quarter", -90, 300, 200, 270},
		{"more than a turn", 450, 300, 200, 90},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := sheet.New(box, c.rotation, "7")
			assert.Equal(t, sheet.Sheet{Width: c.width, Height: c.height, Rotation: c.want, Label: "7"}, s)
		})
	}
}

func TestSizesLoseTheNoiseOfTheEngine(t *testing.T) {
	s := sheet.New(sheet.Crop{Right: float64(float32(841.89)), Top: float64(float32(595.28))}, 0, "1")
	assert.Equal(t, [2]float64{841.89, 595.28}, [2]float64{s.Width, s.Height})
}

func TestEmptyBoxKeepsAPlace(t *testing.T) {
	s := sheet.New(sheet.Crop{}, 0, "1")
	assert.Equal(t, sheet.MinSide, s.Width)
	assert.Equal(t, sheet.MinSide, s.Height)
}

// The four corners of the box must land on the four corners of the sheet, in
// the order a clockwise turn gives.
func TestToSheetCorners(t *testing.T) {
	box := sheet.Crop{Left: 10, Bottom: 20, Right: 210, Top: 320}
	for rotation, want := range map[int][4][2]float64{
		//      top left   top right   bottom right bottom left
		0:   {{0, 0}, {200, 0}, {200, 300}, {0, 300}},
		90:  {{300, 0}, {300, 200}, {0, 200}, {0, 0}},
		180: {{200, 300}, {0, 300}, {0, 0}, {200, 0}},
		270: {{0, 200}, {0, 0}, {300, 0}, {300, 200}},
	} {
		t.Run(fmt.Sprint(rotation), func(t *testing.T) {
			for i, corner := range [4][2]float64{{10, 320}, {210, 320}, {210, 20}, {10, 20}} {
				x, y := box.ToSheet(rotation, corner[0], corner[1])
				assert.Equal(t, want[i], [2]float64{x, y}, "corner %d", i)
			}
		})
	}
}

func TestRectToSheetIsInsideTheSheet(t *testing.T) {
	box := sheet.Crop{Left: -5, Bottom: -5, Right: 95, Top: 45}
	for _, rotation := range []int{0, 90, 180, 270} {
		s := sheet.New(box, rotation, "")
		assert.Equal(t, rotation%180 == 0, s.Wide(), "100 by 50, turned by %d", rotation)
		r := box.RectToSheet(rotation, 0, 0, 20, 10)
		assert.InDelta(t, 200, r.W*r.H, 1e-9)
		assert.True(t, r.X >= 0 && r.Y >= 0 && r.X+r.W <= s.Width && r.Y+r.H <= s.Height, "rotation %d: %+v in %+v", rotation, r, s)
	}
}
