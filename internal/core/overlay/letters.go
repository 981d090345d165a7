package overlay

import (
	"math"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// plain drops what cannot be read and takes hyphens that an engine made up for
// the division of a word (U+0002, as PDFium does) for what they are.
func plain(glyphs []Glyph) []Glyph {
	out := make([]Glyph, 0, len(glyphs))
	for _, g := range glyphs {
		if g.Rune == 2 || g.Rune == 0xFFFE {
			g.Rune = SoftHyphen
		}
		keep := g.Rune == '\n' || g.Rune == '\r'
		if keep || !unicode.IsControl(g.Rune) && g.Rune != 0 && g.Rune != unicode.ReplacementChar {
			out = append(out, g)
		}
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
		r >= 0x3000 && r <= 0x303F || r >= 0x30FB && r <= 0x30FF || r >= 0xFE10 && r <= 0xFE6F || r >= 0xFF00 && r <= 0xFFEF || r >= 0x2010 && r <= 0x2026
}

// Joined says whether a character is of a script that puts no space between
// words, so that lines of it are joined without one.
func Joined(r rune) bool {
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Bopomofo, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar) ||
		r >= 0x3000 && r <= 0x303F || r >= 0x30FB && r <= 0x30FF || r >= 0xFF00 && r <= 0xFF60
}

// unspaced leaves out the spaces that engines report between characters of
// scripts that have none, where the gap is no wider than a character.
func unspaced(first Glyph, glyphs []Glyph) []Glyph {
	out := glyphs[:0:0]
	for i, g := range glyphs {
		if unicode.IsSpace(g.Rune) && i > 0 && i < len(glyphs)-1 && Joined(glyphs[i-1].Rune) && Joined(glyphs[i+1].Rune) &&
			math.Abs(along(first, glyphs[i+1])-along(first, glyphs[i-1])) < 1.9*first.Size {
			continue
		}
		out = append(out, g)
	}
	return out
}

// Joint is what stands between two runs that follow each other: nothing or a
// space.
func Joint(a, b Run) string {
	end := lastOf(a.Text)
	start := firstOf(b.Text)
	switch {
	case end == SoftHyphen:
		return ""
	case a.Break && unicode.Is(unicode.Pd, end) && unicode.IsLower(start) && len([]rune(a.Text)) > 1:
		return ""
	case Joined(end) && Joined(start):
		return ""
	}
	return " "
}

func lastOf(s string) rune {
	r := []rune(s)
	if len(r) == 0 {
		return ' '
	}
	return r[len(r)-1]
}

func firstOf(s string) rune {
	for _, r := range s {
		return r
	}
	return ' '
}

// whole gives a letter and the mark over it, where both are one glyph, the whole
// of its box: an engine gives each a part.
func whole(glyphs []Glyph) {
	for i := 1; i < len(glyphs); i++ {
		base, m := &glyphs[i-1], &glyphs[i]
		if unicode.Is(unicode.Mn, m.Rune) && math.Abs(base.X-m.X) < 0.02*m.Size {
			base.Advance += m.Advance
			m.Advance = base.Advance
		}
	}
}

// Behind is what stands between two runs when text is copied: what Joint says,
// or a line feed where a paragraph ends.
func Behind(a, b Run) string {
	apart := a.Block != b.Block
	if a.Block == 0 && b.Block == 0 {
		step := math.Abs(across(Glyph{X: a.X, Y: a.Y, Angle: a.Angle}, Glyph{X: b.X, Y: b.Y}))
		apart = a.Angle != b.Angle || math.Abs(a.Size-b.Size) > 0.15*a.Size || step > 1.7*math.Max(a.Size, b.Size)
	}
	if apart && a.Break {
		return "\n"
	}
	return Joint(a, b)
}
