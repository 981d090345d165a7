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
	p := Page[T]{Rows: rows, All: all}
	if len(rows) > ListRows {
		p.Rows = rows[:ListRows]
		p.Below = key(p.Rows[ListRows-1])
	}
	return p
}
