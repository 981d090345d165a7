// Package contract writes what Go sends to scripts as declarations of TypeScript
// (https://www.typescriptlang.org/docs/handbook/declaration-files/introduction.html), so
// that the checker of the scripts knows the shapes that encoding/json makes.
package contract

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"
)

// Named is a Go value under the name that scripts know its shape by.
type Named struct {
	Name  string
	Value any
}

// As says how a type that writes its own JSON is declared.
type As map[reflect.Type]string

// Declared writes an interface for each value, and for each struct that it is made of, in
// the order of their names. A type that writes its own JSON has to be in as.
func Declared(as As, values ...Named) (string, error) {
	w := writer{as: as, names: map[reflect.Type]string{}, bodies: map[string]string{}}
	for _, v := range values {
		w.names[reflect.TypeOf(v.Value)] = v.Name
	}
	for _, v := range values {
		if err := w.declare(reflect.TypeOf(v.Value)); err != nil {
			return "", fmt.Errorf("declare %s: %w", v.Name, err)
		}
	}
	names := make([]string, 0, len(w.bodies))
	for name := range w.bodies {
		names = append(names, name)
	}
	slices.Sort(names)
	var b strings.Builder
	for _, name := range names {
		fmt.Fprintf(&b, "interface %s {\n%s}\n", name, w.bodies[name])
	}
	return b.String(), nil
}

type writer struct {
	as     As
	names  map[reflect.Type]string
	bodies map[string]string
}

// nameOf gives the name of a struct: its package's and its own, as "proof.View" is
// ProofView.
func (w writer) nameOf(t reflect.Type) string {
	if name, is := w.names[t]; is {
		return name
	}
	title := func(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
	pkg := t.PkgPath()[strings.LastIndex(t.PkgPath(), "/")+1:]
	return title(pkg) + title(t.Name())
}

func (w writer) declare(t reflect.Type) error {
	name := w.nameOf(t)
	if _, done := w.bodies[name]; done {
		return nil
	}
	w.bodies[name] = "" // a shape may hold itself
	fields, err := w.fields(t)
	if err != nil {
		return err
	}
	w.bodies[name] = fields
	return nil
}

func (w writer) fields(t reflect.Type) (string, error) {
	var b strings.Builder
	for f := range t.Fields() {
		tag := f.Tag.Get("json")
		name, options, _ := strings.Cut(tag, ",")
		switch {
		case tag == "-" || !f.IsExported() && !f.Anonymous:
			continue
		case f.Anonymous && name == "" && f.Type.Kind() == reflect.Struct:
			inner, err := w.fields(f.Type) // its members are those of what it is part of
			if err != nil {
				return "", err
			}
			b.WriteString(inner)
			continue
		case name == "":
			name = f.Name
		}
		of, err := w.typed(f.Type)
		if err != nil {
			return "", fmt.Errorf("%s: %w", name, err)
		}
		if strings.Contains(options, "omit") {
			name += "?"
		}
		fmt.Fprintf(&b, "\t%s: %s;\n", name, of)
	}
	return b.String(), nil
}

var (
	marshaler = reflect.TypeFor[json.Marshaler]()
	raw       = reflect.TypeFor[json.RawMessage]()
	moment    = reflect.TypeFor[time.Time]()
)

// typed gives the type that a script sees.
func (w writer) typed(t reflect.Type) (string, error) {
	if as, is := w.as[t]; is {
		return as, nil
	}
	switch {
	case t == raw:
		return "unknown", nil
	case t == moment:
		return "string", nil // RFC 3339
	case t.Kind() != reflect.Pointer && (t.Implements(marshaler) || reflect.PointerTo(t).Implements(marshaler)):
		return "", fmt.Errorf("%s writes its own JSON, and nobody says how", t)
	}
	switch t.Kind() {
	case reflect.Bool:
		return "boolean", nil
	case reflect.String:
		return "string", nil
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64, reflect.Uint, reflect.Uint8, reflect.Uint16,
		reflect.Uint32, reflect.Uint64, reflect.Float32, reflect.Float64:
		return "number", nil
	case reflect.Pointer:
		of, err := w.typed(t.Elem())
		return of + " | null", err
	case reflect.Slice, reflect.Array:
		of, err := w.typed(t.Elem())
		if strings.Contains(of, " ") {
			of = "(" + of + ")"
		}
		return of + "[]", err
	case reflect.Map:
		of, err := w.typed(t.Elem())
		return "Record<string, " + of + ">", err
	case reflect.Struct:
		if t.Name() == "" {
			fields, err := w.fields(t)
			return "{\n" + fields + "}", err
		}
		return w.nameOf(t), w.declare(t)
	}
	return "", fmt.Errorf("%s has no JSON", t)
}
