package fine

import (
	"image"
	"math"
)

const (
	inkSigma  = 0.7 // points: what a place's ink is gathered over
	tintSigma = 2.0
	border    = 2.0 // points at the edge of a page that are left out
	// A place differs where it does by so many times the noise of its like, and by so many
	// levels of 255: of made pairs true ones had 47 and 43, the others 10.3 or 18.
	mostNoise   = 10
	leastLevels = 25
	// A place that was changed is so large at least, in square points (a dot of 1.5 points is
	// three times as much), and, where the two are rough, differs by so many levels. What is
	// less may be a speck of a sharper scan, and may be a change: nobody can say.
	leastArea   = 2.0
	roughLevels = 40
	// A tint differs by so many times its noise, over so many square points.
	mostTintNoise = 7
	leastTint     = 5
	tintArea      = 12
	// tintShare is how much of the stronger one of two tints differs at least: scans differ in
	// how strong a colour is, most where there is most of it.
	tintShare = 0.45
	// groundLevels is how much one channel of the paper's colour differs from another one's
	// where the ground is another: a neutral grey may be a darker scan.
	groundLevels = 4
	// rough is the noise of what has most texture from which "the same" is not to be said.
	rough = 8
	// leastNoise is the noise that any pair has, levels.
	leastNoise = 0.6
	bins       = 14
	fewInBin   = 200
)

// difference is what differs between two pages that lie over each other.
type difference struct {
	w, h    int // of the first one
	changed []bool
	back    warp // from the first image's pixels to the second one's
	ground  bool
	rough   bool
	specks  bool // places too small to tell what they are
	dpi     float64
	other   plane
}

func differing(a, b page, w warp, dpi float64) difference {
	wide, high := a.grey.w, a.grey.h
	d := difference{w: wide, h: high, back: w, dpi: dpi, other: b.grey, changed: make([]bool, wide*high)}
	second, there := b.grey, []bool(nil)
	if w != identity || b.grey.w != wide || b.grey.h != high {
		second, there = b.grey.warped(w, wide, high)
	}
	edge := int(math.Round(border * dpi / 72))
	within := inner(there, wide, high, edge)

	sigma := inkSigma * dpi / 72
	one, two := a.grey.blurred(sigma), second.blurred(sigma)
	tone := toneOf(one, two, within)
	for i, v := range one.p {
		one.p[i] = tone.of(v)
	}
	// The middle of a stroke is as textured as its edges: one scan is sharper than another.
	sone, stwo := one.steepness().widened(), two.steepness().widened()
	by := make([]uint8, len(one.p))
	for i := range by {
		by[i] = uint8(binOf(min(sone.p[i], stwo.p[i]))) //nolint:gosec // a bin's number
	}
	samples := make([]spread, bins)
	for i, is := range within {
		if is {
			samples[by[i]].add(absolute(two.p[i] - one.p[i]))
		}
	}
	noise, most := noiseOf(samples)
	d.rough = most > rough
	for i, is := range within {
		if !is {
			continue
		}
		if diff := absolute(two.p[i] - one.p[i]); diff >= leastLevels && diff >= mostNoise*noise[by[i]] {
			d.changed[i] = true
		}
	}
	for _, g := range groups(d.changed, wide, high, 1, 1) {
		most := float32(0)
		for _, i := range g.at {
			most = max(most, absolute(two.p[i]-one.p[i]))
		}
		if float64(len(g.at)) >= leastArea*dpi/72*dpi/72 && (!d.rough || most >= roughLevels) {
			continue
		}
		d.specks = true
		for _, i := range g.at {
			d.changed[i] = false
		}
	}
	for _, channel := range []int{0, 2} {
		d.tinted(a.less(channel), b.less(channel), w, within)
	}
	d.ground = grounds(a, b)
	return d
}

// inner leaves the edge of the first page out, and what lies near one of the second.
func inner(there []bool, w, h, edge int) []bool {
	out := make([]bool, w*h)
	for y := edge; y < h-edge; y++ {
		for x := edge; x < w-edge; x++ {
			i := y*w + x
			// A page is convex, as it lies turned: its corners tell of all between them.
			out[i] = there == nil || there[i-edge*w-edge] && there[i-edge*w+edge] && there[i+edge*w-edge] && there[i+edge*w+edge]
		}
	}
	return out
}

func absolute(v float32) float32 {
	if v < 0 {
		return -v
	}
	return v
}

// binEdges part slopes, levels a pixel.
var binEdges = [bins - 1]float32{0.5, 1, 1.5, 2.5, 4, 6, 9, 13, 18, 25, 34, 45, 60}

func binOf(slope float32) int {
	for i, e := range binEdges {
		if slope < e {
			return i
		}
	}
	return bins - 1
}

// noiseOf gives the noise of each bin. A bin of few pixels has that of the one before. most is
// that of the most textured bin that is not small.
func noiseOf(samples []spread) (noise [bins]float32, most float32) {
	last := float32(leastNoise)
	for i := range samples {
		if samples[i].n >= fewInBin {
			last = samples[i].noise()
			most = last
		}
		noise[i] = last
	}
	return noise, most
}

