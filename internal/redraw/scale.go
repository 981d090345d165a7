package redraw

import (
	"image"
	"image/draw"
	"math"
)

// band is how many rows of a picture are looked at in one go.
const band = 16

// scale draws a picture width × height pixels large.
func scale(img image.Image, width, height int) *image.NRGBA {
	b := img.Bounds()
	across, down := weigh(b.Dx(), width), weigh(b.Dy(), height)
	out := image.NewNRGBA(image.Rect(0, 0, width, height))
	sums := map[int][]float32{} // rows that are being summed up, by number
	var spare [][]float32
	row := make([]float32, 4*width)
	rows := image.NewRGBA(image.Rect(0, 0, b.Dx(), band))
	first := 0
	for top := 0; top < b.Dy(); top += band {
		draw.Draw(rows, rows.Bounds(), img, image.Pt(b.Min.X, b.Min.Y+top), draw.Src)
		for y := top; y < min(top+band, b.Dy()); y++ {
			across.row(row, rows.Pix[(y-top)*rows.Stride:])
			for d := first; d < height && down.from[d] <= y; d++ {
				i := y - down.from[d]
				if i >= len(down.of[d]) {
					continue
				}
				sum := sums[d]
				if sum == nil {
					if n := len(spare); n > 0 {
						sum, spare = spare[n-1], spare[:n-1]
						clear(sum)
					} else {
						sum = make([]float32, 4*width)
					}
					sums[d] = sum
				}
				w := down.of[d][i]
				for k, v := range row {
					sum[k] += w * v
				}
				if i == len(down.of[d])-1 {
					finish(out.Pix[d*out.Stride:], sum)
					spare = append(spare, sum)
					delete(sums, d)
				}
			}
			for first < height && down.from[first]+len(down.of[first]) <= y+1 {
				first++
			}
		}
	}
	return out
}

// weights say, for each place of a line of pixels that is drawn, from which pixel
// on the line it is drawn from counts, and how much.
type weights struct {
	from []int
	of   [][]float32
}

func weigh(from, to int) weights {
	w := weights{make([]int, to), make([][]float32, to)}
	step := float64(from) / float64(to)
	stretch := math.Max(step, 1)
	for i := range to {
		centre := (float64(i)+0.5)*step - 0.5
		low, high := max(int(math.Ceil(centre-2*stretch)), 0), min(int(math.Floor(centre+2*stretch)), from-1)
		sum := 0.0
		of := make([]float64, high-low+1)
		for k := range of {
			of[k] = cubic(math.Abs(float64(low+k)-centre) / stretch)
			sum += of[k]
		}
		w.from[i], w.of[i] = low, make([]float32, len(of))
		for k := range of {
			w.of[i][k] = float32(of[k] / sum)
		}
	}
	return w
}

// cubic is the kernel at a distance.
func cubic(x float64) float64 {
	switch {
	case x < 1:
		return (1.5*x-2.5)*x*x + 1
	case x < 2:
		return ((-0.5*x+2.5)*x-4)*x + 2
	}
	return 0
}

// row draws one row of pixels, R, G, B, A with the colours times A.
func (w weights) row(out []float32, in []byte) {
	for i, of := range w.of {
		var r, g, b, a float32
		p := in[4*w.from[i]:]
		for k, weight := range of {
			r += weight * float32(p[4*k])
			g += weight * float32(p[4*k+1])
			b += weight * float32(p[4*k+2])
			a += weight * float32(p[4*k+3])
		}
		out[4*i], out[4*i+1], out[4*i+2], out[4*i+3] = r, g, b, a
	}
}

// finish writes a row with its colours apart from A.
func finish(out []byte, sum []float32) {
	for i := 0; i < len(sum); i += 4 {
		a := min(max(sum[i+3], 0), 255)
		out[i+3] = byte(a + 0.5)
		if out[i+3] == 0 {
			out[i], out[i+1], out[i+2] = 0, 0, 0
			continue
		}
		for k := range 3 {
			out[i+k] = byte(min(max(sum[i+k]*255/a, 0), 255) + 0.5)
		}
	}
}
