package reader_test

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

// titles are the headings of some pages, by index.
var titles = map[int]string{0: "The marsh", 10: "Avocets", 25: "Lapwings in winter", 27: "Redshank nests", 48: "What the tide brings"}

// chapters is a document whose pages begin with a heading of a size, 0 for none.
func chapters(sizes []int) []byte {
	kids := make([]string, len(sizes))
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "", "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>"}
	for i, size := range sizes {
		page := len(objects) + 1
		kids[i] = fmt.Sprintf("%d 0 R", page)
		text := "BT /F 10 Tf 50 700 Td 14 TL " + strings.Repeat("(The counts of the marsh are written down at dawn and at dusk by two people) Tj T* ", 12) + "ET"
		if size > 0 {
			text += fmt.Sprintf(" BT /F %d Tf 50 760 Td (%s) Tj ET", size, titles[i])
		}
		objects = append(objects, fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents %d 0 R /Resources <</Font <</F 3 0 R>>>>>>", page+1), hostile.Stream("", text))
	}
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", strings.Join(kids, " "), len(kids))
	return hostile.Build(objects...)
}

// No heading of the text view skips a level where one part follows another.
func TestHeadingsAcrossParts(t *testing.T) {
	h := testkit.Open(t)
	sizes := make([]int, 60)
	sizes[0], sizes[10], sizes[25], sizes[27], sizes[48] = 24, 14, 18, 14, 14
	d, e, err := h.Intake.Receive(t.Context(), "chapters.pdf", bytes.NewReader(chapters(sizes)), 0)
	require.NoError(t, err)
	h.Examined(t, d.Title)
	h.Indexed(t, e.ID)
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	h.Publish(t, p.ID, setting.Default())
	status, _, _ := read(t, fmt.Sprintf("%s/r/%s/flow/%s/51", h.URL, p.Key, e.SHA256[:16]), nil)
	assert.Equal(t, http.StatusOK, status, "a paragraph that began before goes on over all of the part")
	for page, level := range map[int]int{1: 2, 11: 3, 26: 3, 28: 4, 49: 4} {
		from := page - (page-1)%10
		status, body, _ := read(t, fmt.Sprintf("%s/r/%s/flow/%s/%d", h.URL, p.Key, e.SHA256[:16], from), nil)
		require.Equal(t, http.StatusOK, status, "%d: %s", page, body)
		assert.Regexp(t, fmt.Sprintf("<h%d [^>]*>[^\n]*%s</h%d>", level, titles[page-1], level), body)
	}
}
