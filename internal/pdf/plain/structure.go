package plain

import (
	"slices"
	"strings"
)

// Structure is what a tagged file says it is made of (ISO 32000-2, 14.7), as far as
// that matters to people who do not see its pages: elements in the order they are read.
type Structure struct {
	// Tagged says that the file calls itself tagged and has elements.
	Tagged bool
	// Language is what the file names as its own, in the catalog or else on each of the
	// elements at the top, as it writes it.
	Language string
	Elements []Element
	// Cut says that there is more than was read.
	Cut bool
}

// Element is a heading (H, H1, H2, …), a Figure, a Formula or a Table. Page counts from
// 1; 0 is none that could be told.
type Element struct {
	Kind  Name // a standard structure type (14.8.4)
	Level int  // of a heading that has one
	Page  int
	// Object is the number of the object of one without a description, 0 where it has none
	// of its own.
	Object Ref
	// Described says that a figure or a formula has a description or stands for a text.
	Described bool
	// Heads and Cells count those of a table, without those of tables inside it.
	Heads, Cells int
}

// Bounds of a structure that may be damaged, or made to do harm.
const (
	mostElements = 400_000
	mostNested   = 60
	mostRoles    = 20 // of a type that is another one that is another one …
)

// Structure reads it, at most so many elements of the kinds that are listed, and until
// stop says so: a long file is read from far away.
func (f *File) Structure(most int, stop func() bool) Structure {
	f.order()
	var out Structure
	out.Language = f.words(f.catalog()["Lang"])
	root := f.dict(f.catalog()["StructTreeRoot"])
	marked := f.resolved(f.dict(f.catalog()["MarkInfo"])["Marked"]) == true
	w := &elements{f: f, most: most, stop: stop, roles: f.dict(root["RoleMap"]), seen: map[Ref]bool{}, out: &out, described: map[Ref]bool{}}
	for _, top := range f.kids(root["K"]) {
		w.walk(top, 0, nil, 0)
	}
	out.Tagged = marked && w.read > 0
	if out.Language == "" {
		out.Language = w.language
	}
	f.explained = w.described
	return out
}

// words gives a text that a file says, or "".
func (f *File) words(v Value) string {
	t, _ := f.resolved(v).(Text)
	return strings.TrimSpace(t.Readable())
}

// kids gives what an entry holds that may be one or many.
func (f *File) kids(v Value) []Value {
	switch k := f.resolved(v).(type) {
	case []Value:
		return k
	case nil:
		return nil
	}
	return []Value{v}
}

// elements goes through the tree.
type elements struct {
	f         *File
	most      int
	stop      func() bool
	read      int
	roles     Dict
	seen      map[Ref]bool
	out       *Structure
	language  string // that of all elements at the top so far
	tops      int
	described map[Ref]bool // annotations that lie in an element with a description
}

// standard gives the standard type of an element (14.8.6).
func (w *elements) standard(kind Name) Name {
	for range mostRoles {
		if known(kind) {
			return kind
		}
		next, is := w.f.resolved(w.roles[kind]).(Name)
		if !is || next == kind {
			return kind
		}
		kind = next
	}
	return kind
}

// known says whether a type is one of those that are looked at here: a map of roles
// must not change them.
func known(kind Name) bool {
	return level(kind) > 0 || slices.Contains([]Name{"H", "P", "Figure", "Formula", "Form", "Table", "TH", "TD", "TR", "Document", "Sect", "Div", "Span"}, kind)
}

// level gives that of a heading H1, H2, …, or 0.
func level(kind Name) int {
	if len(kind) < 2 || len(kind) > 3 || kind[0] != 'H' {
		return 0
	}
	n := 0
	for _, c := range kind[1:] {
		if c < '0' || c > '9' {
			return 0
		}
		n = 10*n + int(c-'0')
	}
	return n
}

// walk reads an element and those below it; table is the one that it lies in.
func (w *elements) walk(v Value, page int, table *Element, depth int) {
	ref, isRef := v.(Ref)
	if w.out.Cut || w.read >= mostElements || len(w.out.Elements) >= w.most || w.read%64 == 63 && w.stop() {
		w.out.Cut = true
		return
	}
	if depth > mostNested {
		return
	}
	if isRef && w.seen[ref] {
		return
	}
	d := w.f.dict(v)
	kind, is := w.f.resolved(d["S"]).(Name)
	if !is {
		return
	}
	if isRef {
		w.seen[ref] = true
	}
	w.read++
	if depth == 0 {
		w.top(w.f.words(d["Lang"]))
	}
	if own := w.f.pageOf(d["Pg"]); own > 0 {
		page = own
	}
	kind = w.standard(kind)
	describes := w.f.words(d["Alt"]) != "" || w.f.words(d["ActualText"]) != ""
	e := Element{Kind: kind, Level: level(kind), Page: page, Described: describes}
	at := -1
	note := func() {
		if e.Page == 0 {
			e.Page = w.firstPage(d["K"])
		}
		at = len(w.out.Elements)
		w.out.Elements = append(w.out.Elements, e)
	}
	switch {
	case kind == "H" || e.Level > 0:
		note()
	case kind == "Figure" || kind == "Formula":
		if !describes {
			e.Object = ref
		}
		note()
		if describes {
			return // it stands for all that is in it
		}
	case kind == "Table":
		note()
		table = &e
	case kind == "TH" && table != nil:
		table.Heads++
		table.Cells++
	case kind == "TD" && table != nil:
		table.Cells++
	}
	for _, k := range w.f.kids(d["K"]) {
		child := w.f.dict(k)
		if describes && w.f.resolved(child["Type"]) == Name("OBJR") {
			if annotation, is := child["Obj"].(Ref); is {
				w.described[annotation] = true
			}
		}
		w.walk(k, page, table, depth+1)
	}
	if kind == "Table" {
		w.out.Elements[at] = e
	}
}

