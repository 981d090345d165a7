package pageimage_test

import (
	"testing"

	"incipit/internal/pageimage"
)

// BenchmarkEncode is one page of each form at 1600 × 2263 pixels.
func BenchmarkEncode(b *testing.B) {
	for _, c := range []struct {
		name string
		page pageimage.Pixels
	}{{"text", draw(1600, 2263, text)}, {"flat", draw(1600, 2263, map4)}, {"photo", draw(1600, 2263, photo)}} {
		b.Run(c.name, func(b *testing.B) {
			for b.Loop() {
				if _, _, err := pageimage.Encode(c.page); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
