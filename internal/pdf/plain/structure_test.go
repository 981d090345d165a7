package plain_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf/plain"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/paper"
)

func never() bool { return false }

func structured(t *testing.T, most int, objects ...string) plain.Structure {
	t.Helper()
	f, err := plain.Read(hostile.Build(append([]string{
		"<</Type /Catalog /Pages 2 0 R /MarkInfo <</Marked true>> /StructTreeRoot 4 0 R>>",
		"<</Type /Pages /Kids [3 0 R] /Count 1>>", "<</Type /Page /Parent 2 0 R /MediaBox [0 0 9 9]>>"}, objects...)...))
	require.NoError(t, err)
	return f.Structure(most, never)
}

// A structure that goes in circles, is deeper or longer than any, or names what is not
// there, is read as far as it can be.
func TestStructuresThatMeanHarm(t *testing.T) {
	circle := structured(t, 100, "<</Type /StructTreeRoot /K 5 0 R>>", "<</S /Sect /K [6 0 R 5 0 R]>>", "<</S /Figure /K 5 0 R /Pg 3 0 R>>")
	assert.Equal(t, []plain.Element{{Kind: "Figure", Page: 1, Object: 6}}, circle.Elements)
	roles := structured(t, 100, "<</Type /StructTreeRoot /RoleMap <</A /B /B /A>> /K 5 0 R>>", "<</S /A /K <</S /H2>>>>")
	assert.Equal(t, []plain.Element{{Kind: "H2", Level: 2}}, roles.Elements)
	deep := structured(t, 100, "<</Type /StructTreeRoot /K 5 0 R>>",
		strings.Repeat("<</S /Sect /K ", 40)+"<</S /Figure /Alt (A knot)>>"+strings.Repeat(">>", 40))
	assert.Equal(t, []plain.Element{{Kind: "Figure", Described: true}}, deep.Elements)
	var kids, figures []string
	for i := range 300 {
		kids = append(kids, fmt.Sprintf("%d 0 R", 5+i))
		figures = append(figures, "<</S /Figure>>")
	}
	long := structured(t, 100, append([]string{"<</Type /StructTreeRoot /K [" + strings.Join(kids, " ") + " 999 0 R null 7]>>"}, figures...)...)
	assert.Len(t, long.Elements, 100)
	assert.True(t, long.Cut)
	f, err := plain.Read(paper.Sound().PDF())
	require.NoError(t, err)
	assert.True(t, f.Structure(1000, func() bool { return true }).Tagged, "a few dozen elements are always read")
}

// What a described figure holds is described by it, as is a table within a table by itself.
func TestElementsInElements(t *testing.T) {
	s := structured(t, 100, "<</Type /StructTreeRoot /K [5 0 R 6 0 R]>>",
		"<</S /Figure /Alt (The marsh in spring) /K <</S /Figure>>>>",
		"<</S /Table /Pg 3 0 R /K [<</S /TR /K [<</S /TD /K <</S /Table /K <</S /TR /K [<</S /TH>> <</S /TD>>]>>>>>>]>>]>>")
	assert.Equal(t, []plain.Element{{Kind: "Figure", Described: true}, {Kind: "Table", Page: 1, Cells: 1}, {Kind: "Table", Page: 1, Heads: 1, Cells: 2}}, s.Elements)
}
