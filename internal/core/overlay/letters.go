package overlay

import (
	"math"
	"slices"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// plain drops what cannot be read and what the engine made up for white: where
// words and lines part is told by place. Hyphens that it takes for the division of
// a word (U+0002, as PDFium does) are what they are.
func plain(glyphs []Glyph) []Glyph {
	out := make([]Glyph, 0, len(glyphs))
	gap := false
	for i, g := range glyphs {
		if g.Rune == 2 || g.Rune == 0xFFFE {
			g.Rune = SoftHyphen
		} else if g.Made {
			gap = true
			continue
		}
		g.order, g.gap = i, gap
		gap = false
		if unicode.IsSpace(g.Rune) {
			if g.Rune == '\n' || g.Rune == '\r' {
				continue
			}
			if g.Advance < 0.02*g.Size {
				continue // parts nothing
			}
			g.Rune = ' '
		}
		if !unicode.IsControl(g.Rune) && g.Rune != 0 && g.Size > 0 {
			out = append(out, g)
		}
	}
	return out
}

// once leaves out what is shown twice at nearly one place: a shadow, or a letter
// printed over itself to make it bold.
func once(glyphs []Glyph) []Glyph {
	type cell struct {
		r    rune
		x, y int
	}
	seen := map[cell][]int{}
	out := make([]Glyph, 0, len(glyphs))
	group := 0 // where the characters begin that share the place of this one
	for i, g := range glyphs {
		near := math.Min(0.12*g.Size, 0.45*g.Advance)
		if i == 0 || !stacked(glyphs[i-1], g) {
			group = i
		}
		// Characters in one place, one behind the other, are one glyph that stands for
		// all of them (see parted); but a letter and itself, where a neighbour is shown
		// twice, too.
		one := i > group && !(i == group+1 && twins(glyphs[i-1], g) &&
			(i > 2 && twins(glyphs[i-3], glyphs[i-2]) || i+2 < len(glyphs) && twins(glyphs[i+1], glyphs[i+2])))
		if near <= 0 || unicode.IsSpace(g.Rune) || over(g) || one {
			out = append(out, g)
			continue
		}
		side := math.Max(0.12*g.Size, 0.5)
		at := cell{g.Rune, int(math.Floor(g.X / side)), int(math.Floor(g.Y / side))}
		twice := false
		for dx := -1; dx <= 1 && !twice; dx++ {
			for dy := -1; dy <= 1 && !twice; dy++ {
				for _, i := range seen[cell{g.Rune, at.x + dx, at.y + dy}] {
					o := out[i]
					twice = twice || math.Abs(o.X-g.X) < near && math.Abs(o.Y-g.Y) < near && math.Abs(o.Size-g.Size) < 0.1*g.Size && o.Angle == g.Angle
				}
			}
		}
		if !twice {
			if len(seen[at]) < 8 {
				seen[at] = append(seen[at], len(out))
			}
			out = append(out, g)
		}
	}
	return out
}

func twins(a, b Glyph) bool { return a.Rune == b.Rune && stacked(a, b) }

// stacked says that two characters were given one and the same place.
func stacked(a, b Glyph) bool {
	return a.X == b.X && a.Y == b.Y && a.Advance == b.Advance && a.Size == b.Size && a.Angle == b.Angle && a.Advance > 0
}

// parted gives each of the letters that one glyph stands for a part of its place.
// An engine gives each all of it, or a part of its width: what comes next tells.
func parted(glyphs []Glyph) []Glyph {
	for i := 0; i < len(glyphs); {
		j, n := i+1, 1
		for j < len(glyphs) && !unicode.IsSpace(glyphs[j].Rune) && stacked(glyphs[i], glyphs[j]) {
			if !over(glyphs[j]) {
				n++
			}
			j++
		}
		if j-i > 1 && j-i <= mostInOne && !over(glyphs[i]) {
			t := glyphs[i].Angle * math.Pi / 180
			all := glyphs[i].Advance
			sum := all * float64(j-i)
			beside := j
			if rightToLeft(glyphs[i].Rune) {
				beside = i - 1
			}
			if beside < 0 || beside >= len(glyphs) || !reaches(glyphs[i], glyphs[beside], sum) {
				all = sum
				for _, g := range glyphs[i:j] {
					if unicode.Is(unicode.Mc, g.Rune) { // whose own width is not counted
						all += signWidth * g.Size
					}
				}
			}
			part, at := all/float64(n), -1
			for k := i; k < j; k++ {
				g := &glyphs[k]
				if !over(*g) {
					at++
				}
				behind := at
				if rightToLeft(glyphs[i].Rune) {
					behind = n - 1 - at
				}
				g.tied, g.whole = k > i, true
				g.Advance = part
				g.X, g.Y = g.X+float64(behind)*part*math.Cos(t), g.Y+float64(behind)*part*math.Sin(t)
			}
		}
		i = j
	}
	return glyphs
}

// signWidth is about the width of a vowel sign that has room of its own, in em.
const signWidth = 0.26

// echoed leaves out what an engine gives a second time: the text of a span that is
// drawn in several parts, for each of them.
func echoed(glyphs []Glyph) []Glyph {
	out := make([]Glyph, 0, len(glyphs))
	for i := 0; i < len(glyphs); {
		j := i + 1
		for j < len(glyphs) && stacked(glyphs[i], glyphs[j]) {
			j++
		}
		if n := j - i; n > 1 && n <= mostInOne && slices.ContainsFunc(tail(out, 3), func(o Glyph) bool {
			return math.Abs(o.X-glyphs[i].X) < 0.1*o.Size && math.Abs(o.Y-glyphs[i].Y) < 0.1*o.Size
		}) {
			again := false
			for from := len(out) - n; from >= max(len(out)-n-3, 0) && !again; from-- {
				again = slices.EqualFunc(out[from:from+n], glyphs[i:j], func(a, b Glyph) bool { return a.Rune == b.Rune })
			}
			if again {
				i = j
				continue
			}
		}
		out = append(out, glyphs[i:j]...)
		i = j
	}
	return out
}

func tail(glyphs []Glyph, n int) []Glyph { return glyphs[max(len(glyphs)-n, 0):] }

// reaches says whether a glyph of a width would lie over the one behind it.
func reaches(a, b Glyph, width float64) bool {
	t := a.Angle * math.Pi / 180
	along := (b.X-a.X)*math.Cos(t) + (b.Y-a.Y)*math.Sin(t)
	across := math.Abs((b.Y-a.Y)*math.Cos(t) - (b.X-a.X)*math.Sin(t))
	return across < 0.5*a.Size && along > 0 && width > along+0.1*a.Size
}

// fitted gives glyphs the width that they have where those of a font reach into the
// next ones, all by about as much: an engine's boxes may count letter spacing that
// is not there.
func fitted(glyphs []Glyph) []Glyph {
	type kind struct {
		font Font
		size int
	}
	of := func(g Glyph) kind { return kind{g.Font, int(math.Round(2 * g.Size))} }
	gaps := map[kind][]float64{}
	for i := 1; i < len(glyphs); i++ {
		a, b := glyphs[i-1], glyphs[i]
		if of(a) != of(b) || a.Angle != b.Angle || b.gap || over(a) || over(b) || stacked(a, b) || rightToLeft(a.Rune) ||
			!unicode.IsLetter(a.Rune) || !unicode.IsLetter(b.Rune) {
			continue
		}
		t := a.Angle * math.Pi / 180
		if gap := ((b.X-a.X)*math.Cos(t) + (b.Y-a.Y)*math.Sin(t) - a.Advance) / a.Size; math.Abs(gap) < 1 {
			gaps[of(a)] = append(gaps[of(a)], gap)
		}
	}
	reach := map[kind]float64{}
	for k, all := range gaps {
		slices.Sort(all)
		if middle := all[len(all)/2]; len(all) >= 3 && middle < tooWide {
			reach[k] = middle
		}
	}
	if len(reach) == 0 {
		return glyphs
	}
	for i := range glyphs {
		if by, ok := reach[of(glyphs[i])]; ok && glyphs[i].Advance+by*glyphs[i].Size > 0.1*glyphs[i].Size {
			glyphs[i].Advance += by * glyphs[i].Size
		}
	}
	return glyphs
}

// mostInOne is how many letters one glyph stands for at most: some fonts have one
// for a whole formula of greeting.
const mostInOne = 24

// accents are marks that old fonts have as letters of their own, and what they
// are over a letter.
var accents = map[rune]rune{'´': 0x301, '`': 0x300, '¨': 0x308, 'ˆ': 0x302, '^': 0x302, '˜': 0x303, '~': 0x303, 'ˇ': 0x30C, '˚': 0x30A,
	'°': 0x30A,
	'¸': 0x327, '˘': 0x306, '¯': 0x304, 'ˉ': 0x304, '˙': 0x307, '˝': 0x30B, '˛': 0x328}

// accented sets together letters and accents that were drawn one over the other.
func accented(glyphs []Glyph) []Glyph {
	onto := func(a, base Glyph) (Glyph, bool) {
		if a.Angle != base.Angle || !unicode.IsLetter(base.Rune) || math.Abs(a.Size-base.Size) > 0.1*base.Size {
			return base, false
		}
		t := a.Angle * math.Pi / 180
		c, s := math.Cos(t), math.Sin(t)
		at := (a.X-base.X)*c + (a.Y-base.Y)*s + a.Advance/2
		up := (a.X-base.X)*s - (a.Y-base.Y)*c
		if at < 0.15*base.Advance || at > 0.95*base.Advance || math.Abs(up) > 0.5*base.Size {
			return base, false
		}
		letter := base.Rune
		switch letter {
		case 'ı':
			letter = 'i'
		case 'ȷ':
			letter = 'j'
		}
		whole := []rune(norm.NFC.String(string([]rune{letter, accents[a.Rune]})))
		if len(whole) != 1 {
			return base, false
		}
		base.Rune = whole[0]
		return base, true
	}
	out := make([]Glyph, 0, len(glyphs))
	for i := 0; i < len(glyphs); i++ {
		g := glyphs[i]
		if accents[g.Rune] == 0 {
			out = append(out, g)
			continue
		}
		if i+1 < len(glyphs) {
			if whole, ok := onto(g, glyphs[i+1]); ok {
				whole.gap = whole.gap || g.gap
				out = append(out, whole)
				i++
				continue
			}
		}
		if n := len(out); n > 0 {
			if whole, ok := onto(g, out[n-1]); ok {
				out[n-1] = whole
				continue
			}
		}
		out = append(out, g)
	}
	return out
}

// resolved gives the letters that a ligature or a presentation form stands for
// (Unicode 16, blocks FB00-FDFF and FE70-FEFF), the character of a radical
// (2F00-2FDF), and any other letter itself.
func resolved(r rune) string {
	if r >= 0xFB00 && r <= 0xFDFF || r >= 0xFE70 && r <= 0xFEFE || r >= 0x2F00 && r <= 0x2FDF {
		return norm.NFKC.String(string(r))
	}
	return string(r)
}

// down finds vertical writing: characters an em or so below each other, with
// their em boxes in one column. They are given the angle of their line, and its middle for
// a baseline.
func down(glyphs []Glyph) []Glyph {
	follows := func(a, b Glyph) bool {
		if a.Angle != 0 || b.Angle != 0 || a.Size == 0 || math.Abs(a.Size-b.Size) > 0.15*a.Size {
			return false
		}
		step := (b.Y - a.Y) / a.Size
		return math.Abs(b.X-a.X) < 0.2*a.Size && step > 0.3 && step < 1.6 && tall(a.Rune) && tall(b.Rune)
	}
	for i := 0; i < len(glyphs); {
		j := i
		last := i
		for k := i + 1; k < len(glyphs); k++ {
			if r := glyphs[k].Rune; r == '\n' || r == '\r' || unicode.IsSpace(r) {
				continue // engines end a line after each character
			}
			if !follows(glyphs[last], glyphs[k]) {
				break
			}
			last, j = k, k
		}
		if j-i < 1 {
			i++
			continue
		}
		for k := i; k <= j; k++ {
			g := &glyphs[k]
			if g.Rune == '\n' || g.Rune == '\r' || unicode.IsSpace(g.Rune) {
				g.Rune = 0
				continue
			}
			g.X, g.Y = g.X+g.Size/2, g.Y-0.88*g.Size
			g.Angle, g.Advance, g.upright = 90, g.Size, true
		}
		i = j + 1
	}
	out := glyphs[:0]
	for _, g := range glyphs {
		if g.Rune != 0 {
			out = append(out, g)
		}
	}
	return out
}

// tall says whether a character is of a script that is written downward, or of
// its punctuation.
func tall(r rune) bool {
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul, unicode.Bopomofo) ||
		r >= 0x3000 && r <= 0x303F || r >= 0x30FB && r <= 0x30FF || r >= 0xFE10 && r <= 0xFE6F || r >= 0xFF00 && r <= 0xFFEF || r >= 0x2010 &&
		r <= 0x2026
}

