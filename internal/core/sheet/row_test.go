package sheet_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/sheet"
)

func TestRows(t *testing.T) {
	up, wide := sheet.Sheet{Width: 100, Height: 140}, sheet.Sheet{Width: 140, Height: 100}
	pages := []sheet.Sheet{up, wide, up, up, up}
	alone := func(i int) sheet.Row {
		return sheet.Row{First: i, Count: 1, Width: pages[i].Width, Height: pages[i].Height}
	}
	both := func(i int) sheet.Row {
		return sheet.Row{First: i, Count: 2, Width: pages[i].Width + pages[i+1].Width, Height: 140}
	}
	for name, c := range map[string]struct {
		facing sheet.Facing
		pages  int
		want   []sheet.Row
	}{
		"single":                 {sheet.Single, 3, []sheet.Row{alone(0), alone(1), alone(2)}},
		"pairs, even":            {sheet.Pairs, 4, []sheet.Row{both(0), both(2)}},
		"pairs, one left over":   {sheet.Pairs, 5, []sheet.Row{both(0), both(2), alone(4)}},
		"cover, then pairs":      {sheet.CoverThenPairs, 5, []sheet.Row{alone(0), both(1), both(3)}},
		"cover, one left over":   {sheet.CoverThenPairs, 4, []sheet.Row{alone(0), both(1), alone(3)}},
		"one page has one row":   {sheet.Pairs, 1, []sheet.Row{alone(0)}},
		"no page has no row":     {sheet.CoverThenPairs, 0, []sheet.Row{}},
		"a cover without a book": {sheet.CoverThenPairs, 1, []sheet.Row{alone(0)}},
	} {
		assert.Equal(t, c.want, sheet.Rows(pages[:c.pages], c.facing), name)
	}
}
