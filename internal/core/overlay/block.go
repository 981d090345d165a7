package overlay

// BlockKind is what a block of a tagged page is.
type BlockKind string

// The kinds of block that a text view tells apart (ISO 32000-2, 14.8.4).
const (
	Paragraph BlockKind = "p"
	Heading   BlockKind = "h"
	Item      BlockKind = "li"
	Cell      BlockKind = "td"
	HeadCell  BlockKind = "th"
	Picture   BlockKind = "figure"
)

// Block is an element of a tagged page's structure that holds text. Level is a
// heading's, from 1. Table, Row and ItemOf tell, by numbers from 1, which
// cells and which parts of an item belong together; 0 is none. Alternative is
// what stands for a picture.
type Block struct {
	Kind        BlockKind `json:"kind"`
	Level       int       `json:"level,omitempty"`
	Language    string    `json:"language,omitempty"`
	Table       int       `json:"table,omitempty"`
	Row         int       `json:"row,omitempty"`
	ItemOf      int       `json:"item,omitempty"`
	Depth       int       `json:"depth,omitempty"` // of an item in lists, from 1
	Alternative string    `json:"alternative,omitempty"`
}

// Decoration is the block of text that the file says is none of its content: an
// artifact (ISO 32000-2, 14.8.2.2).
const Decoration = -1
