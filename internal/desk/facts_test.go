package desk

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/sheet"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

func TestFactsOf(t *testing.T) {
	a4, a3 := sheet.Sheet{Width: 595.28, Height: 841.89}, sheet.Sheet{Width: 1190.55, Height: 841.89}
	for name, c := range map[string]struct {
		edition library.Edition
		want    []string
	}{
		"examining": {library.Edition{State: library.Examining, Pages: 52, PagesKnown: 1, Bytes: 254_679, Sheets: []sheet.Sheet{a4}},
			[]string{"595 × 842 pt, 52 pages, 255 KB.", "Still being examined: 1 of 52 pages."}},
		"failed": {library.Edition{State: library.Failed, Pages: 1, Bytes: 900, Sheets: []sheet.Sheet{a4},
			ProblemMessage: "Page 1 cannot be read."},
			[]string{"595 × 842 pt, 1 page, 900 bytes.", "Page 1 cannot be read."}},
		"scan": {library.Edition{State: library.Ready, Pages: 1, Bytes: 3_065_598, Sheets: []sheet.Sheet{a4}},
			[]string{"595 × 842 pt, 1 page, 3.1 MB.", "It holds pictures of pages, no text."}},
		"form, mixed, tagged": {library.Edition{State: library.Ready, Pages: 2, Bytes: 1000, Sheets: []sheet.Sheet{a4, a3}, HasText: true,
			Indexed: 2,
			Facts:   pdf.Facts{Tagged: true, Outline: make([]pdf.Heading, 1), Fields: make([]pdf.Field, 3)}},
			[]string{"595 × 842 pt, 2 pages, 1 KB.", "Its pages have 2 different sizes.",
				"Its text can be selected and is tagged for assistive technology.", "1 heading in its contents.", "3 form fields."}},
		"text on its way": {library.Edition{State: library.Ready, Pages: 2, Bytes: 1000, Sheets: []sheet.Sheet{a4, a4}, HasText: true,
			Indexed: 1},
			[]string{"595 × 842 pt, 2 pages, 1 KB.", "Its text can be selected.",
				"Its text is being read: that of 1 page so far, which readers find and copy."}},
	} {
		assert.Equal(t, c.want, factsOf(c.edition), name)
	}
}
