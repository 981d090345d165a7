package toolbar_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/toolbar"
)

// Widths by hand, for a document of 52 pages: sides 16, turn 88, number 44 + 6 +
// 38 + 6 = 94, zoom 144, others 44 each, "More" 44.
func TestFit(t *testing.T) {
	s := toolbar.Set{toolbar.Turn, toolbar.Number, toolbar.Zoom, toolbar.FullScreen}
	from, name := s.From(52)
	assert.Equal(t, []float64{16 + 44 + 88, 16 + 44 + 88 + 94, 386, 386}, from, "three of four and More take as much as all four")
	assert.InDelta(t, 386+96, name, 0)
	for width, shown := range map[float64]int{100: 0, 147.9: 0, 148: 1, 241: 1, 242: 2, 385.9: 2, 386: 4, 900: 4} {
		f := s.In(width, 52)
		assert.Len(t, f.Shown, shown, "%g px", width)
		assert.Len(t, f.More, 4-shown, "%g px", width)
	}
	from, name = toolbar.Set{}.From(52)
	assert.Empty(t, from)
	assert.InDelta(t, 16+96, name, 0)
}

func ExampleSet_In() {
	f := toolbar.Set{toolbar.Zoom, toolbar.Print, toolbar.Download}.In(220, 8)
	fmt.Println(f.Shown, f.More)
	// Output: [zoom] [print download]
}
