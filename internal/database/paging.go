package database

// ListRows is how many rows of a list are shown at once.
const ListRows = 100

// Page is a part of a list. All counts the whole list; Below is the key with which the
// part after this one is asked for, 0 where there is none.
type Page[T any] struct {
	Rows  []T
	All   int
	Below int64
}

// Part cuts off the row that was read to know whether there are more.
func Part[T any](rows []T, all int, key func(T) int64) Page[T] {
	return PartOf(rows, ListRows, all, key)
}

// PartOf is Part for a list of which another number of rows is shown at once.
func PartOf[T any](rows []T, most, all int, key func(T) int64) Page[T] {
	p := Page[T]{Rows: rows, All: all}
	if len(rows) > most {
		p.Rows = rows[:most]
		p.Below = key(p.Rows[most-1])
	}
	return p
}
