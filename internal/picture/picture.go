// Package picture takes the pictures that editors add to their pages.
//
// What comes in is decoded and written anew in the widths in which it is
// served: nothing else that a file may hold (places, cameras, scripts) reaches
// readers. JPEG, PNG, GIF (its first frame) and WebP are read, by their bytes;
// a turn that a camera noted (Exif 2.3, Orientation) is carried out.
package picture

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"image"
	_ "image/gif" // read
	"image/jpeg"
	"image/png"
	"io"
	"math"

	"golang.org/x/image/draw"
	_ "golang.org/x/image/webp" // read

	"incipit/internal/blob"
	"incipit/internal/store"
)

// Prefix is where pictures lie among blobs.
const Prefix = "pictures/"

// Bounds of a picture.
const (
	MostBytes  = 20 << 20
	mostPixels = 50_000_000
	quality    = 84
)

// ladder are the widths in which a picture is served, px, as far as it has them.
var ladder = []int{480, 960, 1920}

// Refusal is an error that is a sentence for an editor.
type Refusal string

// Error gives the sentence.
func (r Refusal) Error() string { return string(r) }

// What a file can be refused for.
const (
	ErrTooLarge = Refusal("The picture is larger than 20 MB or 50 million pixels. Make it smaller and add it again.")
	ErrNoImage  = Refusal("This is no picture that can be read here. JPEG, PNG, GIF and WebP can.")
)

// Take reads a picture, writes it in its widths and keeps it.
func Take(ctx context.Context, s *store.Store, blobs *blob.Store, name string, r io.Reader) (store.Picture, error) {
	raw, err := io.ReadAll(io.LimitReader(r, MostBytes+1))
	if err != nil {
		return store.Picture{}, fmt.Errorf("receive a picture: %w", err)
	}
	if len(raw) > MostBytes {
		return store.Picture{}, ErrTooLarge
	}
	size, kind, err := image.DecodeConfig(bytes.NewReader(raw))
	if err != nil {
		return store.Picture{}, ErrNoImage
	}
	if size.Width*size.Height > mostPixels || size.Width < 1 || size.Height < 1 {
		return store.Picture{}, ErrTooLarge
	}
	img, _, err := image.Decode(bytes.NewReader(raw))
	if err != nil {
		return store.Picture{}, ErrNoImage
	}
	if kind == "jpeg" {
		img = upright(img, orientation(raw))
	}
	sum := sha256.Sum256(raw)
	b := img.Bounds()
	p := store.Picture{SHA256: hex.EncodeToString(sum[:]), Name: name, Width: b.Dx(), Height: b.Dy(), MediaType: "image/jpeg"}
	if !opaque(img) || kind == "png" && fewColours(img) {
		p.MediaType = "image/png"
	}
	for _, w := range ladder {
		w = min(w, p.Width)
		if len(p.Widths) > 0 && p.Widths[len(p.Widths)-1] == w {
			break
		}
		out, err := written(img, w, p.MediaType)
		if err != nil {
			return store.Picture{}, err
		}
		if _, err := blobs.Keep(ctx, Key(p.SHA256, w), bytes.NewReader(out)); err != nil {
			return store.Picture{}, err
		}
		p.Widths = append(p.Widths, w)
	}
	return s.AddPicture(ctx, p)
}

// Key is where a picture lies in a width.
func Key(sha256 string, width int) string { return fmt.Sprintf("%s%s/%d", Prefix, sha256, width) }

func written(img image.Image, width int, mediaType string) ([]byte, error) {
	b := img.Bounds()
	height := max(int(math.Round(float64(width)*float64(b.Dy())/float64(b.Dx()))), 1)
	out := image.NewNRGBA(image.Rect(0, 0, width, height))
	draw.CatmullRom.Scale(out, out.Bounds(), img, b, draw.Src, nil)
	var buf bytes.Buffer
	var err error
	if mediaType == "image/png" {
		err = png.Encode(&buf, out)
	} else {
		err = jpeg.Encode(&buf, out, &jpeg.Options{Quality: quality})
	}
	if err != nil {
		return nil, fmt.Errorf("write a picture: %w", err)
	}
	return buf.Bytes(), nil
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
