package find_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/find"
)

func TestWords(t *testing.T) {
	for _, c := range []struct{ name, text, written, loose string }{
		{"words and numbers", "The Knot (Calidris) in 2025!", "the knot calidris in 2025", ""},
		{"accents stay, and are there without", "Café  MÖWE", "café möwe", "cafe mowe"},
		{"a dash parts words", "well-known", "well known", ""},
		{"ligatures and widths", "ﬁne ＡＢＣ", "fine abc", ""},
		{"no word is too long to be one", strings.Repeat("x", 61) + " ok", "ok", ""},
		{"pairs where no space parts words", "東京都の鳥", "", "東京 京都 都の の鳥 鳥"},
		{"both beside each other", "NHK東京", "nhk", "東京 京"},
		{"Arabic without its marks", "طُيُور", "طُيُور", "طيور"},
		{"a soft hyphen is none", "cur\u00adlew", "curlew", ""},
		{"nothing", " —…", "", ""},
	} {
		written, loose := find.Words(c.text)
		assert.Equal(t, c.written, written, c.name)
		assert.Equal(t, c.loose, loose, c.name)
	}
}

func TestTerms(t *testing.T) {
	for _, c := range []struct {
		name, typed string
		want        []find.Term
	}{
		{"the last may be the beginning of a word", "Knot cou", []find.Term{{Stems: []string{"knot"}, Exact: []string{"knot"}},
			{Stems: []string{"cou"}, Exact: []string{"cou"}, Begun: true}}},
		{"not where something stands behind it", "knot ", []find.Term{{Stems: []string{"knot"}, Exact: []string{"knot"}}}},
		{"two letters are no beginning", "kn", []find.Term{{Stems: []string{"kn"}, Exact: []string{"kn"}}}},
		{"both forms", "Möwe", []find.Term{{Stems: []string{"möwe", "mowe"}, Exact: []string{"möwe", "mowe"}, Begun: true}}},
		{"pairs", "東京都", []find.Term{{Exact: []string{"東京"}}, {Exact: []string{"京都"}}}},
		{"one letter", "鳥", []find.Term{{Exact: []string{"鳥"}, Begun: true}}},
		{"nothing", "-!", nil},
	} {
		assert.Equal(t, c.want, find.Terms(c.typed), c.name)
	}
	assert.Len(t, find.Terms(strings.Repeat("word ", 30)), find.MostTerms)
}

func TestAPlaceToQuote(t *testing.T) {
	c, ok := find.Place("Many unlike birds. The curlews of the marsh", []string{"curlew"})
	assert.True(t, ok)
	assert.Equal(t, find.Context{Before: "Many unlike birds. The ", Match: "curlews", After: " of the marsh"}, c)
	c, _ = find.Place("swallow, low water", []string{"low"})
	assert.Equal(t, "low", c.Match, "the start of a word comes before its midst")
	assert.Equal(t, "swallow, ", c.Before)
	_, ok = find.Place("Many birds", []string{"curlew"})
	assert.False(t, ok)
}

// FuzzWords holds: what is one of a text's words is found in the text by asking for it.
func FuzzWords(f *testing.F) {
	for _, s := range []string{"The Knot (Calidris) in 2025", "東京都の鳥", "Straße Ǆ ﬁ", "طُيُور", "e\u0301a\u0300", "\xff\u200b-"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 2000 {
			t.Skip()
		}
		written, loose := find.Words(text)
		for _, all := range []string{written, loose} {
			assert.True(t, utf8.ValidString(all))
			assert.NotContains(t, all, "  ")
			for word := range strings.FieldsSeq(all) {
				assert.NotEmpty(t, find.Terms(word), "%q of %q", word, text)
			}
		}
		for _, term := range find.Terms(text) {
			for _, form := range term.Exact {
				// What is asked for stands in a text that holds just it.
				has := " " + strings.Join([]string{written, loose}, " ") + " "
				if term.Begun {
					assert.Contains(t, has, " "+form)
				} else {
					assert.Contains(t, has, " "+form+" ")
				}
			}
		}
	})
}
