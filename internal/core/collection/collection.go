// Package collection is a named group of documents on a web page: a list with
// facts, a grid of covers, or a chooser beside one viewer.
//
// A collection holds placements, so that each document stands in it as its
// editor set it. What readers cannot see is left out, and comes back by itself.
// Words that are looked for are folded like those in documents (core/find).
package collection

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"

	"incipit/internal/core/find"
	"incipit/internal/core/setting"
)

// Arrangement is how a collection stands on a page.
type Arrangement string

// The arrangements.
const (
	List    Arrangement = "list"    // titles with facts
	Grid    Arrangement = "grid"    // covers
	Chooser Arrangement = "chooser" // titles beside one viewer
)

// Order is what documents are sorted by.
type Order string

// The orders.
const (
	ByHand   Order = "hand" // as the editor put them
	ByTitle  Order = "title"
	ByNewest Order = "newest" // what changed last comes first
)

// Collection is what an editor sets.
type Collection struct {
	Name        string           `json:"name"`
	Arrangement Arrangement      `json:"arrangement"`
	Order       Order            `json:"order"`
	Search      bool             `json:"search"`  // readers may look for titles
	Sorting     bool             `json:"sorting"` // readers may sort otherwise
	Facts       bool             `json:"facts"`   // pages, size and date stand beside titles
	Height      int              `json:"height"`  // CSS px that its frame is given on other websites
	Sites       setting.SiteList `json:"sites"`   // websites that may show it; none is any
	Items       []Item           `json:"items"`
}

// Item is a document in a collection.
type Item struct {
	Placement int64  `json:"placement"`
	Category  string `json:"category"` // "" stands before all that have one
}

// Bounds of a collection. Heights are CSS px.
const (
	MostItems    = 500
	mostName     = 120
	mostCategory = 60
	LeastHeight  = 200
	MostHeight   = 4000
	usualHeight  = 640
)

// New is the collection that an editor begins with.
func New(name string) Collection {
	return Collection{Name: name, Arrangement: List, Order: ByHand, Search: true, Facts: true, Height: usualHeight, Items: []Item{}}
}

// Check says in a sentence what keeps a collection from being kept, or "".
func (c Collection) Check() string {
	switch {
	case strings.TrimSpace(c.Name) == "":
		return "A collection needs a name."
	case len([]rune(c.Name)) > mostName:
		return fmt.Sprintf("A name has at most %d letters.", mostName)
	case !slices.Contains([]Arrangement{List, Grid, Chooser}, c.Arrangement):
		return "A collection is a list, a grid of covers or a chooser."
	case !slices.Contains([]Order{ByHand, ByTitle, ByNewest}, c.Order):
		return "Documents are sorted by hand, by title, or by what changed last."
	case len(c.Items) > MostItems:
		return fmt.Sprintf("A collection holds at most %d documents.", MostItems)
	case c.Height < LeastHeight || c.Height > MostHeight:
		return fmt.Sprintf("The frame is %d to %d px tall.", LeastHeight, MostHeight)
	}
	if said := c.Sites.Wrong(); said != "" {
		return said
	}
	seen := map[int64]bool{}
	for _, i := range c.Items {
		if len([]rune(i.Category)) > mostCategory {
			return fmt.Sprintf("A category has at most %d letters.", mostCategory)
		}
		if seen[i.Placement] {
			return "That document is in this collection already."
		}
		seen[i.Placement] = true
	}
	return ""
}

// Entry is a document as readers find it in a collection.
type Entry struct {
	Key      string // of its placement
	Title    string
	Category string
	Language string
	Pages    int
	Bytes    int64 // of its file
	Changed  time.Time
	// CoverHeight is the height of page 1 over its width. Locked documents have
	// no cover.
	CoverHeight float64
	Locked      bool
}

// Group is the entries of one category.
type Group struct {
	Category string
	Entries  []Entry
}

// Groups sorts entries and puts them together by category: categories in the
// order in which an editor first used them, what has none before them.
func Groups(entries []Entry, by Order) []Group {
	var out []Group
	for _, e := range entries {
		i := slices.IndexFunc(out, func(g Group) bool { return g.Category == e.Category })
		if i < 0 {
			out = append(out, Group{Category: e.Category})
			i = len(out) - 1
		}
		out[i].Entries = append(out[i].Entries, e)
	}
	slices.SortStableFunc(out, func(a, b Group) int {
		return cmp.Compare(min(len(a.Category), 1), min(len(b.Category), 1))
	})
	titles := collate.New(language.Und, collate.Numeric, collate.IgnoreCase)
	for _, g := range out {
		switch by {
		case ByTitle:
			slices.SortStableFunc(g.Entries, func(a, b Entry) int { return titles.CompareString(a.Title, b.Title) })
		case ByNewest:
			slices.SortStableFunc(g.Entries, func(a, b Entry) int { return b.Changed.Compare(a.Changed) })
		}
	}
	return out
}

// Matching keeps the entries whose title or category holds every word.
func Matching(entries []Entry, words string) []Entry {
	wanted := strings.Fields(find.Fold(words))
	return slices.DeleteFunc(slices.Clone(entries), func(e Entry) bool {
		text := find.Fold(e.Title + " " + e.Category)
		return slices.ContainsFunc(wanted, func(w string) bool { return !strings.Contains(text, w) })
	})
}

// Chosen is the entry that a reader asked for by its key. A chooser always
// shows one: the first, where nothing that is there was asked for.
func Chosen(groups []Group, key string, a Arrangement) (Entry, bool) {
	for _, g := range groups {
		for _, e := range g.Entries {
			if e.Key == key {
				return e, true
			}
		}
	}
	if a == Chooser && len(groups) > 0 {
		return groups[0].Entries[0], true
	}
	return Entry{}, false
}

// Named says a part of a collection in words, by its name in JSON.
func Named(part string) string {
	return map[string]string{"name": "the name", "arrangement": "how it is shown", "order": "the sorting", "search": "what readers may do",
		"sorting": "what readers may do",
		"facts":   "what readers may do", "height": "the height", "sites": "the websites", "items": "the documents"}[part]
}

// Added gives the placements that another content has and this one has not, in its order.
func (c Collection) Added(other Collection) (out []int64) {
	for _, i := range other.Items {
		if !slices.ContainsFunc(c.Items, func(had Item) bool { return had.Placement == i.Placement }) && !slices.Contains(out, i.Placement) {
			out = append(out, i.Placement)
		}
	}
	return out
}
