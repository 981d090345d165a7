package desk

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/compare"
	"incipit/internal/library"
)

// What is another one beside the pages is a sentence each, and how far it was looked for is
// said: nothing of a comparison from before, and not "the same" where not all was read.
func TestWhatIsBesideThePagesInWords(t *testing.T) {
	for _, c := range []struct {
		d    compare.Difference
		want string
	}{
		{compare.Difference{What: compare.LinkBeside, Change: compare.Changed, Page: 2, Was: "3", Is: "https://harrowmere.example/"}, "A link on page 2 led to page 3, and leads to https://harrowmere.example/."},
		{compare.Difference{What: compare.NoteBeside, Change: compare.Removed, Page: 1, Was: ""}, "A note on page 1 is gone: it said nothing."},
		{compare.Difference{What: compare.FieldBeside, Change: compare.Changed, Name: "hide", Was: "north", Is: "south"}, "The field “hide” held “north”, and holds “south”."},
		{compare.Difference{What: compare.FileBeside, Change: compare.Changed, Name: "counts.csv", Was: "a", Is: "b"}, "The file inside “counts.csv” has other bytes."},
		{compare.Difference{What: compare.LayerBeside, Change: compare.Added, Name: "Tides", Is: "off"}, "The layer “Tides” is new: it is off at first."},
		{compare.Difference{What: compare.FactBeside, Change: compare.Added, Name: "no-printing", Is: "yes"}, "The file forbids printing now."},
		{compare.Difference{What: compare.FactBeside, Change: compare.Removed, Name: "tagged", Was: "yes"}, "The file no longer has tags for screen readers."},
		{compare.Difference{What: compare.FactBeside, Change: compare.Changed, Name: "title", Was: "Tides", Is: "Tides 2027"}, "The file’s title was “Tides”, and is “Tides 2027”."},
	} {
		assert.Equal(t, c.want, differenceSaid(c.d))
	}
	said := func(c library.Compared) string {
		list, known := besideSaid(c)
		return fmt.Sprint(len(list), " ", known)
	}
	one := []compare.Difference{{What: compare.LayerBeside, Change: compare.Added, Name: "Tides", Is: "on"}}
	assert.Equal(t, "0 ", said(library.Compared{}))
	assert.Equal(t, "0 Links, notes, filled-in fields, files inside, layers and what the file says of itself are the same.", said(library.Compared{BesideRead: true}))
	assert.Contains(t, said(library.Compared{BesideRead: true, BesideUnread: true}), "Not all")
	assert.Equal(t, "1 ", said(library.Compared{BesideRead: true, Beside: one}))
	assert.Equal(t, "1 4 more differences are not listed here.", said(library.Compared{BesideRead: true, Beside: one, MoreBeside: 4}))
}
