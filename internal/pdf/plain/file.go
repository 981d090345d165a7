package plain

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// File is a file as the engine wrote it.
type File struct {
	b       []byte
	offsets map[int]int
	root    Ref
	size    int
	start   int // of the cross-reference table
}

const mostObjects = 2_000_000

// Read finds the objects of a file.
func Read(b []byte) (*File, error) {
	i := bytes.LastIndex(b, []byte("startxref"))
	if i < 0 {
		return nil, errSyntax
	}
	s := &scanner{b: b, at: i + len("startxref")}
	s.space()
	start, err := strconv.Atoi(s.word())
	if err != nil || start < 0 || start >= len(b) {
		return nil, errSyntax
	}
	f := &File{b: b, offsets: map[int]int{}, start: start}
	for part := 0; ; part++ {
		trailer, err := f.table(start)
		if err != nil {
			return nil, err
		}
		if part == 0 {
			root, ok := trailer["Root"].(Ref)
			if !ok {
				return nil, errSyntax
			}
			size, _ := trailer["Size"].(float64)
			f.root, f.size = root, int(size)
		}
		before, ok := trailer["Prev"].(float64)
		if !ok || before < 0 || int(before) >= start || part > deepest {
			return f, nil
		}
		start = int(before)
	}
}

// table reads one cross-reference table and its trailer. What a later one has
// said stands.
func (f *File) table(start int) (Dict, error) {
	s := &scanner{b: f.b, at: start}
	if s.word() != "xref" {
		return nil, errSyntax
	}
	for {
		s.space()
		w := s.word()
		if w == "trailer" {
			break
		}
		first, err := strconv.Atoi(w)
		if err != nil {
			return nil, errSyntax
		}
		s.space()
		count, err := strconv.Atoi(s.word())
		if err != nil || first < 0 || count < 0 || first+count > mostObjects {
			return nil, errSyntax
		}
		for n := first; n < first+count; n++ {
			s.space()
			offset, err := strconv.Atoi(s.word())
			if err != nil {
				return nil, errSyntax
			}
			s.space()
			s.word()
			s.space()
			used := s.word() == "n" && offset >= 0 && offset < len(f.b)
			if _, known := f.offsets[n]; used && !known {
				f.offsets[n] = offset
			}
		}
	}
	v, err := s.value(0)
	if err != nil {
		return nil, err
	}
	trailer, ok := v.(Dict)
	if !ok {
		return nil, errSyntax
	}
	return trailer, nil
}

// object reads an object by its number; of a stream its dictionary.
func (f *File) object(n Ref) (Value, error) {
	at, ok := f.offsets[int(n)]
	if !ok {
		return nil, nil // ISO 32000-2, 7.3.10: what is not there is null
	}
	v, _, err := f.objectAt(at)
	if err != nil {
		return nil, fmt.Errorf("object %d: %w", n, err)
	}
	return v, nil
}

// objectAt reads the object at an offset, and where it ends: for a stream, the
// end of its dictionary.
func (f *File) objectAt(at int) (Value, int, error) {
	s := &scanner{b: f.b, at: at}
	s.space()
	s.word()
	s.space()
	s.word()
	s.space()
	if s.word() != "obj" {
		return nil, 0, errSyntax
	}
	v, err := s.value(0)
	return v, s.at, err
}

// resolved follows references.
func (f *File) resolved(v Value) Value {
	for range 20 {
		ref, ok := v.(Ref)
		if !ok {
			return v
		}
		next, err := f.object(ref)
		if err != nil {
			return nil
		}
		v = next
	}
	return nil
}

func (f *File) dict(v Value) Dict {
	d, _ := f.resolved(v).(Dict)
	return d
}

func (f *File) list(v Value) []Value {
	l, _ := f.resolved(v).([]Value)
	return l
}

const mostPages = 20_000

