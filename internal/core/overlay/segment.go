package overlay

import (
	"cmp"
	"math"
	"slices"
	"unicode"
)

// A page is read by place alone: where an engine breaks lines and sets spaces is
// its own guess, and files draw letters in any order.
//
// Letters that were drawn one behind the other are pieces; pieces that stand
// beside each other on one baseline are a segment; where white parts words is
// judged in each segment by its own gaps. Lengths are in em of a letter's size
// where they are without a unit.

// piece is a row of letters as they were drawn. from and to are its ends along
// its baseline and base that baseline's place across it, in points.
type piece struct {
	letters        []letter
	angle          int // degrees, whole
	from, to, base float64
	size           float64
	upright        bool
}

// letter is a glyph with the marks that stand over it.
type letter struct {
	Glyph
	marks          []Glyph
	from, to, base float64
	space          bool
}

func (l letter) middle() float64 { return (l.from + l.to) / 2 }

// Bounds of what belongs together, in em.
const (
	pieceGap   = 0.9  // white within a piece
	pieceBack  = 0.75 // how far a letter may be set back
	segmentGap = 1.0  // white within a segment
	sameBase   = 0.2  // between baselines of letters of one size
	raised     = 0.6  // of small letters over a baseline
	lowered    = 0.4  // and below it
)

// mostNeighbours bounds how many pieces one is compared with: a page of letters
// strewn about costs no more than that.
const mostNeighbours = 600

// piecesOf groups glyphs, in the order in which they were drawn.
func piecesOf(glyphs []Glyph) []piece {
	var out []piece
	for _, g := range glyphs {
		space := unicode.IsSpace(g.Rune)
		if n := len(out); n > 0 {
			p := &out[n-1]
			if l, ok := p.next(g, space); ok {
				if over(g) && len(p.letters) > 0 {
					under := p.under(l)
					if !rightToLeft(under.Rune) { // a vowel sign has room of its own
						under.from, under.to = math.Min(under.from, l.from), math.Max(under.to, l.to)
						p.from, p.to = math.Min(p.from, l.from), math.Max(p.to, l.to)
					} else if !g.whole && under.from == l.from && under.to == l.to {
						under.to += g.Advance // one glyph, of which each was given a part
						p.to = math.Max(p.to, under.to)
					}
					under.marks = append(under.marks, g)
					continue
				}
				p.add(l)
				continue
			}
		}
		if space {
			continue
		}
		p := piece{angle: int(math.Round(g.Angle)), size: g.Size, upright: g.upright, from: math.Inf(1), to: math.Inf(-1)}
		l := p.place(g, false)
		p.base = l.base
		p.add(l)
		out = append(out, p)
	}
	return out
}

// over says that a glyph stands over or beside another one, whose part it is: a
// mark, a vowel sign, or the vowel or the end of a syllable that is written by parts
// (Unicode 16, 3.12).
func over(g Glyph) bool {
	return unicode.Is(unicode.M, g.Rune) || g.Rune >= 0x1160 && g.Rune <= 0x11FF || g.Rune >= 0xD7B0 && g.Rune <= 0xD7FF
}

func (p *piece) place(g Glyph, space bool) letter {
	a := float64(p.angle) * math.Pi / 180
	c, s := math.Cos(a), math.Sin(a)
	at := g.X*c + g.Y*s
	return letter{Glyph: g, from: at, to: at + g.Advance, base: g.Y*c - g.X*s, space: space}
}

func (p *piece) add(l letter) {
	p.letters = append(p.letters, l)
	if !l.space {
		p.from, p.to = math.Min(p.from, l.from), math.Max(p.to, l.to)
	}
}

// next says whether a glyph goes on where the piece has come to, on either side.
func (p *piece) next(g Glyph, space bool) (letter, bool) {
	if g.upright != p.upright || math.Abs(float64(p.angle)-g.Angle) > 1 {
		return letter{}, false
	}
	l := p.place(g, space)
	off := math.Abs(l.base - p.base)
	if space {
		return l, off < p.size
	}
	if over(g) {
		return l, off < 1.5*p.size && l.middle() > p.from-0.5*p.size && l.middle() < p.to+0.5*p.size
	}
	if math.Abs(g.Size-p.size) > 0.06*p.size || off > 0.08*p.size {
		return letter{}, false
	}
	last := p.last()
	ahead, behind := (l.from-last.to)/p.size, (last.from-l.to)/p.size
	back := -math.Max(pieceBack, math.Min(1.05, last.Advance/p.size))
	fits := func(gap float64) bool { return gap >= back && gap <= pieceGap }
	return l, fits(ahead) || fits(behind)
}

// mostBack is how many letters lie between a letter and the mark over it at most:
// engines give the marks of a word behind all of it.
const mostBack = 60

