package intake

import (
	"errors"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf"
)

// Whichever pages are too much for the engine: they alone are lost, each other one is read
// once, and few requests are made in vain.
func TestSpansLoseNothingElse(t *testing.T) {
	random := rand.New(rand.NewPCG(26, 1))
	for range 500 {
		all := pagesFrom(1, 1+random.IntN(300))
		heavy := map[int]bool{}
		for range random.IntN(6) {
			heavy[1+random.IntN(len(all))] = true
		}
		read, lost, vain := []int{}, []int{}, 0
		require.NoError(t, spans(all, 1+random.IntN(60), func(pages []int) error {
			if slices.ContainsFunc(pages, func(p int) bool { return heavy[p] }) {
				vain++
				return pdf.Problemf([]pdf.Kind{pdf.TookTooLong, pdf.OutOfMemory}[vain%2], "It is too much.")
			}
			read = append(read, pages...)
			return nil
		}, func(page int) { lost = append(lost, page) }))
		assert.True(t, slices.IsSorted(read))
		assert.Len(t, lost, len(heavy))
		for _, page := range lost {
			assert.True(t, heavy[page])
		}
		assert.Len(t, read, len(all)-len(heavy))
		assert.LessOrEqual(t, vain, len(heavy)*8, "halves of 60 are 7 deep")
	}
}

func TestSpansEnd(t *testing.T) {
	asked, lost := 0, 0
	require.NoError(t, spans(pagesFrom(1, 10_000), 1, func([]int) error {
		asked++
		return pdf.Problemf(pdf.TookTooLong, "It is too much.")
	}, func(int) { lost++ }))
	assert.Equal(t, mostLost, asked, "a file that is made to do harm is left after some pages")
	assert.Equal(t, 10_000, lost, "and each page is named")
	away := errors.New("the store is away")
	assert.ErrorIs(t, spans(pagesFrom(1, 9), 4, func([]int) error { return away }, func(int) { lost = -1 }), away)
	broken := pdf.Problemf(pdf.Damaged, "It is damaged.")
	assert.Equal(t, error(broken), spans(pagesFrom(1, 9), 4, func([]int) error { return broken }, func(int) { lost = -1 }))
	assert.Equal(t, 10_000, lost)
}
