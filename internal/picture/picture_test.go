package picture_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/picture"
	"incipit/internal/publishing"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// halves is a picture that is red at the left and blue at the right.
func halves(w, h int) image.Image {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.RGBA{200, uint8(x * 255 / w), uint8(y * 255 / h), 255}
			if x >= w/2 {
				c = color.RGBA{0, uint8(x * 255 / w), 220, 255}
			}
			img.Set(x, y, c)
		}
	}
	return img
}

// turned is a JPEG whose camera was held upright: Exif orientation 6.
func turned(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, halves(64, 32), nil))
	tiff := append([]byte("Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x01"), 0x01, 0x12, 0, 3, 0, 0, 0, 1, 0, 6, 0, 0, 0, 0, 0, 0)
	segment := binary.BigEndian.AppendUint16([]byte{0xFF, 0xE1}, uint16(len(tiff)+2))
	return append(append(append([]byte{0xFF, 0xD8}, segment...), tiff...), b.Bytes()[2:]...)
}

func TestTake(t *testing.T) {
	h := testkit.Open(t)
	take := func(b []byte) (publishing.Picture, error) {
		return picture.Take(t.Context(), h.Intake.Engine, h.Publishing, h.Blobs, "marsh", bytes.NewReader(b))
	}
	encoded := func(f func(*bytes.Buffer) error) []byte {
		var b bytes.Buffer
		require.NoError(t, f(&b))
		return b.Bytes()
	}
	large, err := take(encoded(func(b *bytes.Buffer) error { return jpeg.Encode(b, halves(2400, 1200), nil) }))
	require.NoError(t, err)
	assert.Equal(t, []int{480, 960, 1920}, large.Widths)
	assert.Equal(t, "image/jpeg", large.MediaType)
	small, err := take(encoded(func(b *bytes.Buffer) error { return gif.Encode(b, halves(60, 30), nil) }))
	require.NoError(t, err)
	assert.Equal(t, []int{60}, small.Widths)
	again, err := take(encoded(func(b *bytes.Buffer) error { return gif.Encode(b, halves(60, 30), nil) }))
	require.NoError(t, err)
	assert.Equal(t, small.ID, again.ID, "the same picture is kept once")
	clear := image.NewNRGBA(image.Rect(0, 0, 40, 40))
	seen, err := take(encoded(func(b *bytes.Buffer) error { return png.Encode(b, clear) }))
	require.NoError(t, err)
	assert.Equal(t, "image/png", seen.MediaType, "what can be seen through stays so")

	file := turned(t)
	upright, err := take(file)
	require.NoError(t, err)
	assert.Equal(t, [2]int{32, 64}, [2]int{upright.Width, upright.Height})
	b, err := h.Blobs.Read(context.Background(), picture.Key(upright.SHA256, 32))
	require.NoError(t, err)
	assert.NotContains(t, string(b), "Exif", "nothing but the picture is kept")
	img, _, err := image.Decode(bytes.NewReader(b))
	require.NoError(t, err)
	r, _, bl, _ := img.At(16, 6).RGBA()
	assert.Greater(t, r, bl, "the left of the sensor is the top")

	for name, bad := range map[string][]byte{"text": []byte("<svg onload=alert(1)>"), "empty": nil, "cut off": file[:len(file)/2],
		"a PDF": []byte("%PDF-1.7")} {
		_, err := take(bad)
		require.ErrorIs(t, err, picture.ErrNoImage, name)
	}
	for name, b := range map[string][]byte{
		"deep":    head(9000, 6000, 16),
		"thin":    head(50_000_000, 1, 8),
		"endless": head(1, 2_000_000_000, 8),
	} {
		_, err = take(b)
		require.ErrorIs(t, err, picture.ErrTooLarge, name)
	}
}

// head is the beginning of a PNG that says that it is w by h, at a depth of bits.
func head(w, h uint32, depth byte) []byte {
	ihdr := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32([]byte("IHDR"), w), h)
	ihdr = append(ihdr, depth, 6, 0, 0, 0)
	out := append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\r"), ihdr...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(ihdr))
}