// top notes the language of an element at the top: the file's is theirs, where all
// name one and the first names it.
func (w *elements) top(language string) {
	if w.tops++; w.tops == 1 {
		w.language = language
	}
	if language == "" {
		w.language = ""
	}
}

// firstPage finds the page of what lies in an element that names none, among the first
// things in it.
func (w *elements) firstPage(v Value) int {
	open := w.f.kids(v)
	for looked := 0; len(open) > 0 && looked < 64; looked++ {
		d := w.f.dict(open[0])
		if page := w.f.pageOf(d["Pg"]); page > 0 {
			return page
		}
		below := w.f.kids(d["K"])
		open = append(open[1:len(open):len(open)], below[:min(len(below), 8)]...)
	}
	return 0
}

// pageOf gives the number of a page by its object, or 0.
func (f *File) pageOf(v Value) int {
	f.order()
	ref, _ := v.(Ref)
	return f.numbers[ref]
}

// Unnamed is a form field that has no words for those who do not see it (14.9.3): its
// Name is for programs.
type Unnamed struct {
	Name string
	Page int
}

// Unnamed lists them, at most so many. A field that nobody can see needs no words.
// Structure is read before: an element around a field may describe it.
func (f *File) Unnamed(most int) []Unnamed {
	f.order()
	var out []Unnamed
	seen := map[Ref]bool{}
	read := 0
	var walk func(v Value, name string, depth int)
	walk = func(v Value, name string, depth int) {
		ref, isRef := v.(Ref)
		if depth > mostNested || read >= mostElements || len(out) >= most || isRef && seen[ref] {
			return
		}
		read++
		if isRef {
			seen[ref] = true
		}
		d := f.dict(v)
		if own := f.words(d["T"]); own != "" {
			name = strings.TrimPrefix(name+"."+own, ".")
		}
		kids := f.kids(d["Kids"])
		for _, k := range kids {
			if f.dict(k)["T"] != nil {
				for _, k := range kids {
					walk(k, name, depth+1)
				}
				return
			}
		}
		if d == nil || f.words(d["TU"]) != "" {
			return
		}
		if len(kids) == 0 {
			kids = []Value{v}
		}
		page, silent := 0, false
		for _, k := range kids {
			widget := f.dict(k)
			own, _ := k.(Ref)
			if f.hidden(widget) || f.words(widget["TU"]) != "" || f.explained[own] {
				continue
			}
			silent = true
			if page == 0 {
				page = f.pageOf(widget["P"])
			}
			if page == 0 && own != 0 {
				page = f.pageWith(own)
			}
		}
		if silent {
			out = append(out, Unnamed{name, page})
		}
	}
	for _, v := range f.list(f.dict(f.catalog()["AcroForm"])["Fields"]) {
		walk(v, "", 0)
	}
	return out
}

// hidden says whether a widget is never seen (12.5.3).
func (f *File) hidden(widget Dict) bool {
	flags, _ := f.number(widget["F"])
	const invisible, hidden, noView = 1, 2, 32
	if int(flags)&(invisible|hidden|noView) != 0 {
		return true
	}
	box := f.box(f.list(widget["Rect"]))
	return box.empty()
}

// pageWith finds the page that lists an annotation.
func (f *File) pageWith(annotation Ref) int {
	if f.annotated == nil {
		f.annotated = map[Ref]int{}
		for i, p := range f.Pages() {
			for _, a := range f.list(p.annotations) {
				if ref, is := a.(Ref); is {
					f.annotated[ref] = i + 1
				}
			}
		}
	}
	return f.annotated[annotation]
}

// Speechless says whether a page has a font whose codes stand for no characters that
// anything tells: a composite font with codes of its own and no map to Unicode (9.10.2,
// 14.8.2.6), or one that draws its glyphs by names that are nobody's. means gives the
// text that the name of a glyph stands for, or "".
func (f *File) Speechless(page int, means func(glyph string) string) bool {
	p, ok := f.Page(page)
	if !ok {
		return false
	}
	found := false
	f.eachFont(p.resources, func(d Dict) {
		if f.resolved(d["ToUnicode"]) != nil {
			return
		}
		switch f.resolved(d["Subtype"]) {
		case Name("Type0"):
			found = found || f.coded(d)
		case Name("Type3"):
			found = found || f.nameless(d, means)
		}
	})
	return found
}

// coded says whether a composite font has codes of its own: those of the collections
// that are listed have characters (table 117).
func (f *File) coded(d Dict) bool {
	encoding, named := f.resolved(d["Encoding"]).(Name)
	if named && encoding != "Identity-H" && encoding != "Identity-V" {
		return false
	}
	for _, v := range f.list(d["DescendantFonts"]) {
		system := f.dict(f.dict(v)["CIDSystemInfo"])
		if f.words(system["Registry"]) == "Adobe" && slices.Contains([]string{"GB1", "CNS1", "Japan1", "Korea1", "KR"}, f.words(system["Ordering"])) {
			return false
		}
	}
	return true
}

// nameless says whether nothing tells what most glyphs of a drawn font are.
func (f *File) nameless(d Dict, means func(string) string) bool {
	told, all := 0, 0
	for _, v := range f.list(f.dict(d["Encoding"])["Differences"]) {
		if name, is := f.resolved(v).(Name); is && name != ".notdef" {
			if all++; means(string(name)) != "" {
				told++
			}
		}
	}
	return all > 0 && 2*told < all
}
