package merge_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/merge"
)

func members(t *testing.T, text string) merge.Members {
	t.Helper()
	var m merge.Members
	require.NoError(t, json.Unmarshal([]byte(text), &m))
	return m
}

func TestThree(t *testing.T) {
	for name, c := range map[string]struct {
		seen, now, mine, want string
		clash                 []string
	}{
		"nobody changed anything": {`{"a":1}`, `{"a":1}`, `{"a":1}`, `{"a":1}`, nil},
		"I alone":                 {`{"a":1}`, `{"a":1}`, `{"a":2}`, `{"a":2}`, nil},
		"they alone":              {`{"a":1}`, `{"a":2}`, `{"a":1}`, `{"a":2}`, nil},
		"different ones":          {`{"a":1,"b":1}`, `{"a":2,"b":1}`, `{"a":1,"b":3}`, `{"a":2,"b":3}`, nil},
		"the same to the same":    {`{"a":1}`, `{"a":2}`, `{"a":2}`, `{"a":2}`, nil},
		"the same differently":    {`{"a":1}`, `{"a":2}`, `{"a":3}`, `{"a":2}`, []string{"a"}},
		"I took it away":          {`{"a":1,"b":1}`, `{"a":1,"b":2}`, `{"b":1}`, `{"b":2}`, nil},
		"they took mine away":     {`{"a":1}`, `{}`, `{"a":2}`, `{}`, []string{"a"}},
		"both took it away":       {`{"a":1}`, `{}`, `{}`, `{}`, nil},
		"both added":              {`{}`, `{"a":1}`, `{"b":1}`, `{"a":1,"b":1}`, nil},
		"written otherwise":       {`{"a":{"x":1,"y":2}}`, `{"a":{"y":2,"x":1}}`, `{"a":{"x":2,"y":2}}`, `{"a":{"x":2,"y":2}}`, nil},
	} {
		got, clash := merge.Three(members(t, c.seen), members(t, c.now), members(t, c.mine))
		text, err := json.Marshal(got)
		require.NoError(t, err)
		assert.JSONEq(t, c.want, string(text), name)
		assert.Equal(t, c.clash, clash, name)
	}
	_, err := merge.Of([]int{1})
	assert.Error(t, err, "a list has no members")
}

// Without a clash it does not matter who comes first; what nobody changed stays, and
// what one of them changed is as they made it.
func TestMergingIsTheSameEitherWay(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 1))
	vary := func(from merge.Members) merge.Members {
		out := merge.Members{}
		for i := range 6 {
			name := fmt.Sprint("k", i)
			value, there := from[name]
			switch r.IntN(5) {
			case 0:
				value, there = json.RawMessage(fmt.Sprint(r.IntN(3))), true
			case 1:
				there = r.IntN(2) == 0 && there
			}
			if there {
				out[name] = value
			}
		}
		return out
	}
	for range 5000 {
		seen := vary(merge.Members{})
		now, mine := vary(seen), vary(seen)
		one, clash := merge.Three(seen, now, mine)
		other, again := merge.Three(seen, mine, now)
		assert.Equal(t, clash, again)
		for i := range 6 {
			name := fmt.Sprint("k", i)
			if slices.Contains(clash, name) {
				assert.Equal(t, now[name], one[name], "theirs stands until somebody decides")
				continue
			}
			assert.Equal(t, one[name], other[name])
			switch {
			case slices.Contains(merge.Changed(seen, mine), name):
				assert.Equal(t, mine[name], one[name])
			case slices.Contains(merge.Changed(seen, now), name):
				assert.Equal(t, now[name], one[name])
			default:
				assert.Equal(t, seen[name], one[name])
			}
		}
	}
}

// Clashes are named in the order of their names, whatever the order of members is in memory.
func TestClashesAreNamedInOrder(t *testing.T) {
	seen, now, mine := merge.Members{}, merge.Members{}, merge.Members{}
	var names []string
	for i := range 40 {
		name := fmt.Sprintf("member-%02d", i)
		names = append(names, name)
		seen[name], now[name], mine[name] = json.RawMessage(`0`), json.RawMessage(`1`), json.RawMessage(`2`)
	}
	for range 20 {
		_, clash := merge.Three(seen, now, mine)
		assert.Equal(t, names, clash)
		assert.Equal(t, names, merge.Changed(now, mine))
	}
}
