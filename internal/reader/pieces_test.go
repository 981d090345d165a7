package reader

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
)

// Whatever is in a run, all its letters are set, once and in their order, each piece
// within the place of the run and in one direction.
func TestPiecesLeaveNothingOut(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 11))
	words := []string{"marsh", "שלום", "(bird", "count)", "۱۴۰۵", "248", "المستنقع", "मौसम", "湿地", "ב-14", "2.5", "«", "наступ", "a\u0301b",
		"…"}
	for range 3000 {
		var some []string
		for range 1 + r.IntN(8) {
			some = append(some, words[r.IntN(len(words))])
		}
		run := overlay.Run{Text: strings.Join(some, []string{" ", ""}[r.IntN(2)]), X: 10, Y: 20, Size: 10}
		n := utf8.RuneCountInString(run.Text)
		for i := range n {
			run.Places = append(run.Places, float64(5*i), 5)
		}
		run.Length = float64(5 * n)
		pieces := piecesOf(run, "\n")
		require.NotEmpty(t, pieces)
		var got strings.Builder
		for i, p := range pieces {
			got.WriteString(p.text)
			assert.True(t, p.low >= 0 && p.high <= run.Length && p.low < p.high)
			if i+1 < len(pieces) && p.then == " " {
				got.WriteString(" ")
			}
			ways := map[int]bool{}
			for _, c := range p.text {
				ways[way(c)] = true
			}
			if len(pieces) > 1 {
				assert.False(t, ways[1] && ways[-1], "%q runs both ways", p.text)
			}
		}
		assert.Equal(t, strings.Join(strings.Fields(run.Text), " "), strings.Join(strings.Fields(got.String()), " "))
		assert.Equal(t, "\n", pieces[len(pieces)-1].then)
	}
}
