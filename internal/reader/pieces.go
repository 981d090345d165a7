package reader

import (
	"math"
	"slices"
	"unicode"

	"incipit/internal/core/overlay"
)

// piece is a part of a run that is set by itself, so that what is selected is what
// was pointed at. Low and high are its ends along the run, in points; places are
// those of its letters, where each can be set by itself.
type piece struct {
	text      string
	low, high float64
	backward  bool
	places    []float64
	then      string // what stands behind it: see overlay.Behind
}

// piecesOf cuts a run. Letters that stand by themselves are set each where it stands,
// all of them as one piece. Where letters join or are put together of several
// characters, each word is set as a whole, in the direction it has, and stretched to
// its place.
func piecesOf(run overlay.Run, behind string) []piece {
	runes := []rune(run.Text)
	if run.Upright || len(run.Places) != 2*len(runes) {
		return []piece{{text: run.Text, high: run.Length, then: behind}}
	}
	if alone(runes) {
		return []piece{{text: run.Text, high: run.Length, places: run.Places, then: behind}}
	}
	var out []piece
	cut := func(from, to int, then string) {
		for from < to && runes[from] == ' ' {
			from++
		}
		if from >= to {
			return
		}
		p := piece{text: string(runes[from:to]), low: math.Inf(1), high: math.Inf(-1), then: then}
		for i := from; i < to; i++ {
			p.low, p.high = math.Min(p.low, run.Places[2*i]), math.Max(p.high, run.Places[2*i]+run.Places[2*i+1])
			p.backward = p.backward || fromRight(runes[i])
		}
		if alone(runes[from:to]) {
			p.places = run.Places[2*from : 2*to]
		}
		out = append(out, p)
	}
	from := 0
	for i := 1; i < len(runes); i++ {
		switch {
		case runes[i] == ' ':
			cut(from, i, " ")
			from = i + 1
		case i > from && way(runes[i]) != 0 && way(runes[i])*lastWay(runes[from:i]) < 0:
			cut(from, i, "")
			from = i
		}
	}
	cut(from, len(runes), behind)
	if len(out) > 0 {
		out[len(out)-1].then = behind
	}
	return out
}

// way is -1 for a letter that is written from right to left, 1 for another letter or
// a digit, and 0 for what goes with its neighbours.
func way(r rune) int {
	switch {
	case fromRight(r):
		return -1
	case unicode.IsLetter(r) || unicode.IsDigit(r):
		return 1
	}
	return 0
}

func lastWay(runes []rune) int {
	for _, r := range slices.Backward(runes) {
		if w := way(r); w != 0 {
			return w
		}
	}
	return 0
}

// fromRight says whether a letter is written from right to left.
func fromRight(r rune) bool {
	return unicode.In(r, unicode.Arabic, unicode.Hebrew, unicode.Syriac, unicode.Thaana, unicode.Nko) && !unicode.IsDigit(r)
}

// alone says whether every letter of a text stands by itself.
func alone(runes []rune) bool {
	return !slices.ContainsFunc(runes, func(r rune) bool {
		return fromRight(r) || unicode.In(r, unicode.Mn, unicode.Mc, unicode.Devanagari, unicode.Bengali, unicode.Tamil) || r > 0xFFFF
	})
}
