package find_test

import (
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/find"
	"incipit/internal/core/overlay"
)

func found(t *testing.T, text, words string, o find.Options) []string {
	t.Helper()
	q, err := find.Ask(words, o)
	require.NoError(t, err)
	out := []string{}
	for _, h := range q.In(text) {
		out = append(out, string([]rune(text)[h.From:h.To]))
	}
	if !o.Exact {
		assert.Equal(t, len(out), q.Count(find.Fold(text), text), "the index counts as many")
	}
	return out
}

func TestFoldedWords(t *testing.T) {
	for _, c := range []struct {
		name, text, words string
		o                 find.Options
		want              []string
	}{
		{"case", "Tides and TIDES", "tides", find.Options{}, []string{"Tides", "TIDES"}},
		{"exact case", "Tides and TIDES", "TIDES", find.Options{Exact: true}, []string{"TIDES"}},
		{"diacritics", "człowiek potrafi iść ścieżką", "sciezka", find.Options{}, []string{"ścieżką"}},
		{"stroked letters", "muł jest głęboki", "mul", find.Options{}, []string{"muł"}},
		{"exact diacritics", "resume and résumé", "résumé", find.Options{Exact: true}, []string{"résumé"}},
		{"ligatures", "a ﬂock in the ﬁeld", "flock", find.Options{}, []string{"ﬂock"}},
		{"part of a ligature", "oﬃce", "fic", find.Options{}, []string{"ﬃc"}},
		{"sharp s", "große Straße", "strasse", find.Options{}, []string{"Straße"}},
		{"width", "ＴＩＤＥ 5.3", "tide", find.Options{}, []string{"ＴＩＤＥ"}},
		{"hyphens", "the board-walk, the boardwalk", "boardwalk", find.Options{}, []string{"board-walk", "boardwalk"}},
		{"typed hyphen", "the boardwalk", "board-walk", find.Options{}, []string{"boardwalk"}},
		{"spaces", "high   water", "high water", find.Options{}, []string{"high   water"}},
		{"whole word", "tide, tides; spring-tide tide", "tide", find.Options{WholeWord: true}, []string{"tide", "tide"}},
		{"no overlap", "aaaa", "aa", find.Options{}, []string{"aa", "aa"}},
		{"quotes", "the warden’s book", "warden's", find.Options{}, []string{"warden’s"}},
		{"Arabic without marks", "عند المدّ العالي", "المد", find.Options{}, []string{"المدّ"}},
		{"Arabic alef", "أسرع", "اسرع", find.Options{}, []string{"أسرع"}},
		{"Hebrew points", "שָׁלוֹם", "שלום", find.Options{}, []string{"שָׁלוֹם"}},
		{"Japanese", "日の出から日の入りまで開いています", "日の入り", find.Options{}, []string{"日の入り"}},
		{"Japanese whole word", "日の出から日の入りまで", "日の出", find.Options{WholeWord: true}, []string{"日の出"}},
		{"half-width kana", "ﾀｹﾞﾘ", "タケ", find.Options{}, []string{"ﾀｹﾞ"}},
		{"nothing", "marsh", "sea", find.Options{}, []string{}},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, found(t, c.text, c.words, c.o)) })
	}
}

func TestWhatCannotBeAsked(t *testing.T) {
	for _, words := range []string{"", "  ", "\u00AD", "--"} {
		_, err := find.Ask(words, find.Options{})
		require.ErrorIs(t, err, find.ErrEmpty, "%q", words)
	}
	_, err := find.Ask(strings.Repeat("x", find.MostLetters+1), find.Options{})
	require.ErrorIs(t, err, find.ErrLong)
}

// run makes a run whose letters are 5 points wide.
func run(text string, x, y float64, ends bool) overlay.Run {
	r := overlay.Run{Text: text, X: x, Y: y, Size: 10, Break: ends, Length: 5 * float64(utf8.RuneCountInString(text))}
	for i := range utf8.RuneCountInString(text) {
		r.Places = append(r.Places, float64(i)*5, 5)
	}
	return r
}

func TestWordsGoOnInTheNextLine(t *testing.T) {
	text := find.Of([]overlay.Run{run("two ob\u00AD", 10, 100, true), run("servers on a well-", 10, 114, true),
		run("known tide", 10, 128, true), run("干潟", 10, 142, true), run("の鳥", 10, 156, true)})
	assert.Equal(t, "two observers on a well-known tide 干潟の鳥", text.Plain())
	q, err := find.Ask("observers", find.Options{})
	require.NoError(t, err)
	hits := q.In(text.Plain())
	require.Len(t, hits, 1)
	boxes := text.Boxes(hits[0])
	require.Len(t, boxes, 2, "one on each line")
	assert.InDelta(t, 30, boxes[0].X, 1e-9)
	assert.InDelta(t, 10, boxes[0].W, 1e-9)
	assert.InDelta(t, 10, boxes[1].X, 1e-9)
	assert.InDelta(t, 35, boxes[1].W, 1e-9)
}

func TestQuotes(t *testing.T) {
	text := strings.Repeat("reed and water ", 10) + "a bittern boomed " + strings.Repeat("reed and water ", 10)
	q, err := find.Ask("bittern", find.Options{})
	require.NoError(t, err)
	c := find.Quote(text, q.In(text)[0])
	assert.Equal(t, "bittern", c.Match)
	assert.True(t, strings.HasPrefix(c.Before, "…") && strings.HasSuffix(c.Before, "water a "), c.Before)
	assert.True(t, strings.HasSuffix(c.After, "…") && strings.HasPrefix(c.After, " boomed"), c.After)
}

func FuzzFind(f *testing.F) {
	f.Add("The tíde ﬂows", "tide", true, false)
	f.Add("日の出", "の", false, true)
	f.Fuzz(func(t *testing.T, text, words string, whole, exact bool) {
		if !utf8.ValidString(text) || !utf8.ValidString(words) {
			return
		}
		q, err := find.Ask(words, find.Options{WholeWord: whole, Exact: exact})
		if err != nil {
			return
		}
		end := 0
		for _, h := range q.In(text) {
			require.True(t, h.From >= end && h.To > h.From && h.To <= utf8.RuneCountInString(text), "%v after %d", h, end)
			end = h.To
			find.Quote(text, h)
		}
	})
}

func ExampleQuery_In() {
	q, _ := find.Ask("sciezka", find.Options{})
	text := "Na ŚCIEŻKACH leży muł, ścieżka na wał jest sucha."
	for _, h := range q.In(text) {
		fmt.Println(string([]rune(text)[h.From:h.To]))
	}
	// Output:
	// ŚCIEŻKA
	// ścieżka
}
