// Package publishing keeps what is published by ourselves: web pages with their drafts,
// versions and planned turns, what all of them have in common, collections, and pictures.
package publishing

import (
	"incipit/internal/database"
	"incipit/internal/placing"
)

// Publisher is the web pages and collections in a database.
type Publisher struct {
	db      *database.DB
	placing *placing.Placer
}

// New gives the web pages and collections in a database, whose documents are placed by p.
func New(db *database.DB, p *placing.Placer) *Publisher { return &Publisher{db, p} }
