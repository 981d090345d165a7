package find

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/language"
	"golang.org/x/text/unicode/norm"

	"incipit/internal/core/overlay"
)

// Looking through many documents goes by words and not by letters: an index knows the
// words of every page, by their stems where the language of the page has such (Snowball,
// as PostgreSQL ships it). Stems are made of words as they are written, so accents stay in
// them; the loose form stands beside it where it is another one. Scripts that put no space
// between words (Unicode UAX #29) are known by pairs of neighbouring letters.

const (
	// longestWord is in letters; what is longer is no word.
	longestWord = 60
	// mostWords and mostWordBytes bound what is known of one page.
	mostWords, mostWordBytes = 40_000, 400_000
	// MostTerms bounds the words that are asked for at once.
	MostTerms = 10
	// mostQuoted is how far into a page a place to quote is looked for, in letters.
	mostQuoted = 200_000
	// leastBegun is how many letters the last word has at least until it may be the
	// beginning of one.
	leastBegun = 3
)

// Words gives the words of a text as an index takes them, apart by single spaces: as they
// are written, in small letters, and the loose forms that differ from those.
func Words(text string) (written, loose string) {
	var w, l strings.Builder
	n := 0
	put := func(b *strings.Builder, word string) {
		if word == "" || n >= mostWords || w.Len()+l.Len() > mostWordBytes {
			return
		}
		n++
		if b.Len() > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(word)
	}
	eachWord(text, func(word []rune, joined bool) {
		if joined {
			for i := range word {
				put(&l, string(word[i:min(i+2, len(word))]))
			}
			return
		}
		plain, folded := lettersOf(word), Fold(string(word))
		put(&w, plain)
		if folded != plain && !strings.Contains(folded, " ") {
			put(&l, folded)
		}
	})
	return w.String(), l.String()
}

// lettersOf gives a word in the form that stems are made of.
func lettersOf(word []rune) string {
	s := cases.Lower(language.Und).String(norm.NFKC.String(string(word)))
	return strings.Map(func(r rune) rune {
		if dropped(r) || !ofWord(r) {
			return -1
		}
		return r
	}, s)
}

// ofWord says whether a character is one of a word: a letter, a digit, or a mark on one.
func ofWord(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) }

// eachWord calls f for every word of a text, and for every stretch of a script that puts
// no space between words.
func eachWord(text string, f func(word []rune, joined bool)) {
	var word []rune
	joined := false
	end := func() {
		if len(word) > 0 && (joined || len(word) <= longestWord) {
			f(word, joined)
		}
		word = word[:0]
	}
	for _, r := range norm.NFKC.String(text) {
		if r == utf8.RuneError || !ofWord(r) && !dropped(r) {
			end()
			continue
		}
		if dropped(r) || unicode.IsMark(r) && (joined || len(word) == 0) {
			continue
		}
		if is := overlay.Joined(r); is != joined && !unicode.IsMark(r) {
			end()
			joined = is
		}
		word = append(word, r)
	}
	end()
}

// Term is a word that is asked for: it is there in one of these forms, of which Stems are
// to be brought to their stems.
type Term struct {
	Stems, Exact []string
	// Begun: it may go on.
	Begun bool
}

// Terms gives the words of what somebody typed, at most MostTerms. The last one may be
// the beginning of a word, while nothing stands behind it.
func Terms(typed string) []Term {
	var out []Term
	eachWord(typed, func(word []rune, joined bool) {
		switch {
		case len(out) >= MostTerms:
		case joined && len(word) == 1:
			out = append(out, Term{Exact: []string{string(word)}, Begun: true})
		case joined:
			for i := 0; i+2 <= len(word) && len(out) < MostTerms; i++ {
				out = append(out, Term{Exact: []string{string(word[i : i+2])}})
			}
		default:
			t := Term{Stems: []string{lettersOf(word)}, Exact: []string{lettersOf(word)}}
			if loose := Fold(string(word)); loose != "" && loose != t.Stems[0] && !strings.Contains(loose, " ") {
				t.Stems, t.Exact = append(t.Stems, loose), append(t.Exact, loose)
			}
			if t.Stems[0] != "" {
				out = append(out, t)
			}
		}
	})
	if last, _ := utf8.DecodeLastRuneInString(typed); len(out) > 0 && ofWord(last) && !overlay.Joined(last) {
		t := &out[len(out)-1]
		t.Begun = utf8.RuneCountInString(t.Exact[0]) >= leastBegun
	}
	return out
}

// Place finds where a text has one of some words, which are stems or beginnings: at the
// start of one of its words where there is such, else anywhere. ok is false where it is
// nowhere. It quotes some letters on both sides.
func Place(text string, words []string) (c Context, ok bool) {
	source := []rune(text)
	source = source[:min(len(source), mostQuoted)]
	f := fold(source, false)
	at, length, starts := -1, 0, false
	for _, word := range words {
		asked := []rune(Fold(word))
		if len(asked) == 0 {
			continue
		}
		for i := 0; i+len(asked) <= len(f.letters); i++ {
			if !slices.Equal(f.letters[i:i+len(asked)], asked) {
				continue
			}
			start := i == 0 || !inWord(f.letters[i-1])
			if at < 0 || start && !starts || start == starts && i < at {
				at, length, starts = i, len(asked), start
			}
			if start {
				break
			}
		}
	}
	if at < 0 {
		return Context{}, false
	}
	from, to := f.from[at], f.from[at+length-1]+1
	for to < len(source) && inWord(source[to]) {
		to++
	}
	return Quote(string(source), Hit{From: from, To: to}), true
}
