// Package toolbar is the reader's tools: which there are, in what order they
// stand, and which of those an editor chose a reader is really given.
package toolbar

import (
	"encoding/json"
	"fmt"
	"slices"
)

// Tool is one tool of the reader's toolbar.
type Tool string

// The tools.
const (
	Turn       Tool = "turn"       // previous and next page
	Number     Tool = "number"     // page number entry
	Zoom       Tool = "zoom"       // smaller, larger
	Download   Tool = "download"   // the file
	Print      Tool = "print"      // print view
	FullScreen Tool = "fullscreen" // the whole screen
	Contents   Tool = "contents"   // the outline
	Overview   Tool = "overview"   // all pages, small
	Find       Tool = "find"       // words in the document
	Text       Tool = "text"       // the text view
	Rotate     Tool = "rotate"     // by quarter turns
	Pointer    Tool = "pointer"    // selects text, or drags the page
	Layers     Tool = "layers"     // optional content of the file
	Link       Tool = "link"       // copies the address of a place
	About      Tool = "about"      // what is known of the document
)

// All lists every tool in the order a toolbar starts from.
func All() []Tool {
	return []Tool{Turn, Number, Contents, Find, Overview, Zoom, Text, FullScreen, Print, Download, About, Link, Pointer, Rotate, Layers}
}

// Name is a tool's name for an editor.
func (t Tool) Name() string {
	return map[Tool]string{
		Turn: "Page turn", Number: "Page number", Zoom: "Zoom",
		Download: "Download", Print: "Print", FullScreen: "Full screen", Contents: "Contents",
		Overview: "Overview", Find: "Find", Text: "Text view", Rotate: "Rotate", Pointer: "Select or drag",
		Layers: "Layers", Link: "Link to a place", About: "About",
	}[t]
}

// Set is a choice of tools in the order they stand, without repetition.
type Set []Tool

// Has says whether a tool is in the set.
func (s Set) Has(t Tool) bool { return slices.Contains(s, t) }

// Once gives the set with each tool once, unknown ones left out. It is never
// nil, so that an empty choice is written as an empty list.
func (s Set) Once() Set {
	out := Set{}
	for _, t := range s {
		if slices.Contains(All(), t) && !out.Has(t) {
			out = append(out, t)
		}
	}
	return out
}

// Without gives the set without some tools.
func (s Set) Without(tools ...Tool) Set {
	return slices.DeleteFunc(slices.Clone(s), func(t Tool) bool { return slices.Contains(tools, t) })
}

// UnmarshalJSON reads a list of tools and refuses unknown ones.
func (s *Set) UnmarshalJSON(b []byte) error {
	var tools []Tool
	if err := json.Unmarshal(b, &tools); err != nil {
		return fmt.Errorf("read the tools: %w", err)
	}
	for _, t := range tools {
		if !slices.Contains(All(), t) {
			return fmt.Errorf("there is no tool %q", string(t))
		}
	}
	*s = Set(tools).Once()
	return nil
}

// Allowed is what a placement lets readers do, and what its document holds, as
// far as tools depend on it.
type Allowed struct {
	Toolbar, Navigation, Download, Print, Copying, TextView bool
	Guarded                                                 bool // addresses open nothing by themselves
	Holds
}

// Holds is what a document has that tools work on.
type Holds struct {
	Pages    int
	Headings int // of the outline that lead to a page
	Layers   int // with a name
	Text     bool
	Locked   bool // it asks for a password: what is on a page is shown, nothing is kept of the whole
}

// Anew says whether the text can be set anew and searched as a whole.
func (h Holds) Anew() bool { return h.Text && !h.Locked }

// Closed says, in words for an editor, why a tool would not be given: its deed
// is not allowed or has no object. Turning needs navigation and a second page.
// A tool that would be given is not in the map.
func Closed(a Allowed) map[Tool]string {
	out := map[Tool]string{}
	for _, t := range []Tool{Turn, Number, Overview} {
		switch {
		case !a.Navigation:
			out[t] = "Page navigation is off"
		case a.Pages < 2:
			out[t] = "The document has one page"
		}
	}
	switch {
	case !a.Navigation:
		out[Contents] = "Page navigation is off"
	case a.Headings == 0:
		out[Contents] = "The document has no contents"
	}
	if !a.Text {
		out[Find], out[Text], out[Pointer] = "The document has no text", "The document has no text", "The document has no text"
	}
	if !a.TextView {
		out[Text] = "The text view is closed"
	}
	if !a.Copying {
		out[Pointer] = "Readers may not take the text"
	}
	if a.Guarded {
		out[Link] = "The document is guarded: an address alone opens nothing"
	}
	if a.Layers == 0 {
		out[Layers] = "The document has no layers"
	}
	if !a.Download {
		out[Download] = "Readers may not take the file"
	}
	if !a.Print {
		out[Print] = "Readers may not take a printout"
	}
	if a.Locked {
		for _, t := range []Tool{Contents, Find, Text, About} {
			out[t] = "The document asks for a password"
		}
	}
	return out
}

// Given lists the tools a reader is really given: those chosen that are not
// closed, and none without a toolbar.
func (s Set) Given(a Allowed) Set {
	out := Set{}
	if !a.Toolbar {
		return out
	}
	closed := Closed(a)
	for _, t := range s.Once() {
		if closed[t] == "" {
			out = append(out, t)
		}
	}
	return out
}
