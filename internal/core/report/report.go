// Package report says what is wrong with a document for people who do not see its
// pages, or who only have its file: in plain words, with the page and, where one exists,
// the clause of PDF/UA (ISO 14289-1) and the success criterion of WCAG 2.2. What can be
// told by looking at a file is told; whether a description is a good one is for people.
package report

import (
	"cmp"
	"fmt"
	"slices"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"incipit/internal/core/naming"
	"incipit/internal/core/textflow"
)

// Kind is what is wrong.
type Kind string

// The kinds.
const (
	NoTitle                  Kind = "no-title"
	NoLanguage               Kind = "no-language"
	WrongLanguage            Kind = "wrong-language"
	NotTagged                Kind = "not-tagged"
	PageWithoutText          Kind = "page-without-text"
	HeadingSkips             Kind = "heading-skips"
	FigureWithoutAlternative Kind = "figure-without-alternative"
	TableWithoutHeaders      Kind = "table-without-headers"
	FieldWithoutName         Kind = "field-without-name"
	FontWithoutUnicode       Kind = "font-without-unicode"
)

// clauses are where it is asked for: in ISO 14289-1:2014, and in WCAG 2.2.
var clauses = map[Kind]string{
	NoTitle:                  "PDF/UA-1 7.1; WCAG 2.2 2.4.2",
	NoLanguage:               "PDF/UA-1 7.2; WCAG 2.2 3.1.1",
	WrongLanguage:            "PDF/UA-1 7.2; WCAG 2.2 3.1.1",
	NotTagged:                "PDF/UA-1 7.1; WCAG 2.2 1.3.1",
	PageWithoutText:          "WCAG 2.2 1.1.1, 1.4.5",
	HeadingSkips:             "PDF/UA-1 7.4.2; WCAG 2.2 1.3.1",
	FigureWithoutAlternative: "PDF/UA-1 7.3; WCAG 2.2 1.1.1",
	TableWithoutHeaders:      "PDF/UA-1 7.5; WCAG 2.2 1.3.1",
	FieldWithoutName:         "PDF/UA-1 7.18.1; WCAG 2.2 4.1.2",
	FontWithoutUnicode:       "PDF/UA-1 7.21.7; WCAG 2.2 1.3.1",
	LowContrast:              "WCAG 2.2 1.4.3",
	FontAbsent:               "PDF/UA-1 7.21.4.1",
}

// Finding is one thing that is wrong. Page counts from 1; 0 is the whole document.
type Finding struct {
	Kind     Kind   `json:"kind"`
	Page     int    `json:"page"`
	Clause   string `json:"clause"`
	Sentence string `json:"sentence"`
}

// Report is what is said of a document. Language is what the file names, as a tag of BCP
// 47 where it is one; Guess is the language of most of its text, "" where that cannot be
// told.
type Report struct {
	Language string    `json:"language"`
	Guess    string    `json:"language_guess"`
	Findings []Finding `json:"findings"`
	// Notes are of everybody's concern: what is hard to read, and what is hard to fetch. They
	// are told of documents that are looked at closely (see Closely).
	Notes []Finding `json:"notes,omitempty"`
	// Close says that it was looked at closely, as far as that could be done.
	Close bool `json:"close,omitempty"`
}

// Page is what is known of one page.
type Page struct {
	// Letters are those of its text, Lost those of which nothing tells what they are.
	Letters, Lost int
	// Drawn says that there is something to see.
	Drawn bool
	// Text is its beginning, of which the language is told.
	Text string
}

// Document is what is known of a document.
type Document struct {
	FileName  string
	Title     string
	Structure Structure
	Pages     []Page
	// Unread counts pages that nothing is known of.
	Unread int
	// Closely is what is known of a document that was looked at closely; nil of another one.
	Closely *Closely
}

// mostFindings bounds a report: a file of a million faults is told by its first ones.
const mostFindings = 5000

