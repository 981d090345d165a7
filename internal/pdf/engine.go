// Package pdf says what Incipit asks of a PDF.
//
// The Engine interface is all that the rest of the house knows. Behind it,
// package sandbox opens files inside a WebAssembly sandbox without a file
// system, and package pool runs sandboxes in worker subprocesses that are
// killed when they overrun: an untrusted file meets bounded time, bounded
// memory and no host. Lengths are points in sheet space (see core/sheet), page
// numbers count from 1.
package pdf

import (
	"context"
	"io"

	"incipit/internal/core/compare"
	"incipit/internal/core/contrast"
	"incipit/internal/core/legible"
	"incipit/internal/core/overlay"
	"incipit/internal/core/report"
	"incipit/internal/core/sheet"
	"incipit/internal/redraw"
)

// Source is one file as the engine reads it: lazily, by ranges.
type Source struct {
	// ID names the content; equal IDs must mean equal bytes, since documents
	// are kept open under it. The SHA-256 of an edition serves.
	ID string
	// Size is the length of the file in bytes.
	Size int64
	// Bytes gives ranges of the file. It is asked from one goroutine at a time.
	Bytes io.ReaderAt
	// Password opens an encrypted file; it is sent to the worker and kept
	// nowhere else.
	Password string
	// Layers are the numbers of the layers that are on, in order, parted by
	// dots; "-" is none, "" as the file itself says.
	Layers string
	// Units are the UserUnits of pages that have one, as Facts gave them.
	Units map[int]float64
}

// Cover is what can be told at once: enough to show the first page.
type Cover struct {
	Pages     int
	First     sheet.Sheet
	Encrypted bool
}

// Heading is one entry of the outline. Level counts from 1; Page is 0 where
// the entry leads nowhere inside the file; To then says where it does lead: to the
// web, to another file, or, "", nowhere. Top is how far below the top of the page
// the place is, in points; Zoom is the percentage of true size that it asks for,
// 0 for none. Folded says that the file shows the entries below it only when
// asked.
type Heading struct {
	Title  string  `json:"title"`
	Level  int     `json:"level"`
	Page   int     `json:"page"`
	Top    float64 `json:"top,omitempty"`
	Zoom   float64 `json:"zoom,omitempty"`
	To     Beyond  `json:"to,omitempty"`
	Folded bool    `json:"folded,omitempty"`
}

// Beyond is where an entry leads that leads to no page of the file.
type Beyond string

// The places outside the file.
const (
	ToWeb  Beyond = "web"
	ToFile Beyond = "file"
)

// Opening is how a file wants to be opened (ISO 32000-2, 7.7.2 and 12.2), in the
// file's own terms. Page is 0, and the others "", where it does not say.
type Opening struct {
	Page      int     `json:"page,omitempty"`
	Top       float64 `json:"top,omitempty"`  // points below the top of the page
	Zoom      float64 `json:"zoom,omitempty"` // percent of true size
	Fit       string  `json:"fit,omitempty"`  // Fit, FitH, FitV, …
	Layout    string  `json:"layout,omitempty"`
	Mode      string  `json:"mode,omitempty"`
	Direction string  `json:"direction,omitempty"`
	Titled    bool    `json:"titled,omitempty"` // its title is to be shown
}

// Field is one form field with the page of its first widget.
type Field struct {
	Name string `json:"name"`
	Type string `json:"type"`
	Page int    `json:"page"`
}

// Attached is a file inside the file. Number counts from 1.
type Attached struct {
	Number int    `json:"number"`
	Name   string `json:"name"`
	About  string `json:"about,omitempty"`
	Bytes  int64  `json:"bytes"`
}

// Content is a layer of the file: an optional content group (ISO 32000-2,
// 8.11) with a name. Number is its place in the file, from 1.
type Content struct {
	Number int    `json:"number"`
	Name   string `json:"name"`
	On     bool   `json:"on"` // at first
}

// Permissions are the switches of the file itself (ISO 32000-2, table 22).
type Permissions struct {
	Print bool `json:"print"`
	Copy  bool `json:"copy"`
}

