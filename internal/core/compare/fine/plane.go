package fine

import (
	"image"
	"image/draw"
	"math"
)

// plane is one value for each pixel, row by row.
type plane struct {
	w, h int
	p    []float32
}

func newPlane(w, h int) plane { return plane{w, h, make([]float32, w*h)} }

// at gives a pixel; outside, the nearest.
func (m plane) at(x, y int) float32 {
	return m.p[min(max(y, 0), m.h-1)*m.w+min(max(x, 0), m.w-1)]
}

// page is an image as it is compared: how light it is, and its colours.
type page struct {
	grey plane // 0 is black, 255 white
	rgb  *image.RGBA
}

func read(m image.Image) page {
	rgb, is := m.(*image.RGBA)
	if !is || rgb.Rect.Min != (image.Point{}) {
		rgb = image.NewRGBA(image.Rect(0, 0, m.Bounds().Dx(), m.Bounds().Dy()))
		draw.Draw(rgb, rgb.Bounds(), m, m.Bounds().Min, draw.Src)
	}
	g := newPlane(rgb.Rect.Dx(), rgb.Rect.Dy())
	for y := range g.h {
		row := rgb.Pix[y*rgb.Stride:]
		for x := range g.w {
			g.p[y*g.w+x] = 0.2126*float32(row[4*x]) + 0.7152*float32(row[4*x+1]) + 0.0722*float32(row[4*x+2])
		}
	}
	return page{g, rgb}
}

// less gives how much one channel is above green.
func (p page) less(channel int) plane {
	out := newPlane(p.grey.w, p.grey.h)
	for y := range out.h {
		row := p.rgb.Pix[y*p.rgb.Stride:]
		for x := range out.w {
			out.p[y*out.w+x] = float32(row[4*x+channel]) - float32(row[4*x+1])
		}
	}
	return out
}

// halved gives a plane at half its size: the means of four pixels.
func (m plane) halved() plane {
	out := newPlane(max(m.w/2, 1), max(m.h/2, 1))
	for y := range out.h {
		for x := range out.w {
			out.p[y*out.w+x] = (m.at(2*x, 2*y) + m.at(2*x+1, 2*y) + m.at(2*x, 2*y+1) + m.at(2*x+1, 2*y+1)) / 4
		}
	}
	return out
}

// blurred is low-passed by a Gauss curve of so many pixels (one deviation).
func (m plane) blurred(sigma float64) plane {
	r := max(int(math.Ceil(3*sigma)), 1)
	k := make([]float32, 2*r+1)
	var sum float32
	for i := range k {
		d := float64(i - r)
		k[i] = float32(math.Exp(-d * d / (2 * sigma * sigma)))
		sum += k[i]
	}
	for i := range k {
		k[i] /= sum
	}
	across, out := newPlane(m.w, m.h), newPlane(m.w, m.h)
	for y := range m.h {
		row, to := m.p[y*m.w:(y+1)*m.w], across.p[y*m.w:(y+1)*m.w]
		for x := range to {
			var v float32
			if x >= r && x+r < m.w {
				for i, f := range k {
					v += f * row[x-r+i]
				}
			} else {
				for i, f := range k {
					v += f * row[min(max(x-r+i, 0), m.w-1)]
				}
			}
			to[x] = v
		}
	}
	for y := range m.h {
		to := out.p[y*m.w : (y+1)*m.w]
		for i, f := range k {
			from := min(max(y-r+i, 0), m.h-1) * m.w
			for x, v := range across.p[from : from+m.w] {
				to[x] += f * v
			}
		}
	}
	return out
}

// slopes gives how much a plane changes across and down, by pixel.
func (m plane) slopes() (across, down plane) {
	across, down = newPlane(m.w, m.h), newPlane(m.w, m.h)
	for y := range m.h {
		up, below := max(y-1, 0)*m.w, min(y+1, m.h-1)*m.w
		for x := range m.w {
			across.p[y*m.w+x] = (m.p[y*m.w+min(x+1, m.w-1)] - m.p[y*m.w+max(x-1, 0)]) / 2
			down.p[y*m.w+x] = (m.p[below+x] - m.p[up+x]) / 2
		}
	}
	return across, down
}

// steepness gives the size of the slope.
func (m plane) steepness() plane {
	across, down := m.slopes()
	for i, x := range across.p {
		across.p[i] = float32(math.Sqrt(float64(x*x + down.p[i]*down.p[i])))
	}
	return across
}