// Joined says whether a character is of a script that puts no space between
// words, so that lines of it are joined without one.
func Joined(r rune) bool {
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Bopomofo, unicode.Thai, unicode.Lao, unicode.Khmer,
		unicode.Myanmar) ||
		r >= 0x3000 && r <= 0x303F || r >= 0x30FB && r <= 0x30FF || r >= 0xFF00 && r <= 0xFF60
}

// Joint is what stands between two runs that follow each other: nothing or a
// space.
func Joint(a, b Run) string {
	end := lastOf(a.Text)
	start := firstOf(b.Text)
	switch {
	case end == SoftHyphen || a.Glued:
		return ""
	case a.Break && unicode.Is(unicode.Pd, end) && unicode.IsLower(start) && utf8.RuneCountInString(a.Text) > 1:
		return ""
	case Joined(end) && Joined(start):
		return ""
	}
	return " "
}

func lastOf(s string) rune {
	r, size := utf8.DecodeLastRuneInString(s)
	if size == 0 {
		return ' '
	}
	return r
}

func firstOf(s string) rune {
	for _, r := range s {
		return r
	}
	return ' '
}

// Behind is what stands between two runs when text is copied: what Joint says,
// or a line feed where a paragraph ends.
func Behind(a, b Run) string {
	apart := a.Block != b.Block
	if a.Block == 0 && b.Block == 0 {
		step := math.Abs(across(a, b))
		apart = a.Angle != b.Angle || math.Abs(a.Size-b.Size) > 0.15*a.Size || step > 1.7*math.Max(a.Size, b.Size)
	}
	if apart && a.Break {
		return "\n"
	}
	return Joint(a, b)
}
