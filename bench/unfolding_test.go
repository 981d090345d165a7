package bench

import (
	"bytes"
	"image"
	"image/png"
)

// unfolding is a PNG of few bytes and many pixels: as many as may be taken.
func unfolding() []byte {
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 15_000, 15_000))); err != nil {
		panic(err) // into memory
	}
	return b.Bytes()
}
