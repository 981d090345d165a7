package find

import (
	"errors"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Options say how strictly to compare.
type Options struct {
	WholeWord bool // the hit begins and ends where words do
	Exact     bool // case and accents count
}

// Query is what is asked for.
type Query struct {
	options Options
	loose   string // folded, for the index
	letters []rune
}

// MostLetters bounds what may be asked for, in characters.
const MostLetters = 120

// The ways a question cannot be asked.
var (
	ErrEmpty = errors.New("there is nothing to look for")
	ErrLong  = errors.New("that is too long to look for")
)

// Ask makes a query of what somebody typed.
func Ask(words string, o Options) (Query, error) {
	words = strings.TrimSpace(words)
	if utf8.RuneCountInString(words) > MostLetters {
		return Query{}, ErrLong
	}
	q := Query{options: o, loose: Fold(words), letters: fold([]rune(words), o.Exact).letters}
	if len(q.letters) == 0 || q.loose == "" {
		return Query{}, ErrEmpty
	}
	return q, nil
}

// Loose is the folded form: a page whose own folded text does not contain it
// has no hit, whatever the options.
func (q Query) Loose() string { return q.loose }

// Hit is a place in a page's plain text, in runes.
type Hit struct{ From, To int }

// In finds all hits in a plain text, in order; they do not overlap.
func (q Query) In(plain string) []Hit {
	source := []rune(plain)
	f := fold(source, q.options.Exact)
	var out []Hit
	for at := 0; at+len(q.letters) <= len(f.letters); {
		i := index(f.letters[at:], q.letters)
		if i < 0 {
			break
		}
		from, to := at+i, at+i+len(q.letters)
		at = to
		if q.options.WholeWord && !whole(f.letters, from, to) {
			at = from + 1
			continue
		}
		h := Hit{f.from[from], f.from[to-1] + 1}
		// Marks behind the last letter belong to it.
		for h.To < len(source) && (to == len(f.from) || h.To < f.from[to]) && mark(source[h.To]) {
			h.To++
		}
		out = append(out, h)
	}
	return out
}

// Count says how many hits a page has, by its folded text where that tells.
func (q Query) Count(foldedText, plain string) int {
	if q.options.Exact {
		return len(q.In(plain))
	}
	letters := []rune(foldedText)
	n := 0
	for at := 0; at+len(q.letters) <= len(letters); {
		i := index(letters[at:], q.letters)
		if i < 0 {
			break
		}
		from := at + i
		if q.options.WholeWord && !whole(letters, from, from+len(q.letters)) {
			at = from + 1
			continue
		}
		n++
		at = from + len(q.letters)
	}
	return n
}

func mark(r rune) bool { return unicode.Is(unicode.M, r) || r == 0xFF9E || r == 0xFF9F }

// whole says whether what stands from..to begins and ends where words do.
func whole(text []rune, from, to int) bool {
	begins := from == 0 || !inWord(text[from-1]) || !inWord(text[from])
	ends := to == len(text) || !inWord(text[to]) || !inWord(text[to-1])
	return begins && ends
}

func index(text, part []rune) int {
	first := part[0]
	for i := 0; i+len(part) <= len(text); i++ {
		if text[i] == first && slices.Equal(text[i:i+len(part)], part) {
			return i
		}
	}
	return -1
}
