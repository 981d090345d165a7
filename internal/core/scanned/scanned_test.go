package scanned_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/scanned"
)

func line(size, angle, sure float64, words ...string) scanned.Line {
	l := scanned.Line{X: 50, Y: 60, Size: size, Angle: angle}
	at := 0.0
	for _, w := range words {
		length := float64(len([]rune(w))) * size / 2
		l.Words = append(l.Words, scanned.Word{Text: w, At: at, Length: length, Sure: sure})
		at += length + size/3
	}
	return l
}

// A page of which too much is guessed has no text; of another one, specks are no words.
func TestWhatIsGuessedIsNotWritten(t *testing.T) {
	good := line(10, 0, 92, "Twelve", "counts", "were", "made")
	assert.Equal(t, []scanned.Line{good}, scanned.Legible([]scanned.Line{good, line(10, 0, 5, "|")}))
	assert.Empty(t, scanned.Legible([]scanned.Line{good, line(12, 0, 12, "Pebrusaiuy", "Ledofhank", "aoe", "fonly", "wrath")}))
	assert.Empty(t, scanned.Legible(nil))
	assert.Zero(t, scanned.Sure(nil))
	for name, odd := range map[string]scanned.Line{
		"nowhere": {X: math.NaN(), Size: 10, Words: good.Words}, "no size": {Words: good.Words}, "a size like a house": {Size: 1e6, Words: good.Words},
		"no length":    {Size: 10, Words: []scanned.Word{{Text: "Knot", Sure: 90}}},
		"no letters":   {Size: 10, Words: []scanned.Word{{Text: " \u0007\ufffd", Length: 10, Sure: 90}}},
		"not a figure": {Size: 10, Words: []scanned.Word{{Text: "Knot", Length: 10, Sure: math.NaN()}}},
	} {
		for _, l := range scanned.Legible([]scanned.Line{good, odd}) {
			assert.Equal(t, good, l, name)
		}
	}
	long := line(10, 0, 90)
	for range 3 * scanned.MostWords {
		long.Words = append(long.Words, good.Words[0])
	}
	assert.Len(t, scanned.Legible([]scanned.Line{long})[0].Words, scanned.MostWords)
}

// However a page's type was measured line by line, it has the sizes and the direction that
// it was set in, and each line's middle stays where it was.
func TestTypeIsOfFewSizes(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 1))
		skew := float64(r.IntN(4)*90) + r.Float64()*4 - 2
		text := 7 + r.Float64()*5
		sizes := []float64{text, text * 1.7, text * 2.9}
		var lines []scanned.Line
		for i := range 40 {
			size := sizes[0]
			if i%9 == 0 {
				size = sizes[1+r.IntN(2)]
			}
			lines = append(lines, line(size*(1+(r.Float64()-0.5)*0.16), skew+(r.Float64()-0.5)*0.8, 90, "Twelve", "counts", "were"))
		}
		got := scanned.Legible(lines)
		require.Len(t, got, len(lines))
		seen := map[string]bool{}
		for i, l := range got {
			seen[fmt.Sprint(l.Size)] = true
			assert.Equal(t, got[0].Angle, l.Angle)
			assert.InDelta(t, skew, l.Angle, 0.5)
			assert.InDelta(t, lines[i].Size, l.Size, 0.2*l.Size)
			x, y := center(lines[i])
			x1, y1 := center(l)
			assert.InDelta(t, 0, math.Hypot(x-x1, y-y1), 1e-6)
		}
		assert.LessOrEqual(t, len(seen), 3)
		assert.Equal(t, got, scanned.Legible(got), "once is enough")
	}
}

func center(l scanned.Line) (x, y float64) {
	last := l.Words[len(l.Words)-1]
	sin, cos := math.Sincos(l.Angle * math.Pi / 180)
	half := (last.At + last.Length) / 2
	return l.X + half*cos, l.Y + half*sin
}

func TestLanguages(t *testing.T) {
	codes := []string{"ara", "chi_sim", "deu", "eng", "equ", "frk", "nor", "osd", "xyz", "srp_latn"}
	var names []string
	for _, l := range scanned.Languages(codes) {
		names = append(names, l.Name)
	}
	assert.Equal(t, []string{"Arabic", "English", "German", "Norwegian Bokmål", "Serbian (Latin)", "Simplified Chinese"}, names)
	for tag, want := range map[string]string{"de": "deu", "de-AT": "deu", "en-GB": "eng", "zh": "chi_sim", "zh-Hans": "chi_sim", "ar-EG": "ara", "fr": "", "": "", "no language": ""} {
		assert.Equal(t, want, scanned.Of(tag, codes), tag)
	}
	assert.Equal(t, []string{"deu", "eng"}, scanned.Chosen([]string{"deu", "osd", "tlh", "eng", "deu", "--psm"}, codes))
	assert.Len(t, scanned.Chosen(codes, codes), scanned.MostLanguages)
}

func TestRowsOfPages(t *testing.T) {
	labels := []string{"i", "ii", "iii", "1", "2", "3", "4"}
	for _, c := range []struct {
		pages    []int
		from, to int
		want     string
	}{
		{[]int{1, 2, 3, 4, 5, 6, 7}, 1, 10, "i–4"}, {[]int{1, 2, 3, 4, 5, 6, 7}, 2, 3, "ii–iii"}, {[]int{1, 3, 4, 7}, 1, 7, "i, iii–1, 4"},
		{nil, 1, 7, ""}, {[]int{6}, 1, 5, ""}, {[]int{7, 8, 9}, 1, 10, "4"},
	} {
		assert.Equal(t, c.want, scanned.Rows(c.pages, c.from, c.to, labels), "%v", c)
	}
}
