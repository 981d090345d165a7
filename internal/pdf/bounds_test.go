package pdf_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"

	"incipit/internal/pdf"
)

func TestCut(t *testing.T) {
	for text, want := range map[string]string{
		"":                                   "",
		"Tide table":                         "Tide table",
		"  Tide \r\n\t table\x00\x00":        "Tide table",
		"a\x07b":                             "ab",
		"\xff\xfe":                           "\uFFFD\uFFFD",
		"exactly ten":                        "exactly t…",
		"0123456789":                         "0123456789",
		strings.Repeat("\u00a0", 1000) + "x": "",
	} {
		assert.Equal(t, want, pdf.Cut(text, 10), "%q", text)
	}
}

// Whatever a file says: what is kept is valid, in one line, within its bound, and
// cutting it again changes nothing.
func TestCutIsBounded(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	for range 5000 {
		b := make([]byte, random.IntN(300))
		for i := range b {
			b[i] = "abc \n\x00\x80\xff\xe2\x80\xa8é"[random.IntN(13)]
		}
		most := 2 + random.IntN(40)
		got := pdf.Cut(string(b), most)
		assert.True(t, utf8.ValidString(got))
		assert.LessOrEqual(t, utf8.RuneCountInString(got), most)
		assert.False(t, strings.ContainsFunc(got, func(r rune) bool { return unicode.IsControl(r) || unicode.IsSpace(r) && r != ' ' }), "%q", got)
		assert.Equal(t, got, pdf.Cut(got, most))
	}
}