// Of reports on a document.
func Of(d Document) Report {
	r := Report{Language: cmp.Or(textflow.Language(d.Structure.Language), d.Structure.Language), Findings: []Finding{}}
	spoken := spokenIn(d.Pages)
	r.Guess = spoken.most()
	r.title(d)
	r.language(d, spoken)
	if !d.Structure.Tagged {
		r.found(NotTagged, 0, "The file is not tagged: nothing in it says what is a heading, a list or a table, and in which order it is read.")
	}
	r.elements(d.Structure)
	r.pages(d)
	if d.Closely != nil {
		r.Notes, r.Close = d.notes(), true
	}
	slices.SortStableFunc(r.Findings, func(a, b Finding) int { return cmp.Compare(a.Page, b.Page) })
	return r
}

func (r *Report) found(kind Kind, page int, sentence string, args ...any) {
	if len(r.Findings) < mostFindings {
		r.Findings = append(r.Findings, Finding{kind, page, clauses[kind], fmt.Sprintf(sentence, args...)})
	}
}

func (r *Report) title(d Document) {
	switch {
	case d.Title == "":
		r.found(NoTitle, 0, "The file has no title: windows, lists and search engines show the name of the file instead.")
	case naming.Title(d.Title, d.FileName) == "":
		r.found(NoTitle, 0, "The file’s title, “%s”, is the name of a file or of a program, and says nothing of what is in it.", d.Title)
	}
}

func (r *Report) language(d Document, spoken spoken) {
	named := d.Structure.Language
	if named == "" {
		if r.Guess != "" {
			r.found(NoLanguage, 0, "The file does not say which language it is in: screen readers read it in their own. Its text looks like %s.", name(r.Guess))
		} else {
			r.found(NoLanguage, 0, "The file does not say which language it is in: screen readers read it in their own.")
		}
		return
	}
	tag := textflow.Language(named)
	switch {
	case tag == "":
		r.found(WrongLanguage, 0, "The file calls its language “%s”, which is no language’s tag; %s is that of English.", named, "“en”")
	case spoken.against(tag):
		r.found(WrongLanguage, 0, "The file says that it is in %s, and its text looks like %s: screen readers mispronounce it.", name(tag), name(r.Guess))
	}
}

// name gives a language's English name.
func name(tag string) string {
	t, err := language.Parse(tag)
	if err != nil {
		return tag
	}
	return cmp.Or(display.English.Languages().Name(t), tag)
}

// elements looks at what a tagged file is made of.
func (r *Report) elements(s Structure) {
	if !s.Tagged {
		return
	}
	before := 0
	for _, e := range s.Elements {
		switch e.Kind {
		case HeadingElement:
			if e.Level == 0 {
				continue // of a structure whose levels are those of its sections (7.4.4)
			}
			switch {
			case e.Level > before+1 && before == 0:
				r.found(HeadingSkips, e.Page, "The first heading is of level %d: one of level 1 is missing before it.", e.Level)
			case e.Level > before+1:
				r.found(HeadingSkips, e.Page, "A heading of level %d follows one of level %d: a level is left out between them.", e.Level, before)
			}
			before = e.Level
		case FigureElement:
			if !e.Described {
				r.found(FigureWithoutAlternative, e.Page, "A picture or drawing has no alternative text: who does not see it is not told what it shows.")
			}
		case TableElement:
			if e.Cells > 0 && e.Heads == 0 {
				r.found(TableWithoutHeaders, e.Page, "A table has no header cells: who hears it is not told which row and column a cell is in.")
			}
		}
	}
}

// pages looks at each page, and at the fields on it.
func (r *Report) pages(d Document) {
	described := map[int]bool{}
	for _, e := range d.Structure.Elements {
		if e.Kind == FigureElement && e.Described {
			described[e.Page] = true
		}
	}
	for _, f := range d.Structure.Unnamed {
		r.found(FieldWithoutName, f.Page, "The form field “%s” has no name for people: screen readers say its kind alone, or a name made for programs.", f.Name)
	}
	speechless := map[int]bool{}
	for _, page := range d.Structure.Speechless {
		speechless[page] = true
	}
	for i, p := range d.Pages {
		number := i + 1
		switch {
		case p.Letters == 0 && p.Drawn && !described[number]:
			r.found(PageWithoutText, number, "The page is a picture without text: it cannot be searched, copied or read aloud, and people who do not see it get nothing.")
		case p.Letters > 0 && (p.Lost > 0 || speechless[number]):
			r.found(FontWithoutUnicode, number, "A font on the page does not say which characters its shapes are: what is set in it cannot be searched, copied or read aloud reliably.")
		}
	}
}
