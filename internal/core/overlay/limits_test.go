package overlay

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// a piece of one letter of a size at the origin, as wide as half of that.
func one(size, base float64) piece {
	g := Glyph{Rune: 'n', Y: base, Advance: size / 2, Size: size}
	p := piece{size: size, from: math.Inf(1), to: math.Inf(-1)}
	l := p.place(g, false)
	p.base = l.base
	p.add(l)
	return p
}

// Each bound of what belongs together holds just inside and not just outside of it, at
// every size. Bounds are those of segment.go, in em.
func TestBoundsOfPieces(t *testing.T) {
	const hair = 0.004
	for _, size := range []float64{4, 10, 72} {
		p := one(size, 0)
		next := func(change func(*Glyph)) bool {
			g := Glyph{Rune: 'n', X: size / 2, Advance: size / 2, Size: size}
			change(&g)
			_, ok := p.next(g, false)
			return ok
		}
		for name, x := range map[string]struct {
			bound float64
			set   func(g *Glyph, at float64)
		}{
			"white":         {0.9, func(g *Glyph, at float64) { g.X += at * size }},
			"white before":  {0.9, func(g *Glyph, at float64) { g.X = -g.Advance - at*size }},
			"smaller":       {0.06, func(g *Glyph, at float64) { g.Size -= at * size }},
			"larger":        {0.06, func(g *Glyph, at float64) { g.Size += at * size }},
			"above":         {0.08, func(g *Glyph, at float64) { g.Y += at * size }},
			"below":         {0.08, func(g *Glyph, at float64) { g.Y -= at * size }},
			"turned":        {1, func(g *Glyph, at float64) { g.Angle = at }},
			"turned around": {1, func(g *Glyph, at float64) { g.Angle = -at }},
		} {
			assert.True(t, next(func(g *Glyph) { x.set(g, x.bound-hair) }), "%s, at %.0f pt", name, size)
			assert.False(t, next(func(g *Glyph) { x.set(g, x.bound+hair) }), "%s, at %.0f pt", name, size)
		}
		// A letter may be set back by three quarters of an em, and by as much as the last one
		// is wide, an em and a bit at most.
		for _, x := range []struct{ wide, back float64 }{{0.5, 0.75}, {0.9, 0.9}, {2, 1.05}} {
			p := piece{size: size, from: math.Inf(1), to: math.Inf(-1)}
			p.add(p.place(Glyph{Rune: 'm', Advance: x.wide * size, Size: size}, false))
			at := func(back float64) bool {
				// Far ahead of where it would go on from the other side.
				_, ok := p.next(Glyph{Rune: 'n', X: x.wide*size - back*size, Advance: 9 * size, Size: size}, false)
				return ok
			}
			assert.True(t, at(x.back-hair), "%+v", x)
			assert.False(t, at(x.back+hair), "%+v", x)
		}
		mark := func(x, y float64) bool {
			_, ok := p.next(Glyph{Rune: 0x0301, X: x * size, Y: y * size, Size: size}, false)
			return ok
		}
		assert.True(t, mark(0.25, 1.49))
		assert.False(t, mark(0.25, 1.51), "a mark stands over its letter")
		assert.True(t, mark(-0.49, 0))
		assert.False(t, mark(-0.51, 0))
		assert.True(t, mark(0.99, 0))
		assert.False(t, mark(1.01, 0))
	}
}

func TestBoundsOfSegments(t *testing.T) {
	const hair = 0.004
	for _, size := range []float64{4, 10, 72} {
		// q stands beside p, small of its size, so far off in em of the large one, so much higher.
		joins := func(small, gap, up float64) bool {
			p, q := one(size, 0), one(small*size, -up*size)
			move := p.to + gap*size - q.from
			q.from, q.to = q.from+move, q.to+move
			q.base = -up * size
			assert.Equal(t, beside(&p, &q), beside(&q, &p), "whichever comes first")
			return beside(&p, &q)
		}
		for name, x := range map[string][3]float64{ // what changes is the last of two that differ
			"white": {1, 1, 0},
		} {
			assert.True(t, joins(x[0], x[1]-hair, x[2]), name)
			assert.False(t, joins(x[0], x[1]+hair, x[2]), name)
		}
		assert.True(t, joins(1, -0.3+hair, 0), "they overlap a little")
		assert.False(t, joins(1, -0.3-hair, 0))
		for _, up := range []float64{1, -1} {
			assert.True(t, joins(1, 0.5, up*(0.2-hair)), "of one size")
			assert.False(t, joins(1, 0.5, up*(0.2+hair)))
			assert.True(t, joins(0.86, 0.5, up*0.15), "nearly of one size")
			assert.False(t, joins(0.84, 0.9, up*0.15), "smaller, and far off")
			assert.True(t, joins(0.5, 0.9, up*(0.08-hair)), "a smaller one on the line, from afar")
			assert.False(t, joins(0.5, 0.9, up*(0.08+hair)))
		}
		// Raised and lowered small letters stand close by.
		assert.True(t, joins(0.5, 0, 0.6-hair))
		assert.False(t, joins(0.5, 0, 0.6+hair))
		assert.True(t, joins(0.5, 0, -0.4+hair))
		assert.False(t, joins(0.5, 0, -0.4-hair))
		assert.True(t, joins(0.5, 0.35-hair, 0.3))
		assert.False(t, joins(0.5, 0.35+hair, 0.3))
	}
}

