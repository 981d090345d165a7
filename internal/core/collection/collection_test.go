package collection_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/collection"
)

func day(n int) time.Time { return time.Date(2026, 5, n, 9, 0, 0, 0, time.UTC) }

var entries = []collection.Entry{
	{Key: "c", Title: "Count 10", Category: "Surveys", Changed: day(3)},
	{Key: "a", Title: "count 9", Category: "Surveys", Changed: day(5)},
	{Key: "n", Title: "Nest-box notes", Changed: day(1)},
	{Key: "z", Title: "Zählung im Frühjahr", Category: "Abroad", Changed: day(4)},
}

func keys(groups []collection.Group) string {
	var out []string
	for _, g := range groups {
		part := g.Category + ":"
		for _, e := range g.Entries {
			part += e.Key
		}
		out = append(out, part)
	}
	return strings.Join(out, " ")
}

func TestGroups(t *testing.T) {
	for by, want := range map[collection.Order]string{
		collection.ByHand:   ":n Surveys:ca Abroad:z",
		collection.ByTitle:  ":n Surveys:ac Abroad:z", // figures count, capitals do not
		collection.ByNewest: ":n Surveys:ac Abroad:z",
	} {
		assert.Equal(t, want, keys(collection.Groups(entries, by)), string(by))
	}
	assert.Empty(t, collection.Groups(nil, collection.ByTitle))
}

func TestMatching(t *testing.T) {
	for words, want := range map[string]int{"": 4, "count": 2, "ZAHLUNG": 1, "surveys 10": 1, "nestbox": 1, "nothing": 0, "  ": 4} {
		assert.Len(t, collection.Matching(entries, words), want, words)
	}
	assert.Len(t, entries, 4, "what is looked through stays whole")
}

func TestChosen(t *testing.T) {
	groups := collection.Groups(entries, collection.ByHand)
	for _, x := range []struct {
		key  string
		as   collection.Arrangement
		want string
	}{
		{"z", collection.Grid, "z"}, {"z", collection.Chooser, "z"}, {"gone", collection.List, ""}, {"gone", collection.Chooser, "n"},
		{"", collection.Chooser, "n"}, {"", collection.List, ""},
	} {
		e, ok := collection.Chosen(groups, x.key, x.as)
		assert.Equal(t, x.want, e.Key)
		assert.Equal(t, x.want != "", ok)
	}
	_, ok := collection.Chosen(nil, "", collection.Chooser)
	assert.False(t, ok)
}

func TestCheck(t *testing.T) {
	for name, change := range map[string]func(*collection.Collection){
		"no name":        func(c *collection.Collection) { c.Name = "  " },
		"long name":      func(c *collection.Collection) { c.Name = strings.Repeat("x", 121) },
		"no arrangement": func(c *collection.Collection) { c.Arrangement = "wheel" },
		"no order":       func(c *collection.Collection) { c.Order = "weight" },
		"flat":           func(c *collection.Collection) { c.Height = 199 },
		"twice":          func(c *collection.Collection) { c.Items = []collection.Item{{Placement: 1}, {Placement: 1}} },
		"category": func(c *collection.Collection) {
			c.Items = []collection.Item{{Placement: 1, Category: strings.Repeat("y", 61)}}
		},
		"website": func(c *collection.Collection) { c.Sites = []string{"javascript:alert(1)"} },
		"many":    func(c *collection.Collection) { c.Items = make([]collection.Item, collection.MostItems+1) },
	} {
		c := collection.New("Surveys")
		assert.Empty(t, c.Check())
		change(&c)
		assert.NotEmpty(t, c.Check(), name)
	}
}
