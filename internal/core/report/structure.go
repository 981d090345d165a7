package report

// Structure is what a file offers people who do not see its pages: its elements in
// the order they are read, and what has no words (ISO 32000-2, 14.7 to 14.9).
type Structure struct {
	Tagged bool
	// Language is the file's own word for its language, BCP 47 if it is well written.
	Language string
	Elements []Element
	// Unnamed are form fields that are named for programs alone.
	Unnamed []Field
	// Speechless are the pages with a font of which nothing tells what its characters
	// are.
	Speechless []int
	// Absent are fonts that the file does not hold, on each page that they are for.
	Absent []FontOn
	// Cut says that there is more than was read.
	Cut bool
}

// Element is a heading, a figure or a table of a structure. Page is 0 where it cannot be
// told.
type Element struct {
	Kind ElementKind
	// Object is the number, in the file, of a figure without a description to which one can
	// be written; 0 is none.
	Object int
	Level  int // of a heading, 0 for one without
	Page   int
	// Described says that a figure has a description, or stands for a text.
	Described bool
	// Heads and Cells count those of a table.
	Heads, Cells int
}

// ElementKind is what an element is.
type ElementKind string

// The kinds that are told.
const (
	HeadingElement ElementKind = "heading"
	FigureElement  ElementKind = "figure"
	TableElement   ElementKind = "table"
)

// FontOn is a font of a page, by its name.
type FontOn struct {
	Name string
	Page int
}

// Field is a form field: its name for programs, and its page, 0 where that cannot be
// told.
type Field struct {
	Name string
	Page int
}
