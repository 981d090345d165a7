package webpage

import (
	"fmt"
	"regexp"
	"strings"

	"golang.org/x/text/language"

	"incipit/internal/core/contrast"
)

// Frame is what all pages of a site have in common.
type Frame struct {
	Name   string `json:"name"`
	Links  []Nav  `json:"links"`  // the navigation, in its order
	Footer string `json:"footer"` // Markdown
	Accent string `json:"accent"` // #rrggbb, of links, buttons and the site's name
	// Language is the one that the pages are written in (BCP 47); English where
	// it is empty.
	Language string `json:"language"`
}

// Written is the language of the pages.
func (f Frame) Written() language.Tag {
	tag, err := language.Parse(f.Language)
	if err != nil {
		return language.English
	}
	return tag
}

// Nav is an entry of the navigation: one of our pages, or an address.
type Nav struct {
	Label   string `json:"label"`
	Page    int64  `json:"page,omitempty"`
	Address string `json:"address,omitempty"`
}

// NewFrame is the frame that a house begins with.
func NewFrame() Frame {
	return Frame{Name: "Our pages", Links: []Nav{}, Accent: "#24467a", Language: "en"}
}

// DarkPaper is the colour of pages on devices that are set to dark; links take the
// accent there as far as it can be read (Frame.InTheDark).
const DarkPaper = "#26252e"

// InTheDark gives the accent for dark pages: itself where it can be read on them, or
// the nearest lighter colour that can.
func (f Frame) InTheDark() string {
	c, _ := contrast.Reach(f.Accent, func(c string) bool { return contrast.Ratio(c, DarkPaper) >= leastContrast })
	return c
}

// Paper is the colour of pages, on which the accent must be read; text on
// buttons has it, too.
const Paper = "#fffdf8"

const (
	mostLinks     = 12
	leastContrast = 4.5 // WCAG 2.2, 1.4.3
)

var colourForm = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// Tidied is the frame without what typing leaves around its language and its accent.
func (f Frame) Tidied() Frame {
	f.Language, f.Accent = strings.TrimSpace(f.Language), strings.ToLower(strings.TrimSpace(f.Accent))
	return f
}

// Check says in a sentence what keeps a frame from being kept, or "".
func (f Frame) Check() string {
	switch {
	case strings.TrimSpace(f.Name) == "" || len([]rune(f.Name)) > 80:
		return "A site has a name of at most 80 letters."
	case len(f.Links) > mostLinks:
		return fmt.Sprintf("A navigation has at most %d entries.", mostLinks)
	case len([]rune(f.Footer)) > mostShort*5:
		return fmt.Sprintf("A footer has at most %d letters.", mostShort*5)
	case !colourForm.MatchString(f.Accent):
		return "The accent is a colour like #24467a."
	}
	if _, err := language.Parse(f.Language); f.Language != "" && err != nil {
		return fmt.Sprintf("“%s” is no language tag. They look like en, pl or pt-BR.", f.Language)
	}
	if ratio := contrast.Ratio(f.Accent, Paper); ratio < leastContrast {
		return fmt.Sprintf("That accent stands %.1f to 1 against the page; text needs %.1f to 1. A darker one can be read.", ratio, leastContrast)
	}
	for _, l := range f.Links {
		switch {
		case strings.TrimSpace(l.Label) == "" || len([]rune(l.Label)) > 40:
			return "Each entry of the navigation has a name of at most 40 letters."
		case l.Page == 0 && !Leads(l.Address):
			return fmt.Sprintf("“%s” leads nowhere: choose a page, or give an address that begins with https:// or /.", l.Label)
		}
	}
	return ""
}

// FrameNamed says a part of the frame in words, by its name in JSON.
func FrameNamed(part string) string {
	return map[string]string{"name": "the name", "links": "the navigation", "footer": "the footer", "accent": "the accent",
		"language": "the language"}[part]
}