func TestBoundsOfRuns(t *testing.T) {
	a := letter{Glyph: Glyph{Rune: 'a', Size: 10}}
	for name, x := range map[string]struct {
		change func(l *letter, by float64)
		bound  float64
	}{
		"size": {func(l *letter, by float64) { l.Size += by }, 0.6},
		"base": {func(l *letter, by float64) { l.base -= by }, 1},
	} {
		for _, sign := range []float64{1, -1} {
			b := a
			x.change(&b, sign*(x.bound-0.01))
			assert.True(t, alike(a, b), name)
			b = a
			x.change(&b, sign*(x.bound+0.01))
			assert.False(t, alike(a, b), name)
		}
	}
	b := a
	b.Font.Bold = true
	assert.False(t, alike(a, b))
	b = a
	b.Block = 3
	assert.False(t, alike(a, b))
	b = a
	b.upright = true
	assert.False(t, alike(a, b))
}

// What parts two words: their white, by what is known of the letters.
func TestBoundsOfWords(t *testing.T) {
	pair := func(gap float64, change func(a, b *letter)) bool {
		a := letter{Glyph: Glyph{Rune: 'a', Size: 10, order: 1}, from: 0, to: 5}
		b := letter{Glyph: Glyph{Rune: 'b', Size: 10, order: 2}, from: 5 + 10*gap, to: 10 + 10*gap}
		if change != nil {
			change(&a, &b)
		}
		return apart(a, b, 0.15, 0.02)
	}
	assert.False(t, pair(0.149, nil))
	assert.True(t, pair(0.151, nil))
	saw := func(_, b *letter) { b.gap = true }
	assert.False(t, pair(0.079, saw), "where the engine saw a space, 0.06 above the middle")
	assert.True(t, pair(0.081, saw))
	assert.False(t, pair(0.1, func(_, b *letter) { b.gap, b.order = true, 6 }), "of another letter's")
	assert.True(t, pair(0.1, func(_, b *letter) { b.gap, b.order = true, 5 }))
	guess := func(a, _ *letter) { a.whole = true }
	assert.False(t, pair(0.119, guess), "a width that is guessed: 0.1 above the middle")
	assert.True(t, pair(0.121, guess))
	thai := func(a, b *letter) { a.whole, a.Rune, b.Rune = true, 0x0E01, 0x0E02 } // a script without white
	assert.False(t, pair(0.599, thai))
	assert.True(t, pair(0.601, thai))
	assert.False(t, pair(5, func(_, b *letter) { b.tied = true }), "one glyph for both")
	assert.True(t, pair(5, func(_, b *letter) { b.tied, b.order = true, 3 }), "of another one")

	spaceBetween := func(gap float64) bool {
		return white([]letter{{Glyph: Glyph{Rune: 'a', Size: 10}, to: 5}, {space: true}, {Glyph: Glyph{Rune: 'b', Size: 10}, from: 5 + 10*gap}}, 1)
	}
	assert.False(t, spaceBetween(0.029))
	assert.True(t, spaceBetween(0.031))
	assert.InDelta(t, 0.5, gapAfter(letter{Glyph: Glyph{Size: 10}, to: 5}, letter{Glyph: Glyph{Size: 4}, from: 7}), 1e-9, "in em of the smaller one")
}

// Where white begins to part words in a line follows from the line's own gaps.
func TestBoundsOfWhite(t *testing.T) {
	row := func(n int, gap float64, more ...float64) []float64 {
		out := more
		for range n {
			out = append(out, gap)
		}
		return out
	}
	for name, x := range map[string]struct {
		gaps          []float64
		usual         float64
		least, middle float64
	}{
		"nothing is known":                  {nil, 0.03, 0.18, 0.03},
		"too few gaps to tell":              {row(4, 0.1), 0.03, 0.18, 0.03},
		"enough of them":                    {row(5, 0.1), 0.03, 0.25, 0.1},
		"words in between":                  {row(12, 0, 0.28, 0.28, 0.28, 0.28), 0, 0.14, 0},
		"far apart: no more is asked for":   {row(12, 0, 0.9, 0.9, 0.9, 0.9), 0, 0.25, 0},
		"a narrow gap once is a kern":       {row(12, 0, 0.1), 0, 0.15, 0},
		"four of them part words":           {row(12, 0, 0.1, 0.1, 0.1, 0.1), 0, 0.05, 0},
		"a surer gap, once":                 {row(12, 0, 0.16), 0, 0.08, 0},
		"hardly a jump":                     {row(12, 0, 0.049, 0.049, 0.049, 0.049), 0, 0.15, 0},
		"letters that stand alone":          {row(6, 0.4), 0.02, 0.17, 0.02},
		"wide letter spacing between words": {row(12, 0.4, 0.9, 0.9, 0.9, 0.9), 0.02, 0.65, 0.4},
	} {
		least, middle := threshold(x.gaps, x.usual)
		assert.InDelta(t, x.least, least, 1e-9, name)
		assert.InDelta(t, x.middle, middle, 1e-9, name)
	}
	assert.True(t, wordsEnough(4, 48))
	assert.False(t, wordsEnough(4, 49), "words of more than twelve letters")
	assert.True(t, wordsEnough(5, 10))
	assert.False(t, wordsEnough(5, 9), "words of less than two")
	assert.False(t, wordsEnough(3, 12))
}
