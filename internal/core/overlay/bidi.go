package overlay

import (
	"slices"
	"unicode"

	"golang.org/x/text/unicode/bidi"
)

// A page shows letters by place; they are read in another order where writing
// from right to left is among them. The Unicode bidirectional algorithm (UAX #9)
// gives the places for a reading; here it is run the other way. Its last step
// turns runs of levels around (rule L2), which undoes itself: the levels of what
// is seen, found by the same rules, give the reading.

func rightToLeft(r rune) bool {
	return unicode.In(r, unicode.Arabic, unicode.Hebrew, unicode.Syriac, unicode.Thaana, unicode.Nko)
}

// strong counts letters that are read from right to left, and from left to right.
func strong(letters []letter) (right, left int) {
	for _, l := range letters {
		switch p, _ := bidi.LookupRune(l.Rune); p.Class() {
		case bidi.R, bidi.AL:
			right++
		case bidi.L:
			left++
		}
	}
	return right, left
}

// backward says whether a segment as a whole is read from right to left, on a
// page that mostly is or is not.
func backward(letters []letter, page bool) bool {
	right, left := strong(letters)
	switch {
	case right == 0 && left == 0:
		return false
	case right == 0:
		// A stop at its left end, and none at its right, ends a sentence there.
		return page && stops(letters[0].Rune) && !stops(letters[len(letters)-1].Rune)
	case page:
		return true
	}
	return right > left
}

func stops(r rune) bool { return r == '.' || r == ':' || r == '!' || r == '?' || r == ',' || r == ';' }

// logical gives letters, which come by place, in the order in which they are
// read.
func logical(letters []letter, back, page bool) []letter {
	if !back && !slices.ContainsFunc(letters, func(l letter) bool { return rightToLeft(l.Rune) }) {
		return letters
	}
	out := slices.Clone(letters)
	if back {
		slices.Reverse(out)
	}
	base := 0
	if back {
		base = 1
	}
	levels := levelsOf(out, base)
	turn := func(from int) {
		for i := 0; i < len(out); {
			j := i
			for j < len(out) && levels[j] >= from {
				j++
			}
			if j > i {
				slices.Reverse(out[i:j])
				slices.Reverse(levels[i:j])
			}
			i = max(j, i+1)
		}
	}
	for level := 2; level > base; level-- {
		turn(level)
	}
	mirror(out, levels)
	return out
}

// levelsOf resolves the levels of letters (UAX #9, W1 to I2) in a paragraph of a
// level, without embeddings: a page has none.
func levelsOf(letters []letter, base int) []int {
	n := len(letters)
	classes := make([]bidi.Class, n)
	embedding := bidi.L
	if base == 1 {
		embedding = bidi.R
	}
	before := embedding // the last strong one
	for i, l := range letters {
		p, _ := bidi.LookupRune(l.Rune)
		c := p.Class()
		if l.space {
			c = bidi.WS
		}
		switch c { // W1 to W3
		case bidi.NSM:
			if c = embedding; i > 0 {
				c = classes[i-1]
			}
		case bidi.EN:
			if before == bidi.AL {
				c = bidi.AN
			}
		case bidi.L, bidi.R, bidi.AL:
			before = c
		}
		classes[i] = c
	}
	for i, c := range classes { // W4
		if i > 0 && i < n-1 && classes[i-1] == classes[i+1] {
			number := classes[i-1]
			if number == bidi.EN && (c == bidi.ES || c == bidi.CS) || number == bidi.AN && c == bidi.CS {
				classes[i] = number
			}
		}
	}
	for i := 0; i < n; { // W5
		j := i
		for j < n && classes[j] == bidi.ET {
			j++
		}
		if j > i && (i > 0 && classes[i-1] == bidi.EN || j < n && classes[j] == bidi.EN) {
			for k := i; k < j; k++ {
				classes[k] = bidi.EN
			}
		}
		i = max(j, i+1)
	}
	before = embedding
	for i, c := range classes { // W6, W7
		switch c {
		case bidi.L, bidi.R, bidi.EN, bidi.AN:
			if c == bidi.EN && before == bidi.L {
				classes[i] = bidi.L
			} else if c == bidi.L || c == bidi.R {
				before = c
			}
		case bidi.AL:
			classes[i], before = bidi.R, bidi.R
		default:
			classes[i] = bidi.ON
		}
	}
	pairs(letters, classes, embedding)
	for i := 0; i < n; { // N1, N2
		j := i
		for j < n && classes[j] == bidi.ON {
			j++
		}
		if j > i {
			left, right := embedding, embedding
			if i > 0 {
				left = side(classes[i-1])
			}
			if j < n {
				right = side(classes[j])
			}
			c := embedding
			if left == right {
				c = left
			}
			for k := i; k < j; k++ {
				classes[k] = c
			}
		}
		i = max(j, i+1)
	}
	out := make([]int, n)
	for i, c := range classes { // I1, I2
		switch {
		case c == bidi.EN || c == bidi.AN || c == bidi.L && base == 1:
			out[i] = 2
		case c == bidi.R:
			out[i] = 1
		}
	}
	return out
}

