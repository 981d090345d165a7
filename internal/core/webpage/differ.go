package webpage

import (
	"encoding/json"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"
)

// Difference is one thing in which a page differs from another one.
type Difference struct {
	// Block or Row names what differs, as it stands in the later page; both are
	// empty for the page's own title and description.
	Block string `json:"block"`
	Row   string `json:"row"`
	How   How    `json:"how"`
	Words string `json:"words"`
}

// How something differs.
type How string

// The ways to differ.
const (
	Added   How = "added"
	Changed How = "changed"
	Moved   How = "moved"
	Removed How = "removed"
)

// Names are what documents, collections and pictures are called, by the kind of block
// and what it is of.
type Names map[Kind]map[int64]string

// Differences gives what makes another page of before, in the order in which it
// is read.
func Differences(before, after Page, names Names) []Difference {
	out := []Difference{}
	if before.Title != after.Title {
		out = append(out, Difference{How: Changed, Words: "Title"})
	}
	if before.Description != after.Description {
		out = append(out, Difference{How: Changed, Words: "Description"})
	}
	was := before.byID()
	stays := movedNot(before, after)
	for _, r := range after.Rows {
		old := before.row(r.ID)
		switch {
		case old < 0:
			out = append(out, Difference{Row: r.ID, How: Added, Words: "Row of " + r.Split.words()})
		case before.Rows[old].Split != r.Split:
			out = append(out, Difference{Row: r.ID, How: Changed, Words: "Row: " + before.Rows[old].Split.words() + ", now " + r.Split.words()})
		}
		for c, column := range r.Columns {
			for _, b := range column.Blocks {
				standing, there := was[b.ID]
				switch {
				case !there:
					out = append(out, Difference{Block: b.ID, How: Added, Words: b.Words(names)})
				case !same(standing.Block, b):
					out = append(out, Difference{Block: b.ID, How: Changed, Words: b.Words(names)})
				case standing.row != r.ID || standing.column != c || !stays[b.ID]:
					out = append(out, Difference{Block: b.ID, How: Moved, Words: b.Words(names)})
				}
			}
		}
	}
	left := after.byID()
	for _, b := range before.Blocks() {
		if _, there := left[b.ID]; !there {
			out = append(out, Difference{How: Removed, Words: b.Words(names)})
		}
	}
	for _, r := range before.Rows {
		if after.row(r.ID) < 0 {
			out = append(out, Difference{How: Removed, Words: "Row of " + r.Split.words()})
		}
	}
	return out
}

type standing struct {
	Block
	row    string
	column int
}

func (p Page) byID() map[string]standing {
	out := map[string]standing{}
	for _, r := range p.Rows {
		for c, column := range r.Columns {
			for _, b := range column.Blocks {
				out[b.ID] = standing{b, r.ID, c}
			}
		}
	}
	return out
}

// movedNot names the blocks that both pages have and that follow each other as
// before: the longest common run of their order, so that of ten blocks of which
// one was moved, one is said to have moved.
func movedNot(before, after Page) map[string]bool {
	at := map[string]int{}
	for i, b := range before.Blocks() {
		at[b.ID] = i
	}
	type link struct{ length, from int }
	var order []string
	var chain []link
	for _, b := range after.Blocks() {
		if _, there := at[b.ID]; there {
			order = append(order, b.ID)
		}
	}
	best := -1
	for i, id := range order {
		l := link{1, -1}
		for k := range i {
			if at[order[k]] < at[id] && chain[k].length >= l.length {
				l = link{chain[k].length + 1, k}
			}
		}
		chain = append(chain, l)
		if best < 0 || l.length > chain[best].length {
			best = i
		}
	}
	out := map[string]bool{}
	for i := best; i >= 0; i = chain[i].from {
		out[order[i]] = true
	}
	return out
}

func same(a, b Block) bool {
	return a.Kind == b.Kind && a.Text == b.Text && a.Of == b.Of && a.Alt == b.Alt && a.Address == b.Address &&
		maps.EqualFunc(a.Set, b.Set, func(x, y json.RawMessage) bool { return string(x) == string(y) })
}

// Touched says whether what an act is about differs between two pages: somebody
// else changed it meanwhile, so that doing it now would go over that.
func Touched(before, after Page, a Act) bool {
	switch a.Do {
	case DoRename:
		return before.Title != after.Title || before.Description != after.Description
	case DoChange, DoRemove:
		x, _, was := before.Find(a.Block)
		y, _, is := after.Find(a.Block)
		return was && (!is || !same(x, y))
	case DoDropRow, DoSplit:
		i, k := before.row(a.Row), after.row(a.Row)
		return i >= 0 && (k < 0 || !reflect.DeepEqual(before.Rows[i], after.Rows[k]))
	case DoAdd, DoMove, DoStep, DoAddRow, DoMoveRow:
		// Places are counted: they mean what was seen only in rows as they were.
		return !slices.EqualFunc(before.Rows, after.Rows, func(x, y Row) bool { return x.ID == y.ID && x.Split == y.Split })
	case DoAddBelow:
		return a.Row != "" && after.row(a.Row) < 0 || a.Block != "" && gone(after, a.Block)
	}
	return gone(after, a.Block)
}

func gone(p Page, block string) bool {
	_, _, there := p.Find(block)
	return !there
}

// Words name a block in a few words: its own, else what it is of is called.
func (b Block) Words(names Names) string {
	said := strings.Join(strings.Fields(strings.TrimLeft(b.Text, "#> *-")), " ")
	if said == "" {
		said = names[b.Kind][b.Of]
	}
	if r := []rune(said); len(r) > 48 {
		said = string(r[:47]) + "…"
	}
	kind := map[Kind]string{Text: "Text", Picture: "Picture", Placement: "Document", Link: "Link", Button: "Button",
		Collection: "Collection"}[b.Kind]
	if said == "" {
		return kind
	}
	return fmt.Sprintf("%s “%s”", kind, said)
}

func (s Split) words() string {
	return map[Split]string{One: "one column", Halves: "two columns", WideFirst: "a wide and a narrow column",
		WideSecond: "a narrow and a wide column", Thirds: "three columns"}[s]
}