// Facts are what a whole file says about itself.
type Facts struct {
	Title       string      `json:"title"`
	Author      string      `json:"author"`
	Language    string      `json:"language"`
	Encrypted   bool        `json:"encrypted"`
	Permissions Permissions `json:"permissions"`
	Tagged      bool        `json:"tagged"`
	Outline     []Heading   `json:"outline"`
	Fields      []Field     `json:"fields"`
	Subject     string      `json:"subject,omitempty"`
	Keywords    string      `json:"keywords,omitempty"`
	Created     string      `json:"created,omitempty"` // RFC 3339, or ""
	Changed     string      `json:"changed,omitempty"` // RFC 3339, or ""
	// Licence is the web address of a licence or of a statement of rights that
	// the file's metadata, keywords or subject name, and Terms are its words.
	Licence  string     `json:"licence,omitempty"`
	Terms    string     `json:"terms,omitempty"`
	Attached []Attached `json:"attached,omitempty"` // files inside the file
	Layers   []Content  `json:"layers,omitempty"`   // optional content with a name
	Opening  Opening    `json:"opening,omitzero"`
	// Units are the UserUnits of pages that have one, by page number.
	Units map[int]float64 `json:"units,omitempty"`
	// Form says whether it is worth looking for fields.
	Form bool `json:"-"`
}

// Headings counts the entries of the outline that lead to a page.
func (f Facts) Headings() int {
	n := 0
	for _, h := range f.Outline {
		if h.Page > 0 {
			n++
		}
	}
	return n
}

// Layer is what lies over a page image: its text and its links, and the blocks
// that a tagged page says its text is made of.
type Layer struct {
	Runs   []overlay.Run   `json:"runs"`
	Links  []overlay.Link  `json:"links"`
	Blocks []overlay.Block `json:"blocks,omitempty"`
	// Figures are the pictures and drawings of the page.
	Figures []sheet.Rect `json:"figures,omitempty"`
}

// PageImage is an encoded picture of a page. Width and Height are pixels.
type PageImage struct {
	Width, Height int
	MediaType     string
	Bytes         []byte
}

// Tile is a part of a page that is rendered Width × Height pixels large: the W
// × H pixels from X, Y on.
type Tile struct {
	Width, Height int
	X, Y, W, H    int
}

// Destination is a place in the document. X and Y, in points of the sheet, are
// set where Known says so. Zoom is the percentage of true size that it asks for, 0
// for none.
type Destination struct {
	Page  int     `json:"page"`
	X     float64 `json:"x"`
	Y     float64 `json:"y"`
	Zoom  float64 `json:"zoom,omitempty"`
	Known bool    `json:"known"`
}

// Picture is a picture written anew in its widths (see package redraw).
type Picture = redraw.Made

// Engine is what is asked of a PDF. Every error that is the file's fault is a
// *Problem. An Engine serves concurrent calls.
type Engine interface {
	// Cover opens the file and tells what is needed to show it.
	Cover(ctx context.Context, src Source) (Cover, error)
	// Sheets gives the geometry of the pages from..to, inclusive, or of the first
	// of them, where more would take long.
	Sheets(ctx context.Context, src Source, from, to int) ([]sheet.Sheet, error)
	// Facts reads metadata, permissions and outline. Fields are left to Fields.
	Facts(ctx context.Context, src Source) (Facts, error)
	// Fields lists the form fields on the pages from..to and says whether
	// any of these pages has text.
	Fields(ctx context.Context, src Source, from, to int) (fields []Field, text bool, err error)
	// Layer gives text and links of one page.
	Layer(ctx context.Context, src Source, page int) (Layer, error)
	// Type measures the type of some pages.
	Type(ctx context.Context, src Source, pages []int) ([]legible.Page, error)
	// Image renders one page at a width in pixels and encodes it.
	Image(ctx context.Context, src Source, page, width int) (PageImage, error)
	// Tile renders a part of a page and encodes it.
	Tile(ctx context.Context, src Source, page int, t Tile) (PageImage, error)
	// Extract gives one page as a PDF of its own.
	Extract(ctx context.Context, src Source, page int) ([]byte, error)
	// Attachment gives the content of a file inside the file, by its number.
	Attachment(ctx context.Context, src Source, number int) ([]byte, error)
	// Picture reads a picture, which is no PDF, and writes it anew in those of
	// the widths that it has. A file that is none is NotPDF.
	Picture(ctx context.Context, src Source, widths []int) (Picture, error)
	// Amend gives the bytes to append to a file so that it says something for people who do
	// not see its pages; one that nothing can be written into is Unwritable.
	Amend(ctx context.Context, src Source, said Said) ([]byte, error)
	// Structure reads what a file offers people who do not see its pages. A file whose
	// objects cannot be read has no structure.
	Structure(ctx context.Context, src Source) (report.Structure, error)
	// Inks gives the text of a page piece by piece, with its colours. Text whose colour cannot
	// be told, or that is not drawn, is left out.
	Inks(ctx context.Context, src Source, page int) ([]contrast.Ink, error)
	// Beside reads where links lead, notes, and values of fields. A file whose objects cannot
	// be read is Unread.
	Beside(ctx context.Context, src Source) (compare.Beside, error)
	// Destination finds a place by its name.
	Destination(ctx context.Context, src Source, name string) (Destination, error)
}
