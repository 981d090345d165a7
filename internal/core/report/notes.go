package report

import (
	"cmp"
	"fmt"
	"slices"

	"incipit/internal/core/contrast"
)

// The kinds of notes.
const (
	LowContrast Kind = "low-contrast"
	FontAbsent  Kind = "font-not-embedded"
	HeavierThan Kind = "heavier-than-its-content"
)

const (
	fewLetters   = 3       // a text of fewer letters is taken for a sign
	mostNotes    = 500     // that are kept
	heavyFrom    = 5 << 20 // bytes from which on a file's weight is told
	heavierTimes = 4       // times as heavy as pictures of all its pages
	barely       = 0.05    // of a ratio: colours are measured in levels
)

// Closely is what is known of a document some pages of which were pictured. Pale is the
// text, on those, that stands out too little; Bytes is the file's size, and Pictured what
// pictures of all its pages would have that are sharp on any screen, 0 where that is not
// known.
type Closely struct {
	Pale            []Pale
	Bytes, Pictured int64
}

// Pale is a text on a page, with the ratio that it has and the one it needs.
type Pale struct {
	Page         int
	Ratio, Needs float64
	Letters      int
}

// TooPale says whether a text stands out less than it has to.
func TooPale(i contrast.Ink, ratio float64) bool {
	return i.Letters >= fewLetters && ratio < i.Needs()-barely
}

// notes are what is told of a document that was looked at closely: on each page the palest
// text, each font that is not in the file, and its weight.
func (d Document) notes() (out []Finding) {
	palest := map[int]Pale{}
	for _, p := range d.Closely.Pale {
		if worst, known := palest[p.Page]; !known || p.Ratio/p.Needs < worst.Ratio/worst.Needs {
			palest[p.Page] = p
		}
	}
	for page, p := range palest {
		out = append(out, Finding{LowContrast, page, clauses[LowContrast], fmt.Sprintf(
			"Text is paler than can be read by everybody: it stands out by %.1f to 1, where %.3g to 1 is asked for.", p.Ratio, p.Needs)})
	}
	for _, f := range d.Structure.Absent {
		out = append(out, Finding{FontAbsent, f.Page, clauses[FontAbsent], fmt.Sprintf(
			"The font “%s” is not in the file: whoever shows it takes another one in its place, and it looks otherwise there.", f.Name)})
	}
	if c := d.Closely; c.Pictured > 0 && c.Bytes >= heavyFrom && c.Bytes > heavierTimes*c.Pictured {
		out = append(out, Finding{HeavierThan, 0, "", fmt.Sprintf(
			"The file has %.1f MB, and pictures of all its pages that are sharp on any screen would have about %.1f MB: its own pictures may be finer than can be seen, or it carries what nobody sees.",
			float64(c.Bytes)/1e6, float64(c.Pictured)/1e6)})
	}
	slices.SortFunc(out, func(a, b Finding) int {
		return cmp.Or(cmp.Compare(a.Page, b.Page), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Sentence, b.Sentence))
	})
	return out[:min(len(out), mostNotes)]
}
