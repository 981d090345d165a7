package fine

import (
	"math"
	"slices"
)

const (
	// furthest is how far a page may be shifted, and mostTurned how far turned, that is found.
	furthest   = 24.0 // points
	mostTurned = 4.0  // degrees: two scans, each turned by two
	turnStep   = 0.5
	// resemblance is the correlation that pages laid over each other have at least: below it
	// (blank pages run off) they are left as they lie.
	resemblance = 0.3
	// mostStretched bounds what is taken for the same page: scale and turn (of five degrees), per
	// unit.
	mostStretched = 0.09
	// starts are followed from the coarse search, so many pixels from each other at a corner.
	starts = 6
	apart  = 2.0
)

// registered finds where the pixels of the first image are in the second one.
func registered(a, b plane, dpi float64) warp {
	as, bs := pyramid(a), pyramid(b)
	low := len(as) - 1
	base := math.Ldexp(1, low)
	// Kept only what is there at both: pages of other sizes have the same levels.
	candidates := append(coarse(as[low], bs[low], furthest*dpi/72/base), identity)
	best, most := identity, float32(-1)
	for _, w := range candidates {
		w = settle(as[low], bs[low], w, 12)
		if low > 0 {
			w = settle(as[low-1], bs[low-1], w.at(2), 8)
		}
		if c := agreement(as[max(low-1, 0)], bs[max(low-1, 0)], w); c > most {
			best, most = w, c
		}
	}
	for level := low - 2; level >= 0; level-- {
		best = settle(as[level], bs[level], best.at(2), 8)
	}
	if is := agreement(a, b, best); !(is > resemblance) || is < agreement(a, b, identity) || !best.plausible(furthest*dpi/72, a) {
		return identity
	}
	return best
}

// pyramid gives a plane at full size, a half, a quarter and an eighth.
func pyramid(m plane) []plane {
	out := []plane{m}
	for len(out) < 4 && min(m.w, m.h) >= 48 {
		m = m.halved()
		out = append(out, m)
	}
	return out
}

// plausible says whether a warp may be one of a page laid down anew.
func (w warp) plausible(far float64, m plane) bool {
	for _, d := range []float64{w[0] - 1, w[1], w[3], w[4] - 1} {
		if math.Abs(d) > mostStretched {
			return false
		}
	}
	x, y := float64(m.w)/2, float64(m.h)/2
	sx, sy := w.of(x, y)
	return math.Hypot(sx-x, sy-y) < 1.5*far
}

// moves is how far a warp moves a corner of a plane at most, pixels.
func (w warp) moves(m plane) float64 {
	far := 0.0
	for _, c := range [][2]float64{{0, 0}, {float64(m.w), 0}, {0, float64(m.h)}, {float64(m.w), float64(m.h)}} {
		x, y := w.of(c[0], c[1])
		far = max(far, math.Hypot(x-c[0], y-c[1]))
	}
	return far
}

// coarse looks through turns and shifts, in so many pixels each way, of two small planes of
// which what changes slowly is taken away (shadows of a scan agree everywhere), and gives
// the few that agree best.
func coarse(a, b plane, far float64) []warp {
	flat := func(m plane) plane {
		low := m.blurred(3)
		for i := range low.p {
			low.p[i] = m.p[i] - low.p[i]
		}
		return low
	}
	a, b = flat(a), flat(b)
	reach := int(math.Ceil(far))
	type found struct {
		w warp
		c float32
	}
	var all []found
	cx, cy := float64(a.w-1)/2, float64(a.h-1)/2
	for turn := -mostTurned; turn <= mostTurned; turn += turnStep {
		sin, cos := math.Sincos(turn * math.Pi / 180)
		w := warp{cos, -sin, cx - cos*cx + sin*cy, sin, cos, cy - sin*cx - cos*cy}
		turned := newPlane(a.w, a.h)
		for y := range a.h {
			for x := range a.w {
				sx, sy := w.of(float64(x), float64(y))
				turned.p[y*a.w+x], _ = b.linear(sx, sy)
			}
		}
		for dy := -reach; dy <= reach; dy++ {
			for dx := -reach; dx <= reach; dx++ {
				shifted := warp{1, 0, float64(dx), 0, 1, float64(dy)}
				all = append(all, found{w.after(shifted), shiftedAgreement(a, turned, dx, dy)})
			}
		}
	}
	slices.SortStableFunc(all, func(p, q found) int {
		switch {
		case p.c > q.c:
			return -1
		case p.c < q.c:
			return 1
		}
		return 0
	})
	var out []warp
	for _, f := range all {
		near := slices.ContainsFunc(out, func(o warp) bool {
			x, y := o.of(0, 0)
			fx, fy := f.w.of(0, 0)
			mx, my := o.of(2*cx, 2*cy)
			gx, gy := f.w.of(2*cx, 2*cy)
			return math.Hypot(x-fx, y-fy) < apart && math.Hypot(mx-gx, my-gy) < apart
		})
		if !near {
			out = append(out, f.w)
		}
		if len(out) == starts {
			break
		}
	}
	return out
}

// shiftedAgreement correlates two planes, the second one shifted.
func shiftedAgreement(a, b plane, dx, dy int) float32 {
	var ab, aa, bb float32
	x0, x1 := max(0, -dx), min(a.w, b.w-dx)
	for y := max(0, -dy); y < min(a.h, b.h-dy); y++ {
		if x1 <= x0 {
			break
		}
		p, q := a.p[y*a.w+x0:y*a.w+x1], b.p[(y+dy)*b.w+x0+dx:(y+dy)*b.w+x1+dx]
		for i, v := range p {
			u := q[i]
			ab, aa, bb = ab+v*u, aa+v*v, bb+u*u
		}
	}
	if aa <= 0 || bb <= 0 {
		return 0
	}
	return ab / float32(math.Sqrt(float64(aa)*float64(bb)))
}

