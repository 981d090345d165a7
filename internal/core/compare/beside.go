package compare

import (
	"cmp"
	"fmt"
	"slices"
)

// Beside is what a file has that its pages do not show, or of which they show only a part:
// where links lead, notes and what is in them, values of fields, files inside the file,
// layers, and what the file says of itself. Unread says that some of it is not known.
type Beside struct {
	Links  []Link
	Notes  []Note
	Values []Fact // by the field's name
	Files  []Fact // by the file's name: a sum of its bytes
	Layers []Fact // by its name: on or off, at first
	Facts  []Fact // by the name that this package gives them
	Unread bool
}

// Link leads from a page to another one, to an address, or to a file.
type Link struct {
	Page    int    `json:"page"`
	To      int    `json:"to,omitempty"`
	Address string `json:"address,omitempty"`
}

// Note is an annotation that is no link and no field (ISO 32000-2, 12.5.6).
type Note struct {
	Page int    `json:"page"`
	Kind string `json:"kind"`
	By   string `json:"by,omitempty"`
	Text string `json:"text,omitempty"`
}

// Fact is something with a name.
type Fact struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// What is what is beside the pages.
type What string

// What is beside the pages.
const (
	LinkBeside  What = "link"
	NoteBeside  What = "note"
	FieldBeside What = "field"
	FileBeside  What = "file"
	LayerBeside What = "layer"
	FactBeside  What = "fact"
)

// Difference is one thing beside the pages that was added, removed or changed. Page is the
// new edition's, or the old one's where it was removed; 0 is none.
type Difference struct {
	What   What   `json:"what"`
	Change Change `json:"change"`
	Page   int    `json:"page,omitempty"`
	Name   string `json:"name,omitempty"`
	Was    string `json:"was,omitempty"`
	Is     string `json:"is,omitempty"`
}

const (
	// MostBeside is how many differences are told.
	MostBeside = 200
	mostQuoted = 160 // characters of a value that are told
)

// DifferBeside tells what is another one beside the pages of two editions whose pages were
// compared. Links and notes of a page that is gone, or new, come and go with it. Links to a
// page that stands elsewhere now lead where they led.
func DifferBeside(old, now Beside, c Comparison) []Difference {
	gone, fresh := map[int]bool{}, map[int]bool{}
	for _, p := range c.Pages {
		switch {
		case p.New == 0 && p.Change == Removed:
			gone[p.Old] = true
		case p.Old == 0 && p.Change == Added:
			fresh[p.New] = true
		}
	}
	var out []Difference
	out = append(out, links(old.Links, now.Links, gone, fresh, c)...)
	out = append(out, notes(old.Notes, now.Notes, gone, fresh, c)...)
	out = append(out, named(FieldBeside, old.Values, now.Values)...)
	out = append(out, named(FileBeside, old.Files, now.Files)...)
	out = append(out, named(LayerBeside, old.Layers, now.Layers)...)
	return append(out, named(FactBeside, old.Facts, now.Facts)...)
}

// item is a link or a note as it is set against others.
type item struct {
	key  string
	page int // of its own edition
	said string
}

func links(old, now []Link, gone, fresh map[int]bool, c Comparison) []Difference {
	said := func(l Link) string {
		if l.To > 0 {
			return fmt.Sprint(l.To)
		}
		return quoted(l.Address)
	}
	var a, b []item
	for _, l := range old {
		if gone[l.Page] {
			continue
		}
		key := l.Address
		if l.To > 0 {
			to, there := c.Where(l.To)
			key = fmt.Sprint("p", to, there)
		}
		a = append(a, item{key, l.Page, said(l)})
	}
	for _, l := range now {
		if fresh[l.Page] {
			continue
		}
		key := l.Address
		if l.To > 0 {
			key = fmt.Sprint("p", l.To, true)
		}
		b = append(b, item{key, l.Page, said(l)})
	}
	return items(LinkBeside, a, b, c)
}

func notes(old, now []Note, gone, fresh map[int]bool, c Comparison) []Difference {
	of := func(list []Note, without map[int]bool) (out []item) {
		for _, n := range list {
			if !without[n.Page] {
				out = append(out, item{n.Kind + "\x00" + n.By + "\x00" + n.Text, n.Page, quoted(n.Text)})
			}
		}
		return out
	}
	return items(NoteBeside, of(old, gone), of(now, fresh), c)
}

// items sets rows of items against each other. One that went where another one came, on the
// same page, was changed.
func items(what What, a, b []item, c Comparison) (out []Difference) {
	keys := func(list []item) []string {
		out := make([]string, len(list))
		for i, v := range list {
			out[i] = v.key
		}
		return out
	}
	went, came := differ(keys(a), keys(b))
	used := map[int]bool{}
	for _, i := range went {
		page, _ := c.Where(a[i].page)
		k := slices.IndexFunc(came, func(j int) bool { return !used[j] && b[j].page == page })
		if k < 0 {
			out = append(out, Difference{What: what, Change: Removed, Page: a[i].page, Was: a[i].said})
			continue
		}
		j := came[k]
		used[j] = true
		out = append(out, Difference{What: what, Change: Changed, Page: b[j].page, Was: a[i].said, Is: b[j].said})
	}
	for _, j := range came {
		if !used[j] {
			out = append(out, Difference{What: what, Change: Added, Page: b[j].page, Is: b[j].said})
		}
	}
	return out
}

// named sets what has names against each other. Of several of one name each has its place.
func named(what What, old, now []Fact) (out []Difference) {
	numbered := func(list []Fact) map[Fact]string {
		seen, out := map[string]int{}, map[Fact]string{}
		for _, f := range list {
			seen[f.Name]++
			out[Fact{f.Name, fmt.Sprint(seen[f.Name])}] = f.Value
		}
		return out
	}
	a, b := numbered(old), numbered(now)
	for k, was := range a {
		is, there := b[k]
		switch {
		case !there:
			out = append(out, Difference{What: what, Change: Removed, Name: quoted(k.Name), Was: quoted(was)})
		case is != was:
			out = append(out, Difference{What: what, Change: Changed, Name: quoted(k.Name), Was: quoted(was), Is: quoted(is)})
		}
	}
	for k, is := range b {
		if _, there := a[k]; !there {
			out = append(out, Difference{What: what, Change: Added, Name: quoted(k.Name), Is: quoted(is)})
		}
	}
	slices.SortFunc(out, func(p, q Difference) int {
		return cmp.Or(cmp.Compare(p.Name, q.Name), cmp.Compare(p.Was, q.Was), cmp.Compare(p.Is, q.Is))
	})
	return out
}

func quoted(text string) string {
	if r := []rune(text); len(r) > mostQuoted {
		return string(r[:mostQuoted]) + "…"
	}
	return text
}
