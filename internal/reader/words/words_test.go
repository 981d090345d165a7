package words_test

import (
	"encoding/json"
	"maps"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/reader/words"
)

var places = regexp.MustCompile(`\{[a-z]+\}`)

func read(t *testing.T, file string) map[string]string {
	t.Helper()
	b, err := os.ReadFile(file)
	require.NoError(t, err)
	var m map[string]string
	require.NoError(t, json.Unmarshal(b, &m))
	return m
}

// No language misses a message, has one too many, leaves one empty, or has
// other places in it than English.
func TestNothingIsMissing(t *testing.T) {
	w, err := words.Load()
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(w.Tags()), 11)
	english := read(t, "en.json")
	for _, tag := range w.Tags() {
		other := read(t, tag.String()+".json")
		for name, text := range english {
			require.NotEmpty(t, other[name], "%s in %s", name, tag)
			want, got := places.FindAllString(text, -1), places.FindAllString(other[name], -1)
			slices.Sort(want)
			slices.Sort(got)
			assert.Equal(t, want, got, "%s in %s", name, tag)
		}
		assert.Len(t, other, len(english), tag.String())
		l := w.For(tag.String())
		assert.Equal(t, tag.String(), l.Tag)
		said, err := l.All()
		require.NoError(t, err)
		maps.DeleteFunc(other, func(name, _ string) bool { return strings.HasPrefix(name, "list_") || strings.HasPrefix(name, "said_") })
		assert.Equal(t, other, said, "%s is said in its own words", tag)
	}
}

func TestFor(t *testing.T) {
	w, err := words.Load()
	require.NoError(t, err)
	for accept, want := range map[string][2]string{
		"": {"en", "ltr"}, "tlh": {"en", "ltr"}, "de-AT,de;q=0.9": {"de", "ltr"}, "pt-BR, es;q=0.5": {"es", "ltr"}, "ar-EG": {"ar", "rtl"},
		"iw":    {"he", "rtl"},
		"zh-CN": {"zh-Hans", "ltr"}, "ja,en;q=0.1": {"ja", "ltr"}, "en-GB,de": {"en", "ltr"}, "<script>": {"en", "ltr"},
	} {
		l := w.For(accept)
		assert.Equal(t, want, [2]string{l.Tag, l.Direction}, accept)
	}
	said, err := w.For("fr").Say("page_of", "n", 3, "all", 52)
	require.NoError(t, err)
	assert.Equal(t, "Page 3 sur 52", said)
	_, err = w.For("fr").Say("nonsense")
	require.Error(t, err)
}
