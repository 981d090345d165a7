package plain

import (
	"math"
	"slices"
	"strconv"
	"strings"
)

const mostPages = 20_000

// Box is a rectangle in user space: left, bottom, right, top.
type Box [4]float64

func (b Box) empty() bool { return b[2] <= b[0] || b[3] <= b[1] }

// Page is one page as its objects describe it. Box is what of it is seen: the
// CropBox within the MediaBox (ISO 32000-2, 14.11.2). Rotation is degrees
// clockwise, Unit its UserUnit, 1 as a rule.
type Page struct {
	Box      Box
	Rotation int
	Unit     float64
	Label    string

	annotations, resources Value
}

// usual is the page that a file does not describe: US Letter, as engines have it.
var usual = Box{0, 0, 612, 792}

// inherited are the entries of a page that nodes above it may hold (table 31).
var inherited = []Name{"MediaBox", "CropBox", "Rotate", "Resources"}

// leaf is a page that has not been read: its object, and what the nodes above it
// hold for it.
type leaf struct {
	object Value
	above  Dict
}

// order finds the pages of a file without reading them: where a node says that it has
// as many pages as kids, and the first and the last one are pages, all are. So a page of a long file costs a few
// reads, wherever the file lies.
func (f *File) order() []leaf {
	if f.known {
		return f.leaves
	}
	f.known, f.numbers = true, map[Ref]int{}
	seen := map[Ref]bool{}
	add := func(v Value, own Dict) {
		if len(f.leaves) >= mostPages {
			return
		}
		if ref, ok := v.(Ref); ok {
			f.numbers[ref] = len(f.leaves) + 1
		}
		f.leaves = append(f.leaves, leaf{v, own})
	}
	var walk func(v Value, above Dict, depth int)
	walk = func(v Value, above Dict, depth int) {
		ref, isRef := v.(Ref)
		if depth > deepest || len(f.leaves) >= mostPages || isRef && seen[ref] {
			return
		}
		d := f.dict(v)
		if d == nil {
			return
		}
		if isRef {
			seen[ref] = true
		}
		if d["Kids"] == nil {
			add(v, above)
			return
		}
		own := inheriting(d, above)
		kids := f.list(d["Kids"])
		count, _ := f.number(d["Count"])
		pages := count == float64(len(kids)) && len(kids) > 0 && f.dict(kids[0])["Kids"] == nil && f.dict(kids[len(kids)-1])["Kids"] == nil
		for _, k := range kids {
			r, isRef := k.(Ref)
			switch {
			case !pages || !isRef:
				walk(k, own, depth+1)
			case !seen[r]:
				seen[r] = true
				add(k, own)
			}
		}
	}
	walk(f.catalog()["Pages"], Dict{}, 0)
	return f.leaves
}

// inheriting gives what a node hands down.
func inheriting(d, above Dict) Dict {
	own := Dict{}
	for _, key := range inherited {
		if own[key] = d[key]; own[key] == nil {
			own[key] = above[key]
		}
	}
	return own
}

// Count is how many pages the file has. Parts of the page tree that cannot be read
// are left out, so whoever knows better should compare.
func (f *File) Count() int { return len(f.order()) }

// Page reads a page, counted from 1.
func (f *File) Page(n int) (Page, bool) {
	leaves := f.order()
	if n < 1 || n > len(leaves) {
		return Page{}, false
	}
	l := leaves[n-1]
	d := f.dict(l.object)
	return f.page(d, inheriting(d, l.above)), true
}

// Pages reads all pages, with their labels.
func (f *File) Pages() []Page {
	if f.pages != nil {
		return f.pages
	}
	f.pages = make([]Page, len(f.order()))
	for i := range f.pages {
		f.pages[i], _ = f.Page(i + 1)
	}
	f.label()
	return f.pages
}

func (f *File) page(d, own Dict) Page {
	p := Page{Unit: 1, annotations: d["Annots"], resources: own["Resources"]}
	media := f.box(own["MediaBox"])
	if media.empty() {
		media = usual
	}
	if p.Box = f.box(own["CropBox"]); p.Box.empty() {
		p.Box = media
	} else {
		p.Box = Box{math.Max(p.Box[0], media[0]), math.Max(p.Box[1], media[1]), math.Min(p.Box[2], media[2]), math.Min(p.Box[3], media[3])}
		if p.Box.empty() {
			p.Box = Box{}
		}
	}
	if r, ok := f.number(own["Rotate"]); ok && math.Abs(r) < 1e6 {
		p.Rotation = (int(r)/90%4 + 4) % 4 * 90
	}
	if u, ok := f.number(d["UserUnit"]); ok && u > 0 && u <= 75_000 {
		p.Unit = u
	}
	return p
}