// tone says which grey of the second page one of the first has become.
type tone [256]float32

func (t *tone) of(v float32) float32 {
	v = min(max(v, 0), 255)
	i := min(int(v), 254)
	return t[i] + (v-float32(i))*(t[i+1]-t[i])
}

// toneOf gives the median of the second page for each grey of the first, never falling
// (pools of neighbours that would; Ayer and others, An empirical distribution function for
// sampling with incomplete information, 1955).
func toneOf(one, two plane, within []bool) *tone {
	var counts [256][256]int32
	var all [256]int
	for i, is := range within {
		if is {
			p, q := min(max(int(one.p[i]+0.5), 0), 255), min(max(int(two.p[i]+0.5), 0), 255)
			counts[p][q]++
			all[p]++
		}
	}
	type pool struct {
		value, weight float64
		from, to      int
	}
	var pools []pool
	for p := range counts {
		if all[p] < fewInBin {
			continue
		}
		var sum int
		median := 0.0
		for q, n := range counts[p] {
			if sum+int(n) > all[p]/2 {
				// Within the level: medians of whole levels jump.
				median = float64(q) - 0.5 + (float64(all[p])/2-float64(sum))/float64(n)
				break
			}
			sum += int(n)
		}
		pools = append(pools, pool{median, float64(all[p]), p, p})
		for k := len(pools) - 1; k > 0 && pools[k-1].value > pools[k].value; k-- {
			l, r := pools[k-1], pools[k]
			pools[k-1] = pool{(l.value*l.weight + r.value*r.weight) / (l.weight + r.weight), l.weight + r.weight, l.from, r.to}
			pools = pools[:k]
		}
	}
	var t tone
	if len(pools) == 0 {
		for i := range t {
			t[i] = float32(i)
		}
		return &t
	}
	// Between pools by a line, beyond them by the same step as the grey.
	type knot struct{ at, value float64 }
	var knots []knot
	for _, p := range pools {
		knots = append(knots, knot{float64(p.from), p.value})
		if p.to > p.from {
			knots = append(knots, knot{float64(p.to), p.value})
		}
	}
	k := 0
	for i := range t {
		v := float64(i)
		for k+1 < len(knots) && knots[k+1].at <= v {
			k++
		}
		switch {
		case v <= knots[0].at:
			t[i] = float32(knots[0].value + v - knots[0].at)
		case k+1 == len(knots):
			t[i] = float32(knots[k].value + v - knots[k].at)
		default:
			f := (v - knots[k].at) / (knots[k+1].at - knots[k].at)
			t[i] = float32(knots[k].value + f*(knots[k+1].value-knots[k].value))
		}
	}
	return &t
}

// tinted marks where a page has another tint, whatever the light: how much one channel is
// above green, gathered over some points.
func (d *difference) tinted(one, two plane, w warp, within []bool) {
	sigma := tintSigma * d.dpi / 72
	// Colours change slowly here: half the pixels tell as much.
	one, two = one.halved(), two.halved()
	if w != identity || two.w != one.w || two.h != one.h {
		two, _ = two.warped(w.at(0.5), one.w, one.h)
	}
	one, two = one.blurred(sigma/2), two.blurred(sigma/2)
	strong := newPlane(one.w, one.h)
	for i, v := range one.p {
		strong.p[i] = max(absolute(v), absolute(two.p[i]))
		two.p[i] -= v
	}
	var up, off spread
	each := func(see func(v float32)) {
		for y := range one.h {
			for x := range one.w {
				if within[2*y*d.w+2*x] {
					see(two.p[y*one.w+x])
				}
			}
		}
	}
	each(func(v float32) { up.add(v + 128) })
	if up.n == 0 {
		return
	}
	middle := up.at(0.5) - 128
	each(func(v float32) { off.add(absolute(v - middle)) })
	// By the median alone: a page whose text has another colour differs in more than a tenth.
	noise := max(off.at(0.5)/0.6745, leastNoise)
	least := max(float32(leastTint), mostTintNoise*noise)
	differs := make([]bool, len(one.p))
	for y := range one.h {
		for x := range one.w {
			i := y*one.w + x
			differs[i] = within[2*y*d.w+2*x] && absolute(two.p[i]-middle) >= max(least, tintShare*strong.p[i])
		}
	}
	area := tintArea * d.dpi / 72 * d.dpi / 72 / 4
	for _, g := range groups(differs, one.w, one.h, 1, 1) {
		if float64(len(g.at)) < area {
			continue
		}
		for _, i := range g.at {
			x, y := 2*(i%one.w), 2*(i/one.w)
			d.changed[y*d.w+x] = true
		}
	}
}

