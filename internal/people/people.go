// Package people keeps who looks after the documents: accounts, where they are signed in,
// and how often somebody tried to be. It lets them in: passwords, and the brake on guessing
// them.
//
// Passwords are kept as argon2id hashes (RFC 9106, its second recommendation
// for memory-constrained settings: 19 MiB, two passes). Tries to sign in are
// counted before anything is looked at, in the database, so that several servers
// count together: for where they come from and for the address typed. Whoever
// guesses at somebody's password from elsewhere does not lock them out: a device
// on which they have signed in before has a count of its own.
package people

import "incipit/internal/database"

// People is the accounts in a database.
type People struct{ db *database.DB }

// New gives the accounts in a database.
func New(db *database.DB) *People { return &People{db} }