// under is the letter that a mark stands over: the last one drawn; where letters
// run from right to left, the last one that it lies within, or the nearest.
func (p *piece) under(mark letter) *letter {
	for i := len(p.letters) - 1; i >= 0; i-- {
		if !p.letters[i].space {
			if !rightToLeft(p.letters[i].Rune) {
				return &p.letters[i]
			}
			break
		}
	}
	best, away := len(p.letters)-1, math.Inf(1)
	for i := len(p.letters) - 1; i >= 0 && i >= len(p.letters)-mostBack; i-- {
		l := p.letters[i]
		if l.space {
			continue
		}
		off := math.Max(math.Max(l.from-mark.middle(), mark.middle()-l.to), 0)
		if mark.from == l.from && mark.to == l.to {
			off = -1
		}
		if off < away-1e-6 {
			best, away = i, off
		}
	}
	return &p.letters[best]
}

// last is the last letter that is no space.
func (p *piece) last() letter {
	for i := len(p.letters) - 1; i >= 0; i-- {
		if !p.letters[i].space {
			return p.letters[i]
		}
	}
	return p.letters[0]
}

// beside says whether two pieces are parts of one segment.
func beside(p, q *piece) bool {
	if p.angle != q.angle {
		return false
	}
	large, small := p, q
	if small.size > large.size {
		large, small = q, p
	}
	gap := math.Max(q.from-p.to, p.from-q.to)
	if gap > segmentGap*large.size || gap < -0.3*small.size {
		return false
	}
	step := small.base - large.base
	switch {
	case p.upright != q.upright: // letters that lie in a line of upright characters
		return math.Abs(step) < 0.5*large.size
	case small.size > 0.85*large.size:
		return math.Abs(step) <= sameBase*small.size
	case math.Abs(step) <= 0.08*large.size:
		return true
	}
	// A small letter that is raised or lowered stands close by.
	return step > -raised*large.size && step < lowered*large.size && gap < 0.5*small.size+0.1*large.size
}

// segmentsOf joins pieces that stand beside each other, in the order of their
// first letters.
func segmentsOf(pieces []piece) [][]piece {
	order := make([]int, len(pieces))
	parent := make([]int, len(pieces))
	largest := 0.0
	for i := range pieces {
		order[i], parent[i] = i, i
		largest = math.Max(largest, pieces[i].size)
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Or(cmp.Compare(pieces[a].angle, pieces[b].angle), cmp.Compare(pieces[a].base, pieces[b].base))
	})
	root := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	for i, a := range order {
		for k := i + 1; k < len(order) && k-i <= mostNeighbours; k++ {
			b := order[k]
			if pieces[b].angle != pieces[a].angle || pieces[b].base-pieces[a].base > raised*largest {
				break
			}
			if beside(&pieces[a], &pieces[b]) {
				x, y := root(a), root(b)
				parent[max(x, y)] = min(x, y)
			}
		}
	}
	at := map[int]int{}
	var out [][]piece
	for i := range pieces {
		r := root(i)
		n, ok := at[r]
		if !ok {
			n = len(out)
			at[r] = n
			out = append(out, nil)
		}
		out[n] = append(out[n], pieces[i])
	}
	// Texts that lie over each other are not mixed.
	var apart [][]piece
	for _, s := range out {
		if len(s) > 1 && mixed(s) {
			for _, p := range s {
				apart = append(apart, []piece{p})
			}
			continue
		}
		apart = append(apart, s)
	}
	return apart
}

// mixed says whether pieces lie over each other for more than a letter's width.
func mixed(pieces []piece) bool {
	sorted := slices.Clone(pieces)
	slices.SortFunc(sorted, func(a, b piece) int { return cmp.Compare(a.from, b.from) })
	reach := sorted[0].to
	for _, p := range sorted[1:] {
		if overlap := math.Min(reach, p.to) - p.from; overlap > 0.8*p.size && overlap > 0.6*math.Min(p.to-p.from, p.size*2) {
			return true
		}
		reach = math.Max(reach, p.to)
	}
	return false
}

// inPlace gives the letters of a segment by their place along it. What was drawn
// forward keeps the order in which it was drawn: some vowels stand before the
// consonant that they are read behind.
func inPlace(pieces []piece) []letter {
	sorted := slices.Clone(pieces)
	slices.SortStableFunc(sorted, func(a, b piece) int { return cmp.Compare(a.from+a.to, b.from+b.to) })
	var out []letter
	clear := true
	for i, p := range sorted {
		clear = clear && p.forward() && (i == 0 || p.from >= sorted[i-1].to-0.3*p.size)
		out = append(out, p.letters...)
	}
	if !clear {
		slices.SortStableFunc(out, func(a, b letter) int { return cmp.Compare(a.middle(), b.middle()) })
	}
	return out
}

// forward says whether the letters of a piece were drawn from left to right.
func (p *piece) forward() bool {
	for i, l := range p.letters {
		if rightToLeft(l.Rune) || i > 0 && !l.space && l.middle() < p.letters[i-1].middle()-1.2*p.size {
			return false
		}
	}
	return true
}