// agreement correlates the first plane with the second one as it is laid over it.
func agreement(a, b plane, w warp) float32 {
	var n, sa, sb, ab, aa, bb float64
	step := max(a.w*a.h/200_000, 1) // enough pixels to tell
	for i := 0; i < len(a.p); i += step {
		sx, sy := w.of(float64(i%a.w), float64(i/a.w))
		v, there := b.linear(sx, sy)
		if !there {
			continue
		}
		x, y := float64(a.p[i]), float64(v)
		n, sa, sb, ab, aa, bb = n+1, sa+x, sb+y, ab+x*y, aa+x*x, bb+y*y
	}
	va, vb := aa-sa*sa/n, bb-sb*sb/n
	if n < float64(len(a.p)/step)/2 || va <= 0 || vb <= 0 {
		return -1
	}
	return float32((ab - sa*sb/n) / math.Sqrt(va*vb))
}

// settle moves a warp by Gauss and Newton, so often at most, until the two planes differ
// least where they have edges; what differs much weighs little (Tukey).
func settle(a, b plane, w warp, most int) warp {
	across, down := a.slopes()
	const edge = 3
	var at []int
	for i := range a.p {
		if s := across.p[i]*across.p[i] + down.p[i]*down.p[i]; s > edge*edge {
			at = append(at, i)
		}
	}
	if len(at) < 60 {
		return w
	}
	// Many edges tell no more than some of them.
	if step := len(at) / 60_000; step > 1 {
		some := at[:0]
		for i := 0; i < len(at); i += step {
			some = append(some, at[i])
		}
		at = some
	}
	cx, cy := float64(a.w)/2, float64(a.h)/2
	unit := max(cx, cy)
	rest, seen := make([]float64, len(at)), make([]float64, len(at))
	for range most {
		gain, offset := fitted(a, b, w, at, seen)
		var sizes spread
		for k, i := range at {
			if math.IsNaN(seen[k]) {
				continue
			}
			rest[k] = float64(a.p[i]) - gain*seen[k] - offset
			sizes.add(float32(math.Abs(rest[k])))
		}
		if sizes.n < 60 {
			return w
		}
		cut := max(4.685*float64(sizes.at(0.5))/0.6745, 2)
		var m [6][7]float64
		for k, i := range at {
			if math.IsNaN(seen[k]) || math.Abs(rest[k]) >= cut {
				continue
			}
			t := rest[k] / cut
			weight := (1 - t*t) * (1 - t*t)
			x, y := (float64(i%a.w)-cx)/unit, (float64(i/a.w)-cy)/unit
			gx, gy := float64(across.p[i]), float64(down.p[i])
			j := [6]float64{gx * x, gx * y, gx, gy * x, gy * y, gy}
			for r := range 6 {
				f := weight * j[r]
				for c := r; c < 6; c++ {
					m[r][c] += f * j[c]
				}
				m[r][6] += f * rest[k]
			}
		}
		for r := range 6 {
			for c := range r {
				m[r][c] = m[c][r]
			}
			m[r][r] *= 1.0001 // what no edge tells of stays
			m[r][r] += 1e-9
		}
		d, ok := solved(m)
		if !ok {
			return w
		}
		// From units about the middle to pixels.
		step := warp{1 + d[0]/unit, d[1] / unit, d[2] - (d[0]*cx+d[1]*cy)/unit, d[3] / unit, 1 + d[4]/unit, d[5] - (d[3]*cx+d[4]*cy)/unit}
		next := w.after(step)
		if !next.plausible(math.Inf(1), a) {
			return w
		}
		w = next
		if step.moves(a) < 0.02 {
			break
		}
	}
	return w
}

// fitted gives how much lighter and stronger the first plane is at some pixels, and what is
// seen there in the second one: NaN outside of it.
func fitted(a, b plane, w warp, at []int, seen []float64) (gain, offset float64) {
	var n, sa, sb, ab, bb float64
	for k, i := range at {
		sx, sy := w.of(float64(i%a.w), float64(i/a.w))
		v, there := b.linear(sx, sy)
		if !there {
			seen[k] = math.NaN()
			continue
		}
		seen[k] = float64(v)
		x, y := float64(a.p[i]), float64(v)
		n, sa, sb, ab, bb = n+1, sa+x, sb+y, ab+x*y, bb+y*y
	}
	gain = 1
	if v := bb - sb*sb/n; n > 0 && v > 0 {
		gain = min(max((ab-sa*sb/n)/v, 0.5), 2)
	}
	if n > 0 {
		offset = (sa - gain*sb) / n
	}
	return gain, offset
}

// solved solves six equations (Gauss, with pivots).
func solved(m [6][7]float64) (x [6]float64, ok bool) {
	for c := range 6 {
		p := c
		for r := c + 1; r < 6; r++ {
			if math.Abs(m[r][c]) > math.Abs(m[p][c]) {
				p = r
			}
		}
		if math.Abs(m[p][c]) < 1e-12 {
			return x, false
		}
		m[c], m[p] = m[p], m[c]
		for r := c + 1; r < 6; r++ {
			f := m[r][c] / m[c][c]
			for k := c; k < 7; k++ {
				m[r][k] -= f * m[c][k]
			}
		}
	}
	for r := 5; r >= 0; r-- {
		x[r] = m[r][6]
		for c := r + 1; c < 6; c++ {
			x[r] -= m[r][c] * x[c]
		}
		x[r] /= m[r][r]
	}
	return x, true
}
