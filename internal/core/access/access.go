// Package access says who may do what with what.
//
// Every route of the house asks here before it answers; a control that is not
// shown is a courtesy, this is the rule.
package access

import (
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
)

// Deed is something a reader may want of a placement.
type Deed string

// The deeds of a reader.
const (
	Look     Deed = "look"     // pages and their links
	TakeFile Deed = "download" // the bytes of the file
	PrintOut Deed = "print"    // the print view
	TakeText Deed = "text"     // the text, to copy
	ReadText Deed = "read"     // the text view
	// What only a tool needs, who has not got the tool is not given.
	FindWords    Deed = "find"     // places of words
	SeeContents  Deed = "contents" // the outline
	SeeFacts     Deed = "facts"    // what is known of the document
	SwitchLayers Deed = "layers"   // layers, and pages as they are with some of them
)

// tools are the deeds that need a tool.
var tools = map[Deed]toolbar.Tool{FindWords: toolbar.Find, SeeContents: toolbar.Contents, SeeFacts: toolbar.About,
	SwitchLayers: toolbar.Layers}

// Deeds are all of them.
func Deeds() []Deed {
	return []Deed{Look, TakeFile, PrintOut, TakeText, ReadText, FindWords, SeeContents, SeeFacts, SwitchLayers}
}

// Who asks. The zero value is a reader who is nobody in particular.
type Who struct {
	Account int64 // 0 for a reader
	// Granted says that a token opened this placement for them, and still does.
	Granted bool
}

// Editor says whether somebody has signed in.
func (w Who) Editor() bool { return w.Account != 0 }

// Standing is where a placement stands with its readers.
type Standing struct {
	Published bool // it has a version that readers see
	Draft     bool // the draft is asked for, not the published version
	// Holds is what the document has that tools work on.
	Holds toolbar.Holds
}

// Tools are those that readers are given of a placement.
func Tools(standing Standing, s setting.Settings) toolbar.Set {
	return s.Tools.Given(s.Allowed(standing.Holds))
}

// Allows says whether somebody may do a deed with a placement of settings s.
// Editors see drafts, but a switch that says no binds them on the stage as it
// binds readers: they see what readers will get.
func Allows(w Who, standing Standing, s setting.Settings, deed Deed) bool {
	if standing.Draft && !w.Editor() || !standing.Draft && !standing.Published {
		return false
	}
	if s.Guarded && !standing.Draft && !w.Granted {
		return false
	}
	switch deed {
	case Look:
		return true
	case TakeFile:
		return s.Download
	case PrintOut:
		return s.Print
	case TakeText:
		return s.Copying
	case ReadText:
		return s.TextView != setting.Closed
	}
	tool, needed := tools[deed]
	return needed && Tools(standing, s).Has(tool)
}