// box reads a rectangle, whichever corners it names (7.9.5).
func (f *File) box(v Value) Box {
	l := f.list(v)
	if len(l) < 4 {
		return Box{}
	}
	var b Box
	for i := range b {
		b[i], _ = f.number(l[i])
	}
	return Box{math.Min(b[0], b[2]), math.Min(b[1], b[3]), math.Max(b[0], b[2]), math.Max(b[1], b[3])}
}

// Units gives the UserUnit of pages that have one (table 31), by page number
// from 1.
func (f *File) Units() map[int]float64 {
	out := map[int]float64{}
	for i, p := range f.Pages() {
		if p.Unit != 1 {
			out[i+1] = p.Unit
		}
	}
	return out
}

// label gives the pages their labels (12.4.2). A page that has none has its
// number.
func (f *File) label() {
	type span struct {
		from          int
		style, prefix string
		first         int
	}
	spans := []span{}
	f.tree(f.catalog()["PageLabels"], "Nums", func(key, v Value) {
		from, ok := key.(float64)
		d := f.dict(v)
		if !ok || from < 0 || from >= float64(len(f.pages)) || d == nil {
			return
		}
		s := span{from: int(from), first: 1}
		style, _ := f.resolved(d["S"]).(Name)
		prefix, _ := f.resolved(d["P"]).(Text)
		s.style, s.prefix = string(style), prefix.Readable()
		if n, ok := f.number(d["St"]); ok && n >= 1 && n < 1e7 {
			s.first = int(n)
		}
		spans = append(spans, s)
	})
	slices.SortStableFunc(spans, func(a, b span) int { return a.from - b.from })
	at := -1
	for i := range f.pages {
		for at+1 < len(spans) && spans[at+1].from <= i {
			at++
		}
		if at >= 0 {
			s := spans[at]
			f.pages[i].Label = s.prefix + counted(s.style, s.first+i-s.from)
		}
		if f.pages[i].Label == "" {
			f.pages[i].Label = strconv.Itoa(i + 1)
		}
	}
}

// counted writes a number in a style of page labels (table 161).
func counted(style string, n int) string {
	switch style {
	case "D":
		return strconv.Itoa(n)
	case "R", "r":
		text := roman(n)
		if style == "r" {
			text = strings.ToLower(text)
		}
		return text
	case "A", "a":
		letter := string(rune(style[0]) + rune((n-1)%26))
		return strings.Repeat(letter, min((n-1)/26+1, 100))
	}
	return ""
}

func roman(n int) string {
	var b strings.Builder
	n %= 1_000_000
	for _, r := range []struct {
		value int
		text  string
	}{{1000, "M"}, {900, "CM"}, {500, "D"}, {400, "CD"}, {100, "C"}, {90, "XC"}, {50, "L"}, {40, "XL"}, {10, "X"}, {9, "IX"}, {5, "V"},
		{4, "IV"}, {1, "I"}} {
		for n >= r.value && b.Len() < 200 {
			b.WriteString(r.text)
			n -= r.value
		}
	}
	return b.String()
}

// mostLeaves bounds the entries of a tree of names or numbers.
const mostLeaves = 200_000

// tree walks a tree of names ("Names") or numbers ("Nums"; 7.9.6, 7.9.7).
func (f *File) tree(v Value, leaves Name, give func(key, v Value)) {
	seen := map[Ref]bool{}
	n := 0
	var walk func(v Value, depth int)
	walk = func(v Value, depth int) {
		ref, isRef := v.(Ref)
		if depth > deepest || n > mostLeaves || isRef && seen[ref] {
			return
		}
		if isRef {
			seen[ref] = true
		}
		d := f.dict(v)
		pairs := f.list(d[leaves])
		for i := 0; i+1 < len(pairs) && n <= mostLeaves; i += 2 {
			n++
			give(f.resolved(pairs[i]), pairs[i+1])
		}
		for _, k := range f.list(d["Kids"]) {
			walk(k, depth+1)
		}
	}
	walk(v, 0)
}
