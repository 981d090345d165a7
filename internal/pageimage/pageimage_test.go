package pageimage_test

import (
	"bytes"
	"image"
	"image/color"
	_ "image/jpeg"
	_ "image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pageimage"
)

// draw fills a page by a rule for each pixel.
func draw(w, h int, at func(x, y int) color.RGBA) pageimage.Pixels {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			img.SetRGBA(x, y, at(x, y))
		}
	}
	return pageimage.Pixels{Pix: img.Pix, Stride: img.Stride, Width: w, Height: h}
}

func text(x, y int) color.RGBA {
	if y%12 < 6 && x%7 < 2 {
		return color.RGBA{uint8(x%3) * 90, uint8(x%3) * 90, uint8(x%3) * 90, 255}
	}
	return color.RGBA{255, 255, 255, 255}
}

func map4(x, y int) color.RGBA {
	return []color.RGBA{{250, 248, 240, 255}, {36, 70, 122, 255}, {156, 42, 36, 255}, {37, 107, 92, 255}}[(x/40+y/40)%4]
}

func photo(x, y int) color.RGBA {
	return color.RGBA{uint8(x * 7 % 256), uint8(y * 5 % 256), uint8((x + y) * 3 % 256), 255}
}

// A soft sepia gradient has few colours at 5 bits a channel and must still not
// be cut into steps.
func sepia(x, y int) color.RGBA {
	v := uint8((x + y) * 255 / 720)
	return color.RGBA{v, uint8(int(v) * 220 / 255), uint8(int(v) * 180 / 255), 255}
}

// A scan of a blank page: few colours, but grain everywhere.
func scan(x, y int) color.RGBA {
	n := uint8((x*7919 + y*104729 + x*y*31) % 9)
	return color.RGBA{232 + n, 222 + n, 200 + n, 255}
}

// A grey wedge, as behind a heading.
func wedge(x, _ int) color.RGBA {
	v := uint8(180 + x*60/400)
	return color.RGBA{v, v, v, 255}
}

// Bands from edge to edge: no pixel differs from its neighbour.
func bands(_, y int) color.RGBA {
	return []color.RGBA{{255, 255, 255, 255}, {156, 42, 36, 255}}[y/40%2]
}

func TestFormFollowsThePage(t *testing.T) {
	for _, c := range []struct {
		name string
		at   func(x, y int) color.RGBA
		form pageimage.Form
		mt   string
	}{
		{"black text", text, pageimage.Greys, "image/png"},
		{"flat colours", map4, pageimage.Palette, "image/png"},
		{"coloured bands", bands, pageimage.Palette, "image/png"},
		{"photograph", photo, pageimage.Photo, "image/jpeg"},
		{"soft gradient", sepia, pageimage.Photo, "image/jpeg"},
		{"scanned paper", scan, pageimage.Photo, "image/jpeg"},
		{"grey wedge", wedge, pageimage.Photo, "image/jpeg"},
	} {
		t.Run(c.name, func(t *testing.T) {
			p := draw(400, 320, c.at)
			assert.Equal(t, c.form, pageimage.Measure(p).Form)
			mt, encoded, err := pageimage.Encode(p)
			require.NoError(t, err)
			assert.Equal(t, c.mt, mt)
			img, _, err := image.Decode(bytes.NewReader(encoded))
			require.NoError(t, err)
			assert.Equal(t, image.Rect(0, 0, 400, 320), img.Bounds())
		})
	}
}

func TestFlatColoursStayExact(t *testing.T) {
	_, encoded, err := pageimage.Encode(draw(160, 160, map4))
	require.NoError(t, err)
	img, _, err := image.Decode(bytes.NewReader(encoded))
	require.NoError(t, err)
	for _, at := range []image.Point{{5, 5}, {45, 5}, {85, 5}, {125, 5}} {
		want := map4(at.X, at.Y)
		assert.Equal(t, color.RGBAModel.Convert(want), color.RGBAModel.Convert(img.At(at.X, at.Y)))
	}
}

func TestRowsLongerThanThePicture(t *testing.T) {
	p := draw(64, 8, map4)
	p.Width = 50
	_, encoded, err := pageimage.Encode(p)
	require.NoError(t, err)
	img, _, err := image.Decode(bytes.NewReader(encoded))
	require.NoError(t, err)
	assert.Equal(t, 50, img.Bounds().Dx())
}
