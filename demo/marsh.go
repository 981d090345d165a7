package demo

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
)

// Marsh draws the marsh at Harrowmere at dusk, as a PNG file: sky, water, reeds
// and a skein of geese. It is made up, like everything here.
func Marsh() ([]byte, error) {
	const w, h, shore = 1200, 675, 430
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	mix := func(a, b color.RGBA, part float64) color.RGBA {
		at := func(x, y uint8) uint8 { return uint8(float64(x) + (float64(y)-float64(x))*part) }
		return color.RGBA{at(a.R, b.R), at(a.G, b.G), at(a.B, b.B), 255}
	}
	high, low := color.RGBA{62, 88, 126, 255}, color.RGBA{243, 205, 160, 255}
	for y := range h {
		c := mix(high, low, math.Min(float64(y)/shore, 1))
		if y > shore {
			c = mix(low, color.RGBA{44, 62, 88, 255}, math.Sqrt(float64(y-shore)/(h-shore)))
		}
		for x := range w {
			img.SetRGBA(x, y, c)
		}
	}
	dark := color.RGBA{35, 34, 43, 255}
	dot := func(x, y, r float64) {
		for py := int(y - r); py <= int(y+r); py++ {
			for px := int(x - r); px <= int(x+r); px++ {
				if math.Hypot(float64(px)-x, float64(py)-y) <= r && image.Pt(px, py).In(img.Rect) {
					img.SetRGBA(px, py, dark)
				}
			}
		}
	}
	for x := range w {
		top := shore - 14 - 9*math.Sin(float64(x)/140) - 5*math.Sin(float64(x)/37)
		for y := int(top); y < shore; y++ {
			img.SetRGBA(x, y, mix(dark, low, 0.35))
		}
	}
	r := rand.New(rand.NewPCG(19, 53))
	for range 130 {
		x, foot, tall := r.Float64()*w, float64(h), 60+r.Float64()*170
		lean := (r.Float64() - 0.5) * 40
		for i := 0.0; i <= 1; i += 1 / tall {
			dot(x+lean*i*i, foot-tall*i, 2.2-1.4*i)
		}
		dot(x+lean, foot-tall, 3.5)
	}
	for i := range 9 { // a skein
		x, y := 700+math.Abs(float64(i-4))*34*math.Copysign(1, float64(i-4)), 120+math.Abs(float64(i-4))*16
		for k := -12.0; k <= 12; k++ {
			dot(x+k, y-math.Abs(k)*0.5, 1.6)
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		return nil, fmt.Errorf("draw the marsh: %w", err)
	}
	return b.Bytes(), nil
}