// grounds says whether the paper of two pages has another colour: its channels differ by more
// than all of them do. Where most of a page is no paper, nothing is said of it.
func grounds(a, b page) bool {
	was, is := paper(a)
	now, too := paper(b)
	if !is || !too {
		return false
	}
	least, most := math.Inf(1), math.Inf(-1)
	for c := range was {
		d := now[c] - was[c]
		least, most = min(least, d), max(most, d)
	}
	return most-least >= groundLevels
}

const (
	aboutMode  = 10  // levels about the most frequent one that are paper
	paperShare = 0.4 // of a page
)

// paper gives the colour that most of a page has, by channel: the mean about the most
// frequent level, which in a scan is one of several as frequent. is says that there is one.
func paper(p page) (colour [3]float64, is bool) {
	var counts [3][256]int
	for y := range p.grey.h {
		row := p.rgb.Pix[y*p.rgb.Stride:]
		for x := range p.grey.w {
			for c := range counts {
				counts[c][row[4*x+c]]++
			}
		}
	}
	for c := range counts {
		mode := 0
		for v, n := range counts[c] {
			if n > counts[c][mode] {
				mode = v
			}
		}
		n, sum := 0, 0
		for v := max(mode-aboutMode, 0); v <= min(mode+aboutMode, 255); v++ {
			n, sum = n+counts[c][v], sum+v*counts[c][v]
		}
		if float64(n) < paperShare*float64(p.grey.w*p.grey.h) {
			return colour, false
		}
		colour[c] = float64(sum) / float64(n)
	}
	return colour, true
}

const (
	// What lies so near is one place: words of a line belong together.
	nearAcross, nearDown = 8.0, 3.0 // points
	mostAreas            = 40
	around               = 1.5 // points that are shown around a place
)

// areas gives the places that differ, in pixels of the second image.
func (d difference) areas() []image.Rectangle {
	whole := image.Rect(0, 0, d.other.w, d.other.h)
	if d.ground {
		return []image.Rectangle{whole}
	}
	return boxed(d.changed, d.w, d.h, d.dpi, func(r image.Rectangle) image.Rectangle {
		x0, y0 := d.back.of(float64(r.Min.X), float64(r.Min.Y))
		x1, y1 := d.back.of(float64(r.Max.X), float64(r.Max.Y))
		return image.Rect(int(math.Floor(x0)), int(math.Floor(y0)), int(math.Ceil(x1)), int(math.Ceil(y1))).Intersect(whole)
	})
}

// boxed gives boxes around what differs. Too many are one that holds all of them.
func boxed(differs []bool, w, h int, dpi float64, as func(image.Rectangle) image.Rectangle) []image.Rectangle {
	across, down := int(math.Round(nearAcross*dpi/72)), int(math.Round(nearDown*dpi/72))
	room := int(math.Ceil(around * dpi / 72))
	var out []image.Rectangle
	var all image.Rectangle
	for _, g := range groups(differs, w, h, across, down) {
		r := as(g.box.Inset(-room).Intersect(image.Rect(0, 0, w, h)))
		out, all = append(out, r), all.Union(r)
	}
	if len(out) > mostAreas {
		return []image.Rectangle{all}
	}
	return out
}

// group is what hangs together.
type group struct {
	at  []int
	box image.Rectangle
}

// groups gathers what differs and lies so near each other: runs of each row first, so that
// a page that differs everywhere costs no more than its pixels. It empties what it is given.
func groups(differs []bool, w, h, across, down int) []group {
	type run struct{ y, from, to, set int }
	var runs []run
	var rows []int // where each row's runs begin
	for y := range h {
		rows = append(rows, len(runs))
		for x := 0; x < w; x++ {
			if !differs[y*w+x] {
				continue
			}
			if n := len(runs); n > rows[y] && x-runs[n-1].to <= across {
				runs[n-1].to = x
			} else {
				runs = append(runs, run{y, x, x, len(runs)})
			}
		}
	}
	rows = append(rows, len(runs))
	root := func(i int) int {
		for runs[i].set != i {
			runs[i].set = runs[runs[i].set].set
			i = runs[i].set
		}
		return i
	}
	for y := range h {
		for above := max(y-down, 0); above < y; above++ {
			k := rows[above]
			for i := rows[y]; i < rows[y+1]; i++ {
				for k < rows[above+1] && runs[k].to+across < runs[i].from {
					k++
				}
				for j := k; j < rows[above+1] && runs[j].from-across <= runs[i].to; j++ {
					if p, q := root(i), root(j); p != q {
						runs[max(p, q)].set = min(p, q)
					}
				}
			}
		}
	}
	number := map[int]int{}
	var out []group
	for i, r := range runs {
		s := root(i)
		n, known := number[s]
		if !known {
			n = len(out)
			number[s] = n
			out = append(out, group{})
		}
		g := &out[n]
		g.box = g.box.Union(image.Rect(r.from, r.y, r.to+1, r.y+1))
		for x := r.from; x <= r.to; x++ {
			if differs[r.y*w+x] {
				g.at = append(g.at, r.y*w+x)
			}
		}
	}
	return out
}
