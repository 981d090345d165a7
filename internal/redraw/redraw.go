// Package redraw writes a picture anew in the widths in which it is served:
// nothing else that its file may hold (places, cameras, scripts) goes on to
// anybody. JPEG, PNG, GIF (its first frame) and WebP are read, by their bytes; a
// turn that a camera noted (Exif 2.3, Orientation) is carried out.
//
// It runs in a worker, as files of strangers may ask for anything: how large a
// picture is when decoded is told from its head, before it is, and it is scaled
// row by row, by the cubic kernel of Catmull and Rom (R. Keys, "Cubic convolution
// interpolation for digital image processing", IEEE ASSP 29(6), 1981, a = −½), so
// that nothing but the decoded picture itself takes memory.
package redraw

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	_ "image/gif" // read
	"image/jpeg"
	"image/png"
	"math"

	_ "golang.org/x/image/webp" // read
)

// Limits bound what may be decoded.
type Limits struct {
	Bytes int64 // of the decoded picture
	Side  int   // pixels
}

// What a picture can be refused for.
var (
	ErrTooLarge = errors.New("the picture is too large")
	ErrNoImage  = errors.New("this is no picture that can be read")
)

// Made is a picture in its widths.
type Made struct {
	Width, Height int // pixels of the original, upright
	MediaType     string
	Copies        []Copy // the narrowest first
}

// Copy is a picture in one width.
type Copy struct {
	Width int
	Bytes []byte
}

// quality is that of JPEG copies.
const quality = 84

// Draw reads a picture and writes it in those widths, px, that it has; the widest
// it has is among them if none is.
func Draw(raw []byte, widths []int, l Limits) (Made, error) {
	config, kind, err := image.DecodeConfig(bytes.NewReader(raw))
	if err != nil {
		return Made{}, ErrNoImage
	}
	if config.Width < 1 || config.Height < 1 {
		return Made{}, ErrNoImage
	}
	if config.Width > l.Side || config.Height > l.Side || Decoded(raw, kind, config) > l.Bytes {
		return Made{}, ErrTooLarge
	}
	img, _, err := image.Decode(bytes.NewReader(raw))
	if err != nil {
		return Made{}, ErrNoImage
	}
	turn := 1
	if kind == "jpeg" {
		turn = orientation(raw)
	}
	b := img.Bounds()
	out := Made{Width: b.Dx(), Height: b.Dy(), MediaType: "image/jpeg"}
	if turn >= 5 {
		out.Width, out.Height = out.Height, out.Width
	}
	if !opaque(img) || kind == "png" && fewColours(img) {
		out.MediaType = "image/png"
	}
	// The widest copy is drawn from the picture, the others from it.
	var wanted []int
	for _, w := range widths {
		w = min(w, out.Width)
		if len(wanted) == 0 || wanted[len(wanted)-1] < w {
			wanted = append(wanted, w)
		}
	}
	out.Copies = make([]Copy, len(wanted))
	from, scaled := img, turn
	for i := len(wanted) - 1; i >= 0; i-- {
		w := wanted[i]
		h := max(int(math.Round(float64(w)*float64(out.Height)/float64(out.Width))), 1)
		if scaled >= 5 {
			w, h = h, w
		}
		drawn := upright(scale(from, w, h), scaled)
		from, scaled = drawn, 1
		encoded, err := encode(drawn, out.MediaType)
		if err != nil {
			return Made{}, err
		}
		out.Copies[i] = Copy{wanted[i], encoded}
	}
	return out, nil
}

func encode(img image.Image, mediaType string) ([]byte, error) {
	var b bytes.Buffer
	var err error
	if mediaType == "image/png" {
		err = png.Encode(&b, img)
	} else {
		err = jpeg.Encode(&b, img, &jpeg.Options{Quality: quality})
	}
	if err != nil {
		return nil, fmt.Errorf("write a picture: %w", err)
	}
	return b.Bytes(), nil
}

func opaque(img image.Image) bool {
	o, ok := img.(interface{ Opaque() bool })
	return ok && o.Opaque()
}

// fewColours tells drawings, which suffer as JPEG, from photographs: a sample
// of points has few colours.
func fewColours(img image.Image) bool {
	b := img.Bounds()
	seen := map[[3]uint32]bool{}
	for i := range 64 {
		for k := range 64 {
			r, g, bl, _ := img.At(b.Min.X+b.Dx()*i/64, b.Min.Y+b.Dy()*k/64).RGBA()
			seen[[3]uint32{r, g, bl}] = true
		}
	}
	return len(seen) <= 256
}
