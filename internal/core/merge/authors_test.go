package merge_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/merge"
)

// Whatever row of changes there was, each member that differs at its end is the work of
// exactly one: after that one it has the value that it has now, and before it had not.
func TestEachMemberHasTheAuthorWhoMadeItSo(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 4))
	for range 2000 {
		row := []merge.Members{{}}
		for range 1 + r.IntN(8) {
			next := merge.Members{}
			for i := range 5 {
				name := fmt.Sprint("k", i)
				value, there := row[len(row)-1][name]
				switch r.IntN(6) {
				case 0:
					value, there = json.RawMessage(fmt.Sprint(r.IntN(3))), true
				case 1:
					there = false
				}
				if there {
					next[name] = value
				}
			}
			row = append(row, next)
		}
		last := row[len(row)-1]
		names := merge.Changed(row[0], last)
		var told []string
		seeker := merge.Seek(names)
		for i := len(row) - 1; i > 0 && !seeker.Done(); i-- {
			of := seeker.Look(row[i-1], row[i])
			told = append(told, of...)
			for _, name := range of {
				for _, after := range row[i:] {
					assert.Equal(t, last[name], after[name])
				}
				assert.NotEqual(t, last[name], row[i-1][name])
			}
		}
		slices.Sort(told)
		assert.Equal(t, names, told)
	}
	assert.True(t, merge.Seek(nil).Done())
}
