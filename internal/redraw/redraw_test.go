package redraw

import (
	"bytes"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"math/rand/v2"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/draw"
)

// soft is a picture of gentle changes, opaque or not.
func soft(random *rand.Rand, w, h int, clear bool) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	a, b := random.IntN(200)+1, random.IntN(200)+1
	for y := range h {
		for x := range w {
			c := color.NRGBA{uint8(x * a / w), uint8(y * b / h), uint8((x + y) * 99 / (w + h)), 255}
			if clear {
				c.A = uint8(255 - x*200/w)
			}
			img.SetNRGBA(x, y, c)
		}
	}
	return img
}

// Scaling gives what the well-known kernel gives, within rounding, at any size.
func TestScaleIsTheKernel(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 6))
	for range 40 {
		w, h := 1+random.IntN(120), 1+random.IntN(120)
		img := soft(random, w, h, random.IntN(2) == 0)
		tw, th := 1+random.IntN(w), 1+random.IntN(h)
		got := scale(img, tw, th)
		want := image.NewNRGBA(image.Rect(0, 0, tw, th))
		draw.CatmullRom.Scale(want, want.Rect, img, img.Rect, draw.Src, nil)
		for i := range want.Pix {
			require.InDelta(t, want.Pix[i], got.Pix[i], 4, "%dx%d to %dx%d at %d", w, h, tw, th, i)
		}
	}
	same := soft(random, 37, 21, false)
	assert.Equal(t, same.Pix, scale(same, 37, 21).Pix, "the same size is the same picture")
}

// What the head of a file says it takes is what it takes, at most, and it takes
// not much more to draw it anew.
func TestDecodedIsABound(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 8))
	const wide, high, copied = 400, 300, 160
	img := soft(random, wide, high, false)
	grey := image.NewGray(img.Rect)
	draw.Draw(grey, grey.Rect, img, image.Point{}, draw.Src)
	deep := image.NewNRGBA64(img.Rect)
	draw.Draw(deep, deep.Rect, img, image.Point{}, draw.Src)
	for name, write := range map[string]func(*bytes.Buffer) error{
		"jpeg": func(b *bytes.Buffer) error { return jpeg.Encode(b, img, nil) },
		"grey": func(b *bytes.Buffer) error { return jpeg.Encode(b, grey, nil) },
		"png":  func(b *bytes.Buffer) error { return png.Encode(b, img) },
		"deep": func(b *bytes.Buffer) error { return png.Encode(b, deep) },
		"gif":  func(b *bytes.Buffer) error { return gif.Encode(b, img, nil) },
	} {
		var b bytes.Buffer
		require.NoError(t, write(&b))
		config, kind, err := image.DecodeConfig(bytes.NewReader(b.Bytes()))
		require.NoError(t, err)
		said := Decoded(b.Bytes(), kind, config)
		took := allocated(func() { _, _, err = image.Decode(bytes.NewReader(b.Bytes())) })
		require.NoError(t, err)
		assert.Less(t, took, said+said/8+200_000, name)
		drawn := allocated(func() { _, err = Draw(b.Bytes(), []int{copied}, Limits{Bytes: said, Side: wide}) })
		require.NoError(t, err, name)
		assert.Less(t, drawn, took+2_500_000, "%s: rows, the copy and its file", name)
		_, err = Draw(b.Bytes(), []int{copied}, Limits{Bytes: said - 1, Side: wide})
		require.ErrorIs(t, err, ErrTooLarge, name)
		_, err = Draw(b.Bytes(), []int{copied}, Limits{Bytes: said, Side: wide - 1})
		require.ErrorIs(t, err, ErrTooLarge, name)
	}
}

func allocated(f func()) int64 {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	f()
	runtime.ReadMemStats(&after)
	return int64(after.TotalAlloc - before.TotalAlloc)
}

func FuzzDraw(f *testing.F) {
	var b bytes.Buffer
	require.NoError(f, jpeg.Encode(&b, soft(rand.New(rand.NewPCG(1, 1)), 20, 10, false), nil))
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, raw []byte) {
		made, err := Draw(raw, []int{16}, Limits{Bytes: 1 << 20, Side: 1000})
		if err == nil {
			require.NotEmpty(t, made.Copies)
		}
	})
}
