package site

import (
	"html/template"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"incipit/internal/core/webpage"
	"incipit/internal/reader/words"
)

// wording is the language that a site is written in, and the few words that are
// ours: in the same language, or in the nearest that we have.
type wording struct {
	Language  string // BCP 47
	Direction string // ltr or rtl
	ours      words.Language
}

func (s *Site) wording(f webpage.Frame) wording {
	tag := f.Written()
	return wording{tag.String(), words.Direction(tag), s.words.For(tag.String())}
}

// Say gives a message.
func (w wording) Say(name string, places ...any) (string, error) { return w.ours.Say(name, places...) }

// Latin says whether the pages are written in Latin letters, so that fonts for
// them are fetched early.
func (w wording) Latin() bool {
	script, _ := language.Make(w.Language).Script()
	return script.String() == "Latn"
}

// Lang is the lang attribute of our words, where they are in another language
// than the page (WCAG 2.2, 3.1.2).
func (w wording) Lang() template.HTMLAttr {
	page, _ := language.Make(w.Language).Base()
	if own, _ := language.Make(w.ours.Tag).Base(); own == page {
		return ""
	}
	return template.HTMLAttr(` lang="` + w.ours.Tag + `" dir="` + w.ours.Direction + `"`) //nolint:gosec // tags of our own
}

// Spoken is a language that we have words in, with its own name.
type Spoken struct{ Tag, Name string }

// Spoken lists them.
func (s *Site) Spoken() []Spoken {
	out := []Spoken{}
	for _, tag := range s.words.Tags() {
		out = append(out, Spoken{tag.String(), display.Self.Name(tag)})
	}
	return out
}
