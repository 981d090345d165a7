package report_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/report"
)

func headings(levels ...int) (out []report.Element) {
	for i, l := range levels {
		out = append(out, report.Element{Kind: report.HeadingElement, Level: l, Page: i + 1})
	}
	return out
}

func kinds(r report.Report) (out []report.Kind) {
	for _, f := range r.Findings {
		out = append(out, f.Kind)
	}
	return out
}

// sound is a document without a fault, but for what its structure says.
func sound(s report.Structure) report.Document {
	s.Tagged, s.Language = true, "en"
	return report.Document{FileName: "tides.pdf", Title: "Tides at the sluice", Structure: s,
		Pages: []report.Page{{Letters: 40, Drawn: true, Text: "The tide comes in."}}}
}

// Headings that never go down by more than one level are sound, however they come up;
// one that does is found where it stands, and no other one.
func TestHeadingsOfAnyOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(16, 3))
	for range 2000 {
		levels := []int{1}
		for range r.IntN(30) {
			levels = append(levels, 1+r.IntN(min(levels[len(levels)-1]+1, 9)))
		}
		assert.Empty(t, report.Of(sound(report.Structure{Elements: headings(levels...)})).Findings, "%v", levels)
		at := r.IntN(len(levels))
		before := 0
		if at > 0 {
			before = levels[at-1]
		}
		// What follows may be any number of levels up from it, but must not be down.
		levels[at] = before + 2 + r.IntN(3)
		got := report.Of(sound(report.Structure{Elements: headings(levels[:at+1]...)})).Findings
		if assert.Len(t, got, 1, "%v", levels[:at+1]) {
			assert.Equal(t, []any{report.HeadingSkips, at + 1}, []any{got[0].Kind, got[0].Page})
		}
	}
}

func TestWhatIsFound(t *testing.T) {
	with := func(change func(*report.Document)) report.Document {
		d := sound(report.Structure{})
		change(&d)
		return d
	}
	figure := func(described bool) report.Element {
		return report.Element{Kind: report.FigureElement, Page: 1, Described: described}
	}
	for name, c := range map[string]struct {
		of   report.Document
		want []report.Kind
	}{
		"nothing":           {sound(report.Structure{}), nil},
		"headings":          {sound(report.Structure{Elements: headings(0, 0)}), nil}, // H alone has no level
		"a table of layout": {sound(report.Structure{Elements: []report.Element{{Kind: report.TableElement}}}), nil},
		"a table":           {sound(report.Structure{Elements: []report.Element{{Kind: report.TableElement, Cells: 4}}}), []report.Kind{report.TableWithoutHeaders}},
		"figures":           {sound(report.Structure{Elements: []report.Element{figure(true), figure(false)}}), []report.Kind{report.FigureWithoutAlternative}},
		"untagged":          {with(func(d *report.Document) { d.Structure.Tagged, d.Structure.Elements = false, headings(3) }), []report.Kind{report.NotTagged}},
		"a scan":            {with(func(d *report.Document) { d.Pages[0] = report.Page{Drawn: true} }), []report.Kind{report.PageWithoutText}},
		"a picture that is described": {with(func(d *report.Document) {
			d.Pages[0] = report.Page{Drawn: true}
			d.Structure.Elements = []report.Element{figure(true)}
		}), nil},
		"an empty page":           {with(func(d *report.Document) { d.Pages[0] = report.Page{} }), nil},
		"lost letters":            {with(func(d *report.Document) { d.Pages[0].Lost = 1 }), []report.Kind{report.FontWithoutUnicode}},
		"a font of codes, unused": {with(func(d *report.Document) { d.Pages[0] = report.Page{}; d.Structure.Speechless = []int{1} }), nil},
		"no language is meant":    {with(func(d *report.Document) { d.Structure.Language = "" }), []report.Kind{report.NoLanguage}},
	} {
		assert.Equal(t, c.want, kinds(report.Of(c.of)), name)
	}
}

