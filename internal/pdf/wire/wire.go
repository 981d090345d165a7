// Package wire is what a worker subprocess and its owner say to each other.
//
// Two gob streams (encoding/gob) run over two pipes. The owner sends one Ask
// at a time; while the worker answers it, it may send any number of Need
// messages, and the owner replies to each with a Chunk of the file. So the
// worker needs neither a file nor a network: it sees the bytes it is given.
package wire

import (
	"incipit/internal/core/compare"
	"incipit/internal/core/contrast"
	"incipit/internal/core/legible"
	"incipit/internal/core/report"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
)

// The file descriptors of the two pipes in the worker.
const (
	FromOwner = 3
	ToOwner   = 4
)

// Op names one request.
type Op string

// The requests, one for each method of pdf.Engine, and a warm-up.
const (
	Warm   Op = "warm"
	Cover  Op = "cover"
	Sheets Op = "sheets"
	Facts  Op = "facts"
	Fields Op = "fields"
	Layer  Op = "layer"
	Type   Op = "type"
	Image  Op = "image"

	Tile        Op = "tile"
	Extract     Op = "extract"
	Attachment  Op = "attachment"
	Destination Op = "destination"
	Picture     Op = "picture"
	Structure   Op = "structure"
	Amend       Op = "amend"
	Inks        Op = "inks"
	Beside      Op = "beside"
)

// Ask is one request about one document.
type Ask struct {
	Op       Op
	ID       string
	Size     int64
	Password string
	Layers   string          // see pdf.Source
	Units    map[int]float64 // of pages
	Page, To int             // pages count from 1; To is the last of a span
	Pages    []int
	Width    int // pixels
	Widths   []int
	Tile     pdf.Tile
	Name     string // of a destination
	Said     pdf.Said
}

// Need asks for Length bytes of the current file at Offset.
type Need struct {
	Offset int64
	Length int
}

// Chunk answers a Need. Failed is set when the bytes could not be read, which
// is the owner's trouble and not the file's.
type Chunk struct {
	Bytes  []byte
	Failed bool
}

// Answer answers an Ask: Problem, or the fields its Op fills.
type Answer struct {
	Problem *pdf.Problem
	Cover   pdf.Cover
	Sheets  []sheet.Sheet
	Facts   pdf.Facts
	Fields  []pdf.Field
	Text    bool
	Layer   pdf.Layer
	Type    []legible.Page
	Image   pdf.PageImage
	Bytes   []byte

	Destination pdf.Destination
	Picture     pdf.Picture
	Structure   report.Structure
	Inks        []contrast.Ink
	Beside      compare.Beside
	// Spent says that the worker cannot go on and ends after this answer.
	Spent bool
}

// ToWorker is one message to the worker: exactly one part is set.
type ToWorker struct {
	Ask   *Ask
	Chunk *Chunk
}

// FromWorker is one message from the worker: exactly one part is set.
type FromWorker struct {
	Need   *Need
	Answer *Answer
}

// Unreadable marks an answer that failed because the owner could not deliver
// the file's bytes: no problem of the file, so the owner makes it an error.
const Unreadable pdf.Kind = "unreadable"
