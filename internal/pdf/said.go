package pdf

import "incipit/internal/core/scanned"

// Said is what an editor says of a file for people who do not see its pages, to be written
// into it; what is empty stays as it is. Alternatives are texts for pictures, by the number
// of an element of the file's structure (report.Element.Object); Texts are what was recognised
// on pages without text, by page, on their sheets.
type Said struct {
	Title        string
	Language     string // BCP 47
	Alternatives map[int]string
	Texts        map[int][]scanned.Line `json:",omitempty"`
}
