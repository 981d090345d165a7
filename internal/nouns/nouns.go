// Package nouns holds what the house keeps, noun by noun, over one database: for whoever
// works with several of them.
package nouns

import (
	"context"

	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/publishing"
)

// All is everything that is kept in a database.
type All struct {
	DB         *database.DB
	People     *people.People
	Library    *library.Library
	Placing    *placing.Placer
	Publishing *publishing.Publisher
}

// Over gives everything that is kept in a database.
func Over(db *database.DB) All {
	p := placing.New(db)
	return All{DB: db, People: people.New(db), Library: library.New(db), Placing: p, Publishing: publishing.New(db, p)}
}

// Open connects to a database that has been migrated.
func Open(ctx context.Context, address string, c database.Connections) (All, error) {
	db, err := database.Open(ctx, address, c)
	if err != nil {
		return All{}, err
	}
	return Over(db), nil
}
