// Package find finds words in the text of pages.
//
// People do not type what stands in a file: they leave out accents and
// capitals, and know nothing of ligatures, widths or the hyphen at the end of
// a line. So both, the text and what is asked for, are folded: compatibility
// decomposition (Unicode UAX #15, NFKD), marks dropped, case folded (Unicode
// 5.18), hyphens and tatweel dropped, spaces made one. Every folded letter
// remembers where it stands, so that a hit can be shown on the page and quoted
// as it is written.
package find

import (
	"unicode"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"

	"incipit/internal/core/overlay"
)

// folded is a text made comparable: its letters, and for each the place in the
// source, in runes, that it comes from.
type folded struct {
	letters []rune
	from    []int
}

// Fold gives the loose form of a text, as the index keeps it.
func Fold(text string) string { return string(fold([]rune(text), false).letters) }

// fold makes a text comparable. The exact form keeps case and accents; both
// resolve ligatures and widths, drop hyphens that divide words and make every
// kind of space one.
func fold(text []rune, exact bool) folded {
	f := folded{letters: make([]rune, 0, len(text)), from: make([]int, 0, len(text))}
	put := func(r rune, at int) {
		if r == ' ' && (len(f.letters) == 0 || f.letters[len(f.letters)-1] == ' ') {
			return
		}
		f.letters = append(f.letters, r)
		f.from = append(f.from, at)
	}
	fold := cases.Fold()
	known := map[rune][]rune{} // a text has few letters, many times
	for i, r := range text {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			put(r, i)
			continue
		case r >= 'A' && r <= 'Z':
			if !exact {
				r += 'a' - 'A'
			}
			put(r, i)
			continue
		case unicode.IsSpace(r):
			put(' ', i)
			continue
		case dropped(r) || !exact && dash(r):
			continue
		}
		if exact {
			for _, c := range norm.NFKC.String(string(r)) {
				put(c, i)
			}
			continue
		}
		loose, ok := known[r]
		if !ok {
			loose = looseOf(r, fold)
			known[r] = loose
		}
		for _, c := range loose {
			put(c, i)
		}
	}
	return f
}

// looseOf gives the loose form of one letter.
func looseOf(r rune, fold cases.Caser) []rune {
	var out []rune
	for _, c := range fold.String(norm.NFKD.String(string(r))) {
		switch plain, ok := stroked[c]; {
		case unicode.Is(unicode.Mn, c):
		case ok:
			out = append(out, []rune(plain)...)
		case unicode.IsSpace(c):
			out = append(out, ' ')
		default:
			out = append(out, c)
		}
	}
	return out
}

// dropped are characters that nobody types: soft hyphens, joiners, direction
// marks, tatweel.
func dropped(r rune) bool {
	return r == overlay.SoftHyphen || r == 0x0640 || r >= 0x200B && r <= 0x200F || r >= 0x202A && r <= 0x202E || r >= 0x2060 &&
		r <= 0x2069 || r == 0xFEFF
}

func dash(r rune) bool { return unicode.Is(unicode.Pd, r) || r == 0x2212 }

// stroked are letters that decomposition leaves whole although people type the
// plain one, and marks of quotation that keyboards do not have.
var stroked = map[rune]string{
	'ł': "l", 'ø': "o", 'đ': "d", 'ħ': "h", 'ŧ': "t", 'ı': "i", 'æ': "ae", 'œ': "oe", 'þ': "th", 'ð': "d",
	'’': "'", '‘': "'", '‚': "'", '“': "\"", '”': "\"", '„': "\"", '«': "\"", '»': "\"", 'ى': "ي", 'ة': "ه",
}

// inWord says whether a character belongs to a word. Scripts that put no space
// between words have a boundary everywhere.
func inWord(r rune) bool {
	return (unicode.IsLetter(r) || unicode.IsDigit(r) || r == '_') && !overlay.Joined(r)
}
