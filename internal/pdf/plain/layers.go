package plain

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
)

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
	oc := f.dict(f.catalog()["OCProperties"])
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
	whole, err := f.window(0, int(f.size))
	if err != nil {
		return nil, err
	}
	b.Write(whole)
	b.WriteByte('\n')
	at := b.Len()
	fmt.Fprintf(&b, "%d 0 obj\n", int(f.root))
	write(&b, catalog)
	b.WriteString("\nendobj\n")
	table := b.Len()
	fmt.Fprintf(&b, "xref\n0 1\n0000000000 65535 f \n%d 1\n%010d 00000 n \ntrailer\n", int(f.root), at)
	write(&b, Dict{"Size": float64(f.count), "Root": f.root, "Prev": float64(f.start)})
	fmt.Fprintf(&b, "\nstartxref\n%d\n%%%%EOF\n", table)
	return b.Bytes(), nil
}
