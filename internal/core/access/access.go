// Package access says who may do what with what.
//
// Every route of the house asks here before it answers; a control that is not
// shown is a courtesy, this is the rule.
package access

import "incipit/internal/core/setting"

// Deed is something a reader may want of a placement.
type Deed string

// The deeds of a reader.
const (
	Look     Deed = "look"     // pages and their links
	TakeFile Deed = "download" // the bytes of the file
	PrintOut Deed = "print"    // the print view
	TakeText Deed = "text"     // the text, to copy
	ReadText Deed = "read"     // the text view
)

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
	return false
}
