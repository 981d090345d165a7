package overlay_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/overlay"
)

var (
	latin  = strings.Fields("Avocet tern tide marsh boardwalk observers hide counts of the north we ringing flood Wigeon office VAT To fly")
	hebrew = strings.Fields("ספירת הציפורים נעשית עם שחר השומרת השביל הצפוני גאות ביצה מגדל")
	persan = strings.Fields("پرنده تالاب شمارش راه شمالی آب گل سال فهرست برج")
)

// phrase is words of one direction that stand together.
type phrase struct {
	words []string
	back  bool
}

// setLine lays phrases out as a page shows them, the first one where a line of
// that direction begins, and gives the letters in an order of drawing.
func setLine(r *rand.Rand, phrases []phrase, back bool, x, y, size float64) []overlay.Glyph {
	spacing := []float64{0, 0, -0.02, 0.05, 0.15}[r.IntN(5)]
	gap := spacing + 0.22 + 0.3*r.Float64()
	var words [][]overlay.Glyph // in the order in which they stand
	width := func(rune) float64 { return 0.3 + 0.5*r.Float64() }
	word := func(w string, back bool) ([]overlay.Glyph, float64) {
		var out []overlay.Glyph
		at := 0.0
		letters := []rune(w)
		if back {
			slices.Reverse(letters)
		}
		for i, l := range letters {
			if i > 0 {
				at += spacing + 0.03*(r.Float64()-0.5)
			}
			a := width(l)
			out = append(out, overlay.Glyph{Rune: l, X: at * size, Y: y, Advance: a * size, Size: size})
			at += a
		}
		return out, at
	}
	ordered := slices.Clone(phrases)
	if back {
		slices.Reverse(ordered)
	}
	at := 0.0
	for _, p := range ordered {
		inside := slices.Clone(p.words)
		if p.back {
			slices.Reverse(inside)
		}
		for _, w := range inside {
			glyphs, wide := word(w, p.back)
			for i := range glyphs {
				glyphs[i].X += x + at*size
			}
			words = append(words, glyphs)
			at += wide + gap
		}
	}
	// Files draw words in any order, and letters of one in either.
	if r.IntN(2) == 0 {
		r.Shuffle(len(words), func(i, j int) { words[i], words[j] = words[j], words[i] })
	}
	var out []overlay.Glyph
	for _, w := range words {
		if unicode.IsLetter(w[0].Rune) && r.IntN(2) == 0 && !unicode.In(w[0].Rune, unicode.Latin) {
			slices.Reverse(w)
		}
		out = append(out, w...)
	}
	return out
}

func some(r *rand.Rand, from []string, n int) []string {
	var out []string
	for range n {
		out = append(out, from[r.IntN(len(from))])
	}
	return out
}

// Whatever the letter spacing, the gaps between words, the order of drawing and the
// mixture of directions: what is read is what was written.
func TestLinesReadAsTheyWereWritten(t *testing.T) {
	for seed := range uint64(600) {
		r := rand.New(rand.NewPCG(seed, 7))
		size := 6 + 20*r.Float64()
		var phrases []phrase
		back := seed%3 != 0
		right := hebrew
		if seed%2 == 0 {
			right = persan
		}
		switch {
		case !back && seed%2 == 0:
			phrases = []phrase{{some(r, latin, 4+r.IntN(6)), false}}
		case !back:
			phrases = []phrase{{some(r, latin, 5), false}, {some(r, right, 1+r.IntN(2)), true}, {some(r, latin, 4), false}}
		default:
			phrases = []phrase{{some(r, right, 3+r.IntN(3)), true}}
			if r.IntN(2) == 0 {
				phrases = append(phrases, phrase{[]string{fmt.Sprint(10 + r.IntN(5000))}, false}, phrase{some(r, right, 2), true})
			}
			if r.IntN(2) == 0 {
				phrases = append(phrases, phrase{some(r, latin, 1+r.IntN(2)), false}, phrase{some(r, right, 2), true})
			}
		}
		var wanted []string
		for _, p := range phrases {
			wanted = append(wanted, p.words...)
		}
		runs := overlay.Runs(setLine(r, phrases, back, 40, 100, size))
		got := strings.Join(strings.Fields(overlay.Plain(runs)), " ")
		if !assert.Equal(t, strings.Join(wanted, " "), got, "seed %d", seed) {
			return
		}
	}
}

// Letters strewn about, of any size and in any direction, are all there, once.
func TestNothingIsLost(t *testing.T) {
	alphabet := []rune("abcdeXYZ0123456789אבגדعغفقкл干潟のกขहि.,()-´")
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 11))
		var glyphs []overlay.Glyph
		want := map[rune]int{}
		for len(glyphs) < 200 {
			word := 1 + r.IntN(9)
			x, y, size := 600*r.Float64(), 800*r.Float64(), 4+30*r.Float64()*r.Float64()
			angle := []float64{0, 0, 0, 90, 270, 180, 33}[r.IntN(7)]
			for range word {
				c := alphabet[r.IntN(len(alphabet))]
				a := (0.2 + 0.7*r.Float64()) * size
				glyphs = append(glyphs, overlay.Glyph{Rune: c, X: x, Y: y, Advance: a, Size: size, Angle: angle})
				x, y = x+(a+0.1*size*r.Float64())*math.Cos(angle*math.Pi/180), y+(a+0.1*size*r.Float64())*math.Sin(angle*math.Pi/180)
				if unicode.IsLetter(c) || unicode.IsDigit(c) {
					want[c]++
				}
			}
		}
		got := map[rune]int{}
		lines := map[int]bool{}
		last := 0
		for _, run := range overlay.Runs(glyphs) {
			assert.Len(t, run.Places, 2*len([]rune(run.Text)), "a place for each character")
			if run.Line != last {
				assert.False(t, lines[run.Line], "the runs of a line come together")
				lines[run.Line], last = true, run.Line
			}
			for _, c := range run.Text {
				if unicode.IsLetter(c) || unicode.IsDigit(c) {
					got[c]++
				}
			}
		}
		if !assert.Equal(t, want, got, "seed %d", seed) {
			return
		}
	}
}

// A page of letters on top of each other, or of one letter a hundred thousand times,
// costs a bounded time.
func TestHeapsOfLetters(t *testing.T) {
	heap := make([]overlay.Glyph, 60_000)
	for i := range heap {
		heap[i] = overlay.Glyph{Rune: 'a' + rune(i%26), X: float64(i%7) * 3, Y: float64(i%5) * 0.3, Advance: 5, Size: 10 + float64(i%11)}
	}
	assert.NotEmpty(t, overlay.Runs(heap))
	for i := range heap {
		heap[i] = overlay.Glyph{Rune: 'e', X: 100, Y: 100, Advance: 5, Size: 10}
	}
	assert.NotEmpty(t, overlay.Runs(heap))
}
