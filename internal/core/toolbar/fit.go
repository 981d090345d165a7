package toolbar

import "strconv"

// The widths of the toolbar's parts, in CSS px. Each tool is at least as wide
// as a fingertip needs (WCAG 2.2, 2.5.5: 44 px).
const (
	Button = 44.0
	Side   = 8.0  // room at each end of the bar
	Name   = 96.0 // the least width in which a document's name is worth showing

	zoomFigure  = 56.0
	numberEntry = 44.0
	numberGap   = 6.0
	digit       = 9.0
)

// OfWidth is the room for the count of pages behind the page number entry.
func OfWidth(pages int) float64 { return 20 + digit*float64(len(strconv.Itoa(pages))) }

// Width is the room one tool takes in the bar of a document of so many pages.
func Width(t Tool, pages int) float64 {
	switch t {
	case Turn:
		return 2 * Button
	case Number:
		return numberEntry + numberGap + OfWidth(pages) + numberGap
	case Zoom:
		return 2*Button + zoomFigure
	}
	return Button
}

// Fit says which tools stand in a bar and which move behind "More".
type Fit struct {
	Shown Set // in the bar, in order
	More  Set // behind "More", in order
}

// From gives, for each tool in its order, the width of the bar, in CSS px, from
// which on it stands in the bar itself; and the width from which on the
// document's name does. A tool stands in the bar when all tools fit, or when it
// and all before it fit beside the button that opens the others.
func (s Set) From(pages int) (tools []float64, name float64) {
	all := 2 * Side
	for _, t := range s {
		all += Width(t, pages)
	}
	tools = make([]float64, len(s))
	upTo := 2*Side + Button
	for i, t := range s {
		upTo += Width(t, pages)
		tools[i] = min(upTo, all)
	}
	return tools, all + Name
}

// In says what fits in a bar of a width in CSS px.
func (s Set) In(width float64, pages int) Fit {
	from, _ := s.From(pages)
	f := Fit{Shown: Set{}, More: Set{}}
	for i, t := range s {
		if width >= from[i] {
			f.Shown = append(f.Shown, t)
		} else {
			f.More = append(f.More, t)
		}
	}
	return f
}
