package compare

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit/vary"
)

// Thirty pairs, each with one thing beside its pages that is another one: it is found, and
// nothing else is; also where pages were put in before it.
func TestWhatIsBesideThePages(t *testing.T) {
	r := vary.Rand(264)
	for round := range 30 {
		pages := 3 + r.IntN(6)
		var b Beside
		for n := range 4 + r.IntN(8) {
			page := 1 + n*pages/12
			b.Links = append(b.Links, Link{Page: page, Address: fmt.Sprintf("https://harrowmere.example/%d", n)}, Link{Page: page, To: 1 + r.IntN(pages)})
			b.Notes = append(b.Notes, Note{Page: page, Kind: "Text", By: "Maren", Text: fmt.Sprint("note ", n)})
			b.Values = append(b.Values, Fact{fmt.Sprint("field ", n), fmt.Sprint(r.IntN(100))})
			b.Files = append(b.Files, Fact{fmt.Sprint("count-", n, ".csv"), "sum"})
			b.Layers = append(b.Layers, Fact{fmt.Sprint("layer ", n), "on"})
			b.Facts = append(b.Facts, Fact{fmt.Sprint("fact ", n), "is so"})
		}
		now := Beside{Links: slices.Clone(b.Links), Notes: slices.Clone(b.Notes), Values: slices.Clone(b.Values),
			Files: slices.Clone(b.Files), Layers: slices.Clone(b.Layers), Facts: slices.Clone(b.Facts)}
		// A page was put in before all others, or none.
		shift := round % 2
		var c Comparison
		if shift == 1 {
			c.Pages = append(c.Pages, Pair{New: 1, Change: Added})
		}
		for p := 1; p <= pages; p++ {
			c.Pages = append(c.Pages, Pair{Old: p, New: p + shift, Change: Same})
		}
		for i := range now.Links {
			now.Links[i].Page += shift
			if now.Links[i].To > 0 {
				now.Links[i].To += shift
			}
		}
		for i := range now.Notes {
			now.Notes[i].Page += shift
		}
		if shift == 1 {
			now.Links = append([]Link{{Page: 1, Address: "https://of-the-new-page.example/"}}, now.Links...)
		}
		require.Empty(t, DifferBeside(b, now, c), "round %d", round)
		var want Difference
		i := r.IntN(len(b.Notes))
		switch round / 2 % 6 {
		case 0:
			l := &now.Links[2*i+shift]
			want = Difference{What: LinkBeside, Change: Changed, Page: l.Page, Was: l.Address, Is: "https://elsewhere.example/"}
			l.Address = "https://elsewhere.example/"
		case 1:
			n := now.Notes[i]
			want = Difference{What: NoteBeside, Change: Removed, Page: n.Page - shift, Was: n.Text}
			now.Notes = slices.Delete(now.Notes, i, i+1)
		case 2:
			want = Difference{What: FieldBeside, Change: Changed, Name: now.Values[i].Name, Was: now.Values[i].Value, Is: "101"}
			now.Values[i].Value = "101"
		case 3:
			want = Difference{What: FileBeside, Change: Changed, Name: now.Files[i].Name, Was: "sum", Is: "another"}
			now.Files[i].Value = "another"
		case 4:
			want = Difference{What: LayerBeside, Change: Added, Name: "tides", Is: "off"}
			now.Layers = append(now.Layers, Fact{"tides", "off"})
		case 5:
			want = Difference{What: FactBeside, Change: Removed, Name: now.Facts[i].Name, Was: "is so"}
			now.Facts = slices.Delete(now.Facts, i, i+1)
		}
		require.Equal(t, []Difference{want}, DifferBeside(b, now, c), "round %d", round)
	}
	long := DifferBeside(Beside{}, Beside{Facts: []Fact{{"title", strings.Repeat("é", mostQuoted+1)}}}, Comparison{})
	assert.Equal(t, strings.Repeat("é", mostQuoted)+"…", long[0].Is)
	exact := DifferBeside(Beside{}, Beside{Facts: []Fact{{"title", strings.Repeat("é", mostQuoted)}}}, Comparison{})
	assert.Equal(t, strings.Repeat("é", mostQuoted), exact[0].Is)
	// A link to a page that is gone leads elsewhere.
	c := Comparison{Pages: []Pair{{Old: 1, New: 1, Change: Same}, {Old: 2, Change: Removed}, {Old: 3, New: 2, Change: Same}}}
	assert.Equal(t, []Difference{{What: LinkBeside, Change: Changed, Page: 1, Was: "2", Is: "2"}},
		DifferBeside(Beside{Links: []Link{{Page: 1, To: 2}}}, Beside{Links: []Link{{Page: 1, To: 2}}}, c))
}
