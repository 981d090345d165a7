// Package pageimage encodes a rendered page in the form that shows it honestly
// in the fewest bytes.
//
// Pages are of three kinds. Plain black text needs 16 greys: a 4-bit PNG.
// Drawings and coloured text use few distinct colours over large flat areas:
// a paletted PNG. Photographs and scans spread over many colours: JPEG. The
// kind is measured, not guessed: colours are counted at 5 bits a channel, and
// a page counts as flat only when most of its pixels fall on few colours, so
// that a soft photograph with a small palette is not torn into steps.
package pageimage

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
)

// Pixels is a rendered page: 4 bytes a pixel (R, G, B, unused), Stride bytes a
// row, without transparency.
type Pixels struct {
	Pix           []byte
	Stride        int
	Width, Height int
}

// JPEGQuality is used for photographs and scans.
const JPEGQuality = 80

// Form is the encoding a page calls for.
type Form int

// The forms, from the smallest to the most general.
const (
	Greys Form = iota
	Palette
	Photo
)

const (
	flatColours = 24   // that many colours, at most, make up a flat page …
	flatShare   = 0.85 // … when they cover at least this share of it
)

// Census is what Measure found: the form, and for each of the 32,768 colours
// at 5 bits a channel its place in the palette.
type Census struct {
	Form    Form
	palette color.Palette
	index   []uint8
}

func key(r, g, b byte) int { return int(r>>3)<<10 | int(g>>3)<<5 | int(b>>3) }

// Measure counts the colours of a page and says which form it calls for.
func Measure(p Pixels) Census {
	var counts [1 << 15]uint32
	grey := true
	for y := range p.Height {
		row := p.Pix[y*p.Stride : y*p.Stride+p.Width*4]
		for x := 0; x+3 < len(row); x += 4 {
			r, g, b := row[x], row[x+1], row[x+2]
			counts[key(r, g, b)]++
			if grey && (absDiff(r, g) > 6 || absDiff(g, b) > 6) {
				grey = false
			}
		}
	}
	var used []int
	for k, n := range counts {
		if n > 0 {
			used = append(used, k)
		}
	}
	if topShare(counts[:], used, p.Width*p.Height) < flatShare {
		return Census{Form: Photo}
	}
	if grey {
		return Census{Form: Greys}
	}
	if len(used) > 256 {
		return Census{Form: Photo}
	}
	return paletteOf(p, counts[:], used)
}

func absDiff(a, b byte) int {
	if a > b {
		return int(a - b)
	}
	return int(b - a)
}

// topShare is the share of pixels on the flatColours most frequent colours.
func topShare(counts []uint32, used []int, total int) float64 {
	if total == 0 {
		return 1
	}
	var top [flatColours]uint32
	for _, k := range used {
		n := counts[k]
		for i := range top {
			if n > top[i] {
				copy(top[i+1:], top[i:len(top)-1])
				top[i] = n
				break
			}
		}
	}
	var sum uint64
	for _, n := range top {
		sum += uint64(n)
	}
	return float64(sum) / float64(total)
}

// paletteOf gives every used cell the mean of its own pixels, so that flat
// areas keep their exact colour.
func paletteOf(p Pixels, counts []uint32, used []int) Census {
	index := make([]uint8, 1<<15)
	for i, k := range used {
		index[k] = uint8(i)
	}
	sums := make([][3]uint64, len(used))
	for y := range p.Height {
		row := p.Pix[y*p.Stride : y*p.Stride+p.Width*4]
		for x := 0; x+3 < len(row); x += 4 {
			s := &sums[index[key(row[x], row[x+1], row[x+2])]]
			s[0] += uint64(row[x])
			s[1] += uint64(row[x+1])
			s[2] += uint64(row[x+2])
		}
	}
	palette := make(color.Palette, len(used))
	for i, k := range used {
		n := uint64(counts[k])
		palette[i] = color.RGBA{uint8(sums[i][0] / n), uint8(sums[i][1] / n), uint8(sums[i][2] / n), 255}
	}
	return Census{Form: Palette, palette: palette, index: index}
}

// Encode measures a page and encodes it. The media type is image/png or
// image/jpeg.
func Encode(p Pixels) (mediaType string, encoded []byte, err error) {
	var out bytes.Buffer
	switch c := Measure(p); c.Form {
	case Photo:
		img := &image.RGBA{Pix: p.Pix, Stride: p.Stride, Rect: image.Rect(0, 0, p.Width, p.Height)}
		if err := jpeg.Encode(&out, img, &jpeg.Options{Quality: JPEGQuality}); err != nil {
			return "", nil, fmt.Errorf("encode page as JPEG: %w", err)
		}
		return "image/jpeg", out.Bytes(), nil
	case Greys:
		err = encodePNG(&out, greys(p))
	default:
		err = encodePNG(&out, paletted(p, c))
	}
	if err != nil {
		return "", nil, fmt.Errorf("encode page as PNG: %w", err)
	}
	return "image/png", out.Bytes(), nil
}

// buffers lets the PNG encoder keep its working memory between pages.
type buffers struct{ b *png.EncoderBuffer }

func (k *buffers) Get() *png.EncoderBuffer  { return k.b }
func (k *buffers) Put(b *png.EncoderBuffer) { k.b = b }

func encodePNG(out *bytes.Buffer, img image.Image) error {
	e := png.Encoder{CompressionLevel: png.DefaultCompression, BufferPool: &buffers{}}
	return e.Encode(out, img)
}

func greys(p Pixels) *image.Paletted {
	palette := make(color.Palette, 16)
	for i := range palette {
		palette[i] = color.Gray{Y: uint8(i * 17)}
	}
	var level [256]uint8
	for v := range level {
		level[v] = uint8((v + 8) / 17)
	}
	img := image.NewPaletted(image.Rect(0, 0, p.Width, p.Height), palette)
	for y := range p.Height {
		row, dst := p.Pix[y*p.Stride:y*p.Stride+p.Width*4], img.Pix[y*img.Stride:]
		for x := range p.Width {
			dst[x] = level[row[x*4+1]]
		}
	}
	return img
}

func paletted(p Pixels, c Census) *image.Paletted {
	img := image.NewPaletted(image.Rect(0, 0, p.Width, p.Height), c.palette)
	for y := range p.Height {
		row, dst := p.Pix[y*p.Stride:y*p.Stride+p.Width*4], img.Pix[y*img.Stride:]
		for x := range p.Width {
			dst[x] = c.index[key(row[x*4], row[x*4+1], row[x*4+2])]
		}
	}
	return img
}