// A part in another language does not make the document's the wrong one; most of the
// text in another one does.
func TestLanguagesSideBySide(t *testing.T) {
	english := strings.Repeat("The marsh is open from sunrise to sunset, and the tide comes in faster than a person can walk. ", 20)
	polish := strings.Repeat("Bagno jest otwarte od świtu do zmierzchu, a przypływ nadchodzi szybciej, niż człowiek potrafi iść. ", 20)
	page := func(text string) report.Page { return report.Page{Letters: len(text), Drawn: true, Text: text} }
	for _, c := range []struct {
		named string
		pages []report.Page
		wrong bool
		guess string
	}{
		{"en", []report.Page{page(english), page(polish)}, false, "en"},
		{"en", []report.Page{page(english), page(polish), page(polish)}, false, "pl"},
		{"en", []report.Page{page(polish), page(polish)}, true, "pl"},
		{"pl-PL", []report.Page{page(polish)}, false, "pl"},
		{"en", []report.Page{page("Pl. 4, fig. 2")}, false, ""},
	} {
		d := sound(report.Structure{})
		d.Structure.Language, d.Pages = c.named, c.pages
		if got := report.Of(d); c.wrong {
			assert.Equal(t, []report.Kind{report.WrongLanguage}, kinds(got), "%s", c.named)
		} else {
			assert.Empty(t, got.Findings, "%s", c.named)
			assert.Equal(t, c.guess, got.Guess)
		}
	}
}

func TestFindingsOfOneKindAreSaidOnce(t *testing.T) {
	d := sound(report.Structure{Unnamed: []report.Field{{Name: "date", Page: 2}, {Name: "date", Page: 2}}})
	for range 20 {
		d.Pages = append(d.Pages, report.Page{Drawn: true})
	}
	groups, more := report.Grouped(report.Of(d).Findings)
	assert.Zero(t, more)
	if assert.Len(t, groups, 2) {
		assert.Equal(t, "Page 2", groups[0].Where(), "twice on one page")
		assert.Equal(t, report.PageWithoutText, groups[1].Kind)
		assert.Equal(t, "Pages 2 to 21", groups[1].Where())
	}
	assert.Equal(t, "Pages 1, 2, 4 to 6 and 9", report.Group{Pages: []int{1, 2, 4, 5, 6, 9}}.Where())
	var odd []int
	for page := 1; page < 60; page += 2 {
		odd = append(odd, page)
	}
	assert.Equal(t, "Pages 1, 3, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23 and 18 more", report.Group{Pages: odd}.Where())
	d.Pages, d.Title = d.Pages[:4], ""
	groups, _ = report.Grouped(report.Of(d).Findings)
	for i := range 300 {
		d.Structure.Unnamed = append(d.Structure.Unnamed, report.Field{Name: fmt.Sprint("field ", i), Page: 1})
	}
	all := report.Of(d)
	many, more := report.Grouped(all.Findings)
	assert.Equal(t, len(all.Findings), len(many)+more, "what is not listed is counted; those that are stand there once each")
	assert.Len(t, many, 100)
	assert.Equal(t, []string{"", "Page 2", "Pages 2 to 4"}, []string{groups[0].Where(), groups[1].Where(), groups[2].Where()})
}

// What is of everybody's concern is told of documents that were looked at closely, apart
// from what concerns those who do not see them: the palest text of a page, each font that is
// missing, and a file that is far heavier than pictures of it.
func TestNotes(t *testing.T) {
	d := sound(report.Structure{Absent: []report.FontOn{{Name: "Helvetica", Page: 1}, {Name: "Helvetica", Page: 2}}})
	assert.Empty(t, report.Of(d).Notes, "it was not looked at closely")
	d.Closely = &report.Closely{Bytes: 9 << 20, Pictured: 1 << 20, Pale: []report.Pale{{Page: 2, Ratio: 3.2, Needs: 4.5, Letters: 9}, {Page: 2, Ratio: 2.1, Needs: 4.5, Letters: 4}, {Page: 2, Ratio: 2.9, Needs: 3, Letters: 40}}}
	got := report.Of(d)
	assert.Empty(t, got.Findings)
	var kinds []report.Kind
	for _, n := range got.Notes {
		kinds = append(kinds, n.Kind)
	}
	assert.Equal(t, []report.Kind{report.HeavierThan, report.FontAbsent, report.FontAbsent, report.LowContrast}, kinds)
	assert.Contains(t, got.Notes[3].Sentence, "2.1 to 1, where 4.5 to 1")
	groups, _ := report.Grouped(got.Notes)
	assert.Equal(t, []int{1, 2}, groups[1].Pages)
	d.Closely.Pictured = 3 << 20
	assert.NotEqual(t, report.HeavierThan, report.Of(d).Notes[0].Kind, "pictures of it have a third as much")
	many := report.Closely{}
	for page := range 900 {
		many.Pale = append(many.Pale, report.Pale{Page: page + 1, Ratio: 2, Needs: 3})
	}
	d.Closely = &many
	assert.Len(t, report.Of(d).Notes, 500)
}