// widened gives the most of what is about each pixel.
func (m plane) widened() plane {
	across, out := newPlane(m.w, m.h), newPlane(m.w, m.h)
	for y := range m.h {
		row := m.p[y*m.w : (y+1)*m.w]
		for x, v := range row {
			across.p[y*m.w+x] = max(v, row[max(x-1, 0)], row[min(x+1, m.w-1)])
		}
	}
	for y := range m.h {
		up, below := max(y-1, 0)*m.w, min(y+1, m.h-1)*m.w
		for x := range m.w {
			out.p[y*m.w+x] = max(across.p[y*m.w+x], across.p[up+x], across.p[below+x])
		}
	}
	return out
}

// warp says where in the second image a pixel of the first one is: x, y to
// m[0]x + m[1]y + m[2], m[3]x + m[4]y + m[5], from pixel centres.
type warp [6]float64

var identity = warp{1, 0, 0, 0, 1, 0}

func (w warp) of(x, y float64) (float64, float64) {
	return w[0]*x + w[1]*y + w[2], w[3]*x + w[4]*y + w[5]
}

// after gives the warp that does d first.
func (w warp) after(d warp) warp {
	return warp{
		w[0]*d[0] + w[1]*d[3], w[0]*d[1] + w[1]*d[4], w[0]*d[2] + w[1]*d[5] + w[2],
		w[3]*d[0] + w[4]*d[3], w[3]*d[1] + w[4]*d[4], w[3]*d[2] + w[4]*d[5] + w[5],
	}
}

// at gives the warp for images so many times as large, pixels being squares.
func (w warp) at(scale float64) warp {
	half := (scale - 1) / 2 // the centre of a pixel moves
	x, y := w.of(-half/scale, -half/scale)
	return warp{w[0], w[1], x*scale + half, w[3], w[4], y*scale + half}
}

// linear gives a value between pixels; there says that it lies within the plane.
func (m plane) linear(x, y float64) (v float32, there bool) {
	ix, iy := int(math.Floor(x)), int(math.Floor(y))
	if ix < 0 || iy < 0 || ix+1 >= m.w || iy+1 >= m.h {
		return 0, false
	}
	fx, fy := float32(x-float64(ix)), float32(y-float64(iy))
	i := iy*m.w + ix
	top := m.p[i] + fx*(m.p[i+1]-m.p[i])
	low := m.p[i+m.w] + fx*(m.p[i+m.w+1]-m.p[i+m.w])
	return top + fy*(low-top), true
}

// warped draws a plane as the first image lies, by cubic curves through the pixels (Catmull
// and Rom). there has what lies within it.
func (m plane) warped(w warp, wide, high int) (out plane, there []bool) {
	out, there = newPlane(wide, high), make([]bool, wide*high)
	for y := range high {
		for x := range wide {
			sx, sy := w.of(float64(x), float64(y))
			ix, iy := int(math.Floor(sx)), int(math.Floor(sy))
			if sx < -0.5 || sy < -0.5 || sx > float64(m.w)-0.5 || sy > float64(m.h)-0.5 {
				out.p[y*wide+x] = m.at(ix, iy)
				continue
			}
			there[y*wide+x] = true
			fx, fy := float32(sx-float64(ix)), float32(sy-float64(iy))
			var v float32
			kx, ky := cubic(fx), cubic(fy)
			if ix >= 1 && iy >= 1 && ix+2 < m.w && iy+2 < m.h {
				for j, f := range ky {
					row := m.p[(iy-1+j)*m.w+ix-1:]
					v += f * (kx[0]*row[0] + kx[1]*row[1] + kx[2]*row[2] + kx[3]*row[3])
				}
			} else {
				for j, f := range ky {
					for i, g := range kx {
						v += f * g * m.at(ix-1+i, iy-1+j)
					}
				}
			}
			out.p[y*wide+x] = v
		}
	}
	return out, there
}

func cubic(t float32) [4]float32 {
	return [4]float32{
		((-t+2)*t - 1) * t / 2,
		((3*t-5)*t*t + 2) / 2,
		((-3*t+4)*t + 1) * t / 2,
		(t - 1) * t * t / 2,
	}
}

// spread gives the median and the 90th percentile of sizes up to 256 levels, to a 32nd of
// one: counted, since sorting them would take longest of all.
type spread struct {
	counts [256 * 32]int
	n      int
}

func (s *spread) add(v float32) {
	s.counts[min(max(int(v*32), 0), len(s.counts)-1)]++
	s.n++
}

// at gives the value that so much of all is below.
func (s *spread) at(part float64) float32 {
	left := int(part * float64(s.n))
	for i, n := range s.counts {
		if left < n {
			return (float32(i) + 0.5) / 32
		}
		left -= n
	}
	return 0
}

// noise is the deviation of a Gauss curve that has this median, or this 90th percentile,
// whichever is more.
func (s *spread) noise() float32 { return max(s.at(0.5)/0.6745, s.at(0.9)/1.645, leastNoise) }
