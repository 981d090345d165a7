package contrast_test

import (
	"fmt"
	"image"
	"image/color"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/contrast"
	"incipit/internal/core/sheet"
)

func colour(r *rand.Rand) color.RGBA {
	return color.RGBA{uint8(r.IntN(256)), uint8(r.IntN(256)), uint8(r.IntN(256)), 255}
}

func written(c color.RGBA) string { return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B) }

// lettered is a page of one colour with strokes of another, softened at their edges as
// renderers soften them.
func lettered(box image.Rectangle, ground, ink color.RGBA) *image.RGBA {
	p := image.NewRGBA(image.Rect(0, 0, 300, 120))
	for i := range 300 * 120 {
		p.SetRGBA(i%300, i/300, ground)
	}
	mix := func(part float64) color.RGBA {
		at := func(a, b uint8) uint8 { return uint8(float64(a) + (float64(b)-float64(a))*part) }
		return color.RGBA{at(ground.R, ink.R), at(ground.G, ink.G), at(ground.B, ink.B), 255}
	}
	for x := box.Min.X + 2; x+3 < box.Max.X; x += 6 {
		for y := box.Min.Y + 2; y < box.Max.Y-2; y++ {
			p.SetRGBA(x, y, mix(0.4))
			p.SetRGBA(x+1, y, mix(0.9))
			p.SetRGBA(x+2, y, mix(0.4))
		}
	}
	return p
}

// What is measured in a picture is what the two colours have, whichever they are; a text
// that is not drawn in its colour, or over something motley, is not measured.
func TestInkOnAPage(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	measured := 0
	for range 500 {
		ground, ink := colour(r), colour(r)
		box := image.Rect(40, 30, 200, 54)
		i := contrast.Ink{Box: sheet.Rect{X: 20, Y: 15, W: 80, H: 12}, Size: 10, Colour: written(ink), Letters: 9}
		page := lettered(box, ground, ink)
		want := contrast.Ratio(written(ink), written(ground))
		got, ok := i.On(page, 2)
		if want >= 1.2 {
			require.True(t, ok, "%v on %v", ink, ground)
			assert.InDelta(t, want, got, 1e-9)
			measured++
		}
		if contrast.Ratio(written(ink), written(ground)) < 1.2 {
			continue
		}
		bare := lettered(image.Rectangle{}, ground, ink)
		_, ok = i.On(bare, 2)
		assert.False(t, ok, "there is nothing to read")
		motley := lettered(box, ground, ink)
		for y := range 120 {
			for x := range 300 {
				if (x/7+y/7)%2 == 0 {
					motley.SetRGBA(x, y, color.RGBA{255 - ground.R, 255 - ground.G, ground.B ^ 0x80, 255})
				}
			}
		}
		_, ok = i.On(motley, 2)
		assert.False(t, ok, "%v on something motley", ink)
	}
	assert.Greater(t, measured, 300)
	_, ok := contrast.Ink{Box: sheet.Rect{X: 400, Y: 400, W: 50, H: 10}, Colour: "#000000"}.On(lettered(image.Rect(0, 0, 9, 9), color.RGBA{255, 255, 255, 255}, color.RGBA{}), 2)
	assert.False(t, ok, "off the page")
}

func TestLargeTextNeedsLess(t *testing.T) {
	for size, want := range map[float64][2]float64{10: {4.5, 4.5}, 14: {4.5, 3}, 17.9: {4.5, 3}, 18: {3, 3}} {
		assert.Equal(t, want, [2]float64{contrast.Ink{Size: size}.Needs(), contrast.Ink{Size: size, Bold: true}.Needs()})
	}
}
