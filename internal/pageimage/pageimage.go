// Package pageimage encodes a rendered page in the form that shows it honestly
// in the fewest bytes.
//
// Pages are of three kinds. Plain black text needs 16 greys: a 4-bit PNG.
// Drawings and coloured text use few distinct colours over large flat areas:
// a paletted PNG. Photographs and scans spread over many colours: JPEG. The
// kind is measured, not guessed. A page counts as flat only when most of its
// pixels fall on few colours (counted at 5 bits a channel), most are the very
// colour of their left neighbour, and few would be changed visibly by a
// palette: so neither a scan with its grain nor a soft gradient is torn into
// steps.
package pageimage

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
	"slices"
	"unsafe"
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
	levelShare  = 0.5  // share of pixels that equal their left neighbour
	movedShare  = 0.25 // share of pixels that a palette may change visibly
	mostCells   = 4096 // used cells of the colour space beyond which no palette is tried
	visible     = 2    // a change of more levels of 255 than this can be seen
)

// Census is what Measure found: the form, and for each of the 32,768 colours
// at 5 bits a channel its place in the palette.
type Census struct {
	Form    Form
	palette []uint32
	index   []uint8
}

// cell gives a colour's place among those at 5 bits a channel.
func cell(c uint32) int { return int(c>>3&31)<<10 | int(c>>11&31)<<5 | int(c>>19&31) }

// parts gives a colour's channels.
func parts(c uint32) (r, g, b byte) { return byte(c), byte(c >> 8), byte(c >> 16) }

// Measure counts the colours of a page and says which form it calls for. Runs
// of one colour, which most pages are made of, cost a comparison a pixel.
func Measure(p Pixels) Census {
	var counts [1 << 15]uint32
	grey, level := true, 0
	count := func(c, run uint32) {
		counts[cell(c)] += run
		level += int(run) - 1
		r, g, b := parts(c)
		grey = grey && absDiff(r, g) <= 6 && absDiff(g, b) <= 6
	}
	for y := range p.Height {
		row := p.row(y)
		last, run := row[0], uint32(0)
		for _, c := range row {
			if c != last {
				count(last, run)
				last, run = c, 0
			}
			run++
		}
		count(last, run)
	}
	var used []int
	for k, n := range counts {
		if n > 0 {
			used = append(used, k)
		}
	}
	total := p.Width * p.Height
	if float64(level) < levelShare*float64(total) || topShare(counts[:], used, total) < flatShare {
		return Census{Form: Photo}
	}
	if grey && p.moved(func(c uint32) uint32 { v := (c>>8&255 + 8) / 17 * 17; return v | v<<8 | v<<16 }) <= movedShare {
		return greyCensus()
	}
	if len(used) > mostCells {
		return Census{Form: Photo}
	}
	c := paletteOf(p, counts[:], used)
	if p.moved(func(v uint32) uint32 { return c.palette[c.index[cell(v)]] }) > movedShare {
		return Census{Form: Photo}
	}
	return c
}

// row gives one row as colours. The bytes are read in place, as the machines we
// run on do: the first one is the lowest.
func (p Pixels) row(y int) []uint32 {
	bytes := p.Pix[y*p.Stride : y*p.Stride+p.Width*4]
	return unsafe.Slice((*uint32)(unsafe.Pointer(&bytes[0])), p.Width)
}

// moved is the share of pixels that a mapping of colours changes visibly. It
// looks at every fourth row.
func (p Pixels) moved(to func(uint32) uint32) float64 {
	n, seen := 0, 0
	for y := 0; y < p.Height; y += 4 {
		row := p.row(y)
		last, was := ^row[0], 0
		for _, c := range row {
			if c != last {
				last, was = c, 0
				r, g, b := parts(c)
				tr, tg, tb := parts(to(c))
				if absDiff(r, tr) > visible || absDiff(g, tg) > visible || absDiff(b, tb) > visible {
					was = 1
				}
			}
			n += was
			seen++
		}
	}
	return float64(n) / float64(max(seen, 1))
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

// paletteOf gives each of the most frequent cells the mean of its own pixels,
// so that flat areas keep their exact colour, and every rare cell the nearest
// of these.
func paletteOf(p Pixels, counts []uint32, used []int) Census {
	slices.SortFunc(used, func(a, b int) int { return int(counts[b]) - int(counts[a]) })
	kept := used[:min(len(used), 256)]
	index := make([]uint8, 1<<15)
	own := make([]bool, 1<<15)
	for i, k := range kept {
		index[k], own[k] = uint8(i), true
	}
	sums := make([][3]uint64, len(kept))
	for y := range p.Height {
		row := p.row(y)
		for x := 0; x < len(row); {
			c, n := row[x], uint64(0)
			for x < len(row) && row[x] == c {
				n++
				x++
			}
			if k := cell(c); own[k] {
				r, g, b := parts(c)
				s := &sums[index[k]]
				s[0] += n * uint64(r)
				s[1] += n * uint64(g)
				s[2] += n * uint64(b)
			}
		}
	}
	palette := make([]uint32, len(kept))
	for i, k := range kept {
		n := uint64(counts[k])
		palette[i] = uint32(sums[i][0]/n) | uint32(sums[i][1]/n)<<8 | uint32(sums[i][2]/n)<<16
	}
	for _, k := range used[len(kept):] {
		index[k] = nearest(k, kept)
	}
	return Census{Form: Palette, palette: palette, index: index}
}

// nearest finds the kept cell that is nearest to a cell.
func nearest(k int, kept []int) uint8 {
	best, at := 1<<30, 0
	for i, o := range kept {
		dr, dg, db := k>>10-o>>10, k>>5&31-o>>5&31, k&31-o&31
		if d := dr*dr + dg*dg + db*db; d < best {
			best, at = d, i
		}
	}
	return uint8(at)
}

// greyCensus maps every cell to one of 16 greys by its green, which carries
// most of the lightness.
func greyCensus() Census {
	c := Census{Form: Greys}
	for i := range uint32(16) {
		c.palette = append(c.palette, i*17|i*17<<8|i*17<<16)
	}
	return c
}

// Encode measures a page and encodes it. The media type is image/png or
// image/jpeg.
func Encode(p Pixels) (mediaType string, encoded []byte, err error) {
	var out bytes.Buffer
	c := Measure(p)
	if c.Form == Photo {
		img := &image.RGBA{Pix: p.Pix, Stride: p.Stride, Rect: image.Rect(0, 0, p.Width, p.Height)}
		if err := jpeg.Encode(&out, img, &jpeg.Options{Quality: JPEGQuality}); err != nil {
			return "", nil, fmt.Errorf("encode page as JPEG: %w", err)
		}
		return "image/jpeg", out.Bytes(), nil
	}
	if err := encodePNG(&out, p, c); err != nil {
		return "", nil, fmt.Errorf("encode page as PNG: %w", err)
	}
	return "image/png", out.Bytes(), nil
}

// place gives the place of a colour in the palette.
func (c Census) place(v uint32) byte {
	if c.Form == Greys {
		return byte((v>>8&255 + 8) / 17)
	}
	return c.index[cell(v)]
}
