package overlay

import (
	"math"
	"slices"
	"unicode"
)

// Where the white between two letters parts words is told by the white itself:
// within a line the gaps between letters lie close together, whatever the letter
// spacing, and those between words a word space above them. Limits are in em.
const (
	// Above the gap between the letters of a line lies what parts words:
	usualGap = 0.15  // where nothing tells more
	leastGap = 0.035 // in any line
	sureGap  = 0.07  // however few such gaps there are
	seenGap  = 0.06  // where the engine saw a space
	mostGap  = 0.25  // and no more is asked for
	// A gap parts two clusters whose width is guessed.
	guessed = 0.1
	// Wider letter spacing is none, where no wider white parts words.
	mostSpacing = 0.2
	// Letters overlap less than this, or an engine's boxes are too wide.
	tooWide = -0.1
	// Between the widest gap in a word and the narrowest between words.
	tellJump = 0.05
	// So many gaps tell something.
	enough = 5
)

// gapAfter is the white between two letters, in em of the smaller one.
func gapAfter(a, b letter) float64 {
	return (b.from - a.to) / math.Max(math.Min(a.Size, b.Size), 0.01)
}

// spaced gives letters, by place, with spaces where words part: where the file
// has one, and where the white is wide.
func spaced(letters []letter, usual map[int]float64) []letter {
	least, middle := threshold(gapsOf(letters), usual[sizeKey(letters)])
	out := make([]letter, 0, len(letters)+len(letters)/4)
	for i, l := range letters {
		if l.space {
			if i > 0 && white(letters, i) {
				out = addSpace(out, l)
			}
			continue
		}
		if i > 0 {
			if before := letters[i-1]; !before.space && before.Rune != tatweel && l.Rune != tatweel && !(wide(before.Rune) && wide(l.Rune)) &&
				apart(before, l, least, middle) {
				out = addSpace(out, letter{Glyph: Glyph{Rune: ' ', Size: l.Size, Font: before.Font, Block: before.Block}, from: before.to,
					to: before.to, base: l.base, space: true})
			}
		}
		out = append(out, l)
	}
	for len(out) > 0 && out[len(out)-1].space {
		out = out[:len(out)-1]
	}
	return unspaced(out)
}

// apart says whether two letters belong to two words. An engine knows the width
// of a font's own space: where it saw one, less white will do.
func apart(a, b letter, least, middle float64) bool {
	if tied(a, b) {
		return false
	}
	gap := gapAfter(a, b)
	if a.whole || b.whole { // its width is a guess
		if Joined(a.Rune) && Joined(b.Rune) {
			return gap > 6*guessed
		}
		return gap > math.Max(middle, 0)+guessed
	}
	if gap > least {
		return true
	}
	first, second := a, b
	if a.order > b.order {
		first, second = b, a
	}
	return second.gap && second.order-first.order <= 4 && gap > middle+seenGap
}

// tied says that one glyph stands for two letters.
func tied(a, b letter) bool {
	return b.tied && b.order-a.order == 1 || a.tied && a.order-b.order == 1
}

// tatweel draws a letter out; it ends no word.
const tatweel = 0x0640

// leastWhite is what a file's own space leaves between the letters around it:
// where they touch, it lies under them and parts nothing.
const leastWhite = 0.03

func white(letters []letter, i int) bool {
	a, b := i-1, i+1
	for a >= 0 && letters[a].space {
		a--
	}
	for b < len(letters) && letters[b].space {
		b++
	}
	return a < 0 || b >= len(letters) || gapAfter(letters[a], letters[b]) > leastWhite
}

func addSpace(out []letter, l letter) []letter {
	if len(out) == 0 || out[len(out)-1].space {
		return out
	}
	l.Rune = ' '
	return append(out, l)
}

// gapsOf gives the gaps between the letters and digits of one size that follow
// each other, within words or between them. Stops are left out: dots lead through
// white.
func gapsOf(letters []letter) []float64 {
	var out []float64
	for i := 1; i < len(letters); i++ {
		a, b := letters[i-1], letters[i]
		if !wordy(a.Rune) || !wordy(b.Rune) || a.whole || b.whole || math.Abs(a.Size-b.Size) > 0.06*a.Size {
			continue
		}
		out = append(out, gapAfter(a, b))
	}
	return out
}

// wide says whether a character is of a script that fills squares: white between
// two of them is setting, and parts nothing.
func wide(r rune) bool {
	return Joined(r) && !unicode.In(r, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar)
}

// wordy says whether a character is part of a word that white parts from others.
func wordy(r rune) bool { return (unicode.IsLetter(r) || unicode.IsDigit(r)) && !Joined(r) }

// threshold is the gap from which on two letters belong to two words. usual is
// the gap between letters of the page, middle that of the line.
func threshold(gaps []float64, usual float64) (least, middle float64) {
	slices.Sort(gaps)
	middle = usual
	if len(gaps) >= enough {
		middle = letterGap(gaps)
	}
	if middle > mostSpacing && gaps[len(gaps)-1] < 1.6*middle+0.1 {
		middle = usual // letters that stand alone, each a word
	}
	best, at := tellJump, middle+usualGap
	for i := 1; i < len(gaps); i++ {
		jump := gaps[i] - gaps[i-1]
		if mid := gaps[i-1] + jump/2; jump > best && mid > middle+leastGap && gaps[i-1] < middle+usualGap &&
			(mid > middle+sureGap || wordsEnough(len(gaps)-i, len(gaps))) {
			best, at = jump, math.Min(mid, middle+mostGap)
		}
	}
	return at, middle
}

// wordsEnough says whether so many of all gaps can be those between words, of two to
// twelve letters: a narrow gap that comes once is a kern.
func wordsEnough(n, all int) bool { return n >= 4 && 12*n >= all && 2*n <= all }

// letterGap is the usual gap between letters: most letters stand within words,
// so it lies below the middle of all gaps.
func letterGap(sorted []float64) float64 { return sorted[len(sorted)*2/5] }

// usualLetterGaps are the usual gaps between the letters of a page, by their size.
func usualLetterGaps(segments [][]letter) map[int]float64 {
	all := map[int][]float64{}
	for _, s := range segments {
		if key := sizeKey(s); len(all[key]) < 5_000 {
			all[key] = append(all[key], gapsOf(s)...)
		}
	}
	out := map[int]float64{}
	for key, gaps := range all {
		if len(gaps) >= enough {
			slices.Sort(gaps)
			out[key] = math.Min(letterGap(gaps), 0.1)
		}
	}
	return out
}

// sizeKey names the size of letters, in half points.
func sizeKey(letters []letter) int {
	if len(letters) == 0 {
		return 0
	}
	return int(math.Round(2 * letters[len(letters)/2].Size))
}

// unspaced leaves out the spaces between characters of scripts that have none,
// where they stand no further apart than a character.
func unspaced(letters []letter) []letter {
	out := letters[:0:0]
	for i, l := range letters {
		if l.space && i > 0 && i < len(letters)-1 {
			a, b := letters[i-1], letters[i+1]
			if wide(a.Rune) && wide(b.Rune) && b.from-a.to < 0.9*a.Size {
				continue
			}
		}
		out = append(out, l)
	}
	return out
}
