package sheet

import (
	"errors"
	"strconv"
	"strings"
	"unicode"
)

// ErrSpan is given for pages that are written in a way nobody could follow, or
// that a document does not have.
var ErrSpan = errors.New("there are no such pages")

// Span reads page numbers as people write them, "2-5, 8", in the digits,
// dashes and commas of any script. It gives each page once, in the order of the
// document; nothing written is every page.
func Span(text string, pages int) ([]int, error) {
	parts := strings.FieldsFunc(strings.Map(plain, text), func(r rune) bool { return r == ',' })
	if len(parts) == 0 {
		parts = []string{"1-" + strconv.Itoa(pages)}
	}
	chosen := make([]bool, pages+1)
	for _, part := range parts {
		first, last, ranged := strings.Cut(part, "-")
		if !ranged {
			last = first
		}
		from, err := strconv.Atoi(first)
		if err != nil {
			return nil, ErrSpan
		}
		to, err := strconv.Atoi(last)
		if err != nil || from < 1 || to > pages || from > to {
			return nil, ErrSpan
		}
		for n := from; n <= to; n++ {
			chosen[n] = true
		}
	}
	var out []int
	for n, yes := range chosen {
		if yes {
			out = append(out, n)
		}
	}
	return out, nil
}

// plain maps a letter of a span to ASCII: digits by their value (Unicode, 4.6:
// decimal digits stand in rows of ten), dashes to "-", commas and semicolons to
// ",". White space is dropped.
func plain(r rune) rune {
	switch {
	case unicode.IsDigit(r):
		for _, row := range unicode.Nd.R16 {
			if rune(row.Lo) <= r && r <= rune(row.Hi) {
				return '0' + (r-rune(row.Lo))%10
			}
		}
		for _, row := range unicode.Nd.R32 {
			if rune(row.Lo) <= r && r <= rune(row.Hi) {
				return '0' + (r-rune(row.Lo))%10
			}
		}
	case unicode.Is(unicode.Pd, r), r == '−', r == '~', r == '〜', r == '～':
		return '-'
	case strings.ContainsRune(";،؛、，；", r):
		return ','
	case unicode.IsSpace(r):
		return -1
	}
	return r
}