// side is the direction that a class counts as beside neutrals.
func side(c bidi.Class) bidi.Class {
	if c == bidi.EN || c == bidi.AN {
		return bidi.R
	}
	return c
}

// brackets are what comes in pairs, each with its other.
var brackets = map[rune]rune{'(': ')', ')': '(', '[': ']', ']': '[', '{': '}', '}': '{', '«': '»', '»': '«', '‹': '›', '›': '‹', '<': '>',
	'>': '<'}

// pairs resolves brackets (N0). Which of two opens is not asked: in what is seen
// they may be mirrored, so two of a kind that follow each other are a pair.
func pairs(letters []letter, classes []bidi.Class, embedding bidi.Class) {
	waiting := map[rune]int{}
	for i, l := range letters {
		other, ok := brackets[l.Rune]
		if !ok || classes[i] != bidi.ON {
			continue
		}
		kind := min(l.Rune, other)
		from, open := waiting[kind]
		if !open {
			waiting[kind] = i
			continue
		}
		delete(waiting, kind)
		with, against := false, false
		for _, c := range classes[from+1 : i] {
			switch side(c) {
			case embedding:
				with = true
			case bidi.L, bidi.R:
				against = true
			}
		}
		switch {
		case with:
			classes[from], classes[i] = embedding, embedding
		case against:
			around := func(step, at int) bool {
				for ; at >= 0 && at < len(classes); at += step {
					if c := side(classes[at]); c == bidi.L || c == bidi.R {
						return c != embedding
					}
				}
				return false
			}
			c := embedding
			if around(-1, from-1) || around(1, i+1) {
				c = opposite(embedding)
			}
			classes[from], classes[i] = c, c
		}
	}
}

func opposite(c bidi.Class) bidi.Class {
	if c == bidi.L {
		return bidi.R
	}
	return bidi.L
}

// mirror gives brackets that are read from right to left the character that opens
// where they open. Some files name the shape that is seen, others the character:
// of two of a kind the first one opens; one alone is taken by its neighbours.
func mirror(letters []letter, levels []int) {
	waiting := map[rune]int{}
	for i, l := range letters {
		other, ok := brackets[l.Rune]
		if !ok || levels[i]%2 == 0 {
			continue
		}
		kind := min(l.Rune, other)
		if from, open := waiting[kind]; open {
			letters[from].Rune, letters[i].Rune = opening(kind), brackets[opening(kind)]
			delete(waiting, kind)
			continue
		}
		waiting[kind] = i
	}
	for kind, i := range waiting {
		after := i+1 < len(letters) && !letters[i+1].space
		before := i > 0 && !letters[i-1].space
		if after != before {
			letters[i].Rune = opening(kind)
			if before {
				letters[i].Rune = brackets[opening(kind)]
			}
		}
	}
}

// opening is the opening one of a kind of bracket, which is named by the lesser
// of its two characters.
func opening(kind rune) rune { return kind }