// Units gives the UserUnit of pages that have one (ISO 32000-2, table 31), by
// page number from 1.
func (f *File) Units() map[int]float64 {
	out := map[int]float64{}
	page := 0
	seen := map[Ref]bool{}
	var walk func(v Value, depth int)
	walk = func(v Value, depth int) {
		ref, isRef := v.(Ref)
		if depth > deepest || page >= mostPages || isRef && seen[ref] {
			return
		}
		if isRef {
			seen[ref] = true
		}
		d := f.dict(v)
		if d["Type"] == Name("Pages") || d["Kids"] != nil {
			for _, k := range f.list(d["Kids"]) {
				walk(k, depth+1)
			}
			return
		}
		page++
		if u, ok := f.resolved(d["UserUnit"]).(float64); ok && u > 0 && u != 1 && u <= 75_000 {
			out[page] = u
		}
	}
	walk(f.dict(f.root)["Pages"], 0)
	return out
}

// Layer is an optional content group with a name. Ref is its object.
type Layer struct {
	Ref  Ref
	Name string
	On   bool
}

const mostLayers = 200

// Layers lists the layers that a document names, in the order it gives, with
// the state its default configuration gives (ISO 32000-2, 8.11.4).
func (f *File) Layers() []Layer {
	oc := f.dict(f.dict(f.root)["OCProperties"])
	d := f.dict(oc["D"])
	has := func(list Value, r Ref) bool { return slices.Contains(f.list(list), Value(r)) }
	var order []Ref
	var walk func(list []Value, depth int)
	walk = func(list []Value, depth int) {
		for _, v := range list {
			if ref, ok := v.(Ref); ok && !slices.Contains(order, ref) {
				if _, nested := f.resolved(ref).([]Value); !nested {
					order = append(order, ref)
					continue
				}
			}
			if inner := f.list(v); depth < deepest && len(order) < mostLayers {
				walk(inner, depth+1)
			}
		}
	}
	if walk(f.list(d["Order"]), 0); len(order) == 0 {
		walk(f.list(oc["OCGs"]), 0)
	}
	var out []Layer
	for _, ref := range order {
		name, _ := f.resolved(f.dict(ref)["Name"]).(Text)
		if text := strings.TrimSpace(name.Readable()); text != "" && len(out) < mostLayers && has(oc["OCGs"], ref) {
			on := d["BaseState"] != Name("OFF") && !has(d["OFF"], ref) || has(d["ON"], ref)
			out = append(out, Layer{ref, text, on})
		}
	}
	return out
}

// WithLayers gives the file with another default configuration: the layers of
// these objects are on, all others that have a name are off. It is added behind
// the file, as a change (ISO 32000-2, 7.5.6).
func (f *File) WithLayers(on []Ref) ([]byte, error) {
	v, err := f.object(f.root)
	if err != nil {
		return nil, err
	}
	catalog, ok := v.(Dict)
	oc := f.dict(catalog["OCProperties"])
	if !ok || oc == nil {
		return nil, fmt.Errorf("%w: no layers", errSyntax)
	}
	off := []Value{}
	config := Dict{}
	for k, v := range f.dict(oc["D"]) {
		if k != "ON" && k != "OFF" && k != "BaseState" && k != "AS" {
			config[k] = v
		}
	}
	named := f.Layers()
	for _, l := range named {
		if !slices.Contains(on, l.Ref) {
			off = append(off, l.Ref)
		}
	}
	// Groups without a name stay as they were.
	for _, v := range f.list(oc["OCGs"]) {
		ref, ok := v.(Ref)
		if ok && !slices.ContainsFunc(named, func(l Layer) bool { return l.Ref == ref }) && slices.Contains(f.list(f.dict(oc["D"])["OFF"]), v) {
			off = append(off, v)
		}
	}
	config["OFF"] = off
	changed := Dict{}
	for k, v := range oc {
		changed[k] = v
	}
	changed["D"] = config
	catalog["OCProperties"] = changed
	var b bytes.Buffer
	b.Write(f.b)
	b.WriteByte('\n')
	at := b.Len()
	fmt.Fprintf(&b, "%d 0 obj\n", int(f.root))
	write(&b, catalog)
	b.WriteString("\nendobj\n")
	table := b.Len()
	fmt.Fprintf(&b, "xref\n0 1\n0000000000 65535 f \n%d 1\n%010d 00000 n \ntrailer\n", int(f.root), at)
	write(&b, Dict{"Size": float64(f.size), "Root": f.root, "Prev": float64(f.start)})
	fmt.Fprintf(&b, "\nstartxref\n%d\n%%%%EOF\n", table)
	return b.Bytes(), nil
}
