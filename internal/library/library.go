// Package library keeps documents: their editions (one file each), what was read of every
// page, and how far the reading has come. It knows nothing of what is done with them.
package library

import "incipit/internal/database"

// Library is the documents in a database.
type Library struct{ db *database.DB }

// New gives the documents in a database.
func New(db *database.DB) *Library { return &Library{db} }
