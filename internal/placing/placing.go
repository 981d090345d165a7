// Package placing keeps placements, documents that are set on web pages: their drafts and
// versions, house style that they start from, the websites that they stand on, and the
// keys that integrators sign for them with. It carries changes of house style to what
// readers see.
package placing

import (
	"incipit/internal/database"
	"incipit/internal/seal"
)

// Placer is the placements in a database.
type Placer struct {
	db   *database.DB
	ring *seal.Ring // of signing secrets at rest, or nil; set before anybody asks
}

// New gives the placements in a database.
func New(db *database.DB) *Placer { return &Placer{db: db} }
