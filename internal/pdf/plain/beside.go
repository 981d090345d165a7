package plain

import "strings"

// Note is an annotation that is no link, no field and no window of another one (ISO 32000-2,
// 12.5.6).
type Note struct {
	Kind, By, Text string
}

// Notes lists at most so many notes of a page, counted from 1.
func (f *File) Notes(page, most int) []Note {
	p, ok := f.Page(page)
	if !ok {
		return nil
	}
	var out []Note
	for i, v := range f.list(p.annotations) {
		if i > 20*most || len(out) >= most {
			break
		}
		d := f.dict(v)
		kind, _ := f.resolved(d["Subtype"]).(Name)
		switch kind {
		case "", "Link", "Widget", "Popup":
			continue
		}
		by, _ := f.resolved(d["T"]).(Text)
		text, _ := f.resolved(d["Contents"]).(Text)
		out = append(out, Note{string(kind), by.Readable(), text.Readable()})
	}
	return out
}

// Filled is what is filled into a field (12.7.4), by its whole name.
type Filled struct{ Name, Value string }

const hiddenValue = 1 << 13 // flag of a field for passwords (12.7.5.3)

// Values lists at most so many fields that hold something. What is meant for passwords is
// left out.
func (f *File) Values(most int) (out []Filled) {
	seen := map[Ref]bool{}
	var walk func(v Value, name string, above Dict, depth int)
	walk = func(v Value, name string, above Dict, depth int) {
		if ref, is := v.(Ref); is {
			if seen[ref] {
				return
			}
			seen[ref] = true
		}
		d := f.dict(v)
		own := Dict{}
		for _, key := range []Name{"V", "Ff"} {
			if own[key] = d[key]; own[key] == nil {
				own[key] = above[key]
			}
		}
		if part, is := f.resolved(d["T"]).(Text); is {
			name = strings.TrimPrefix(name+"."+part.Readable(), ".")
		}
		kids := f.list(d["Kids"])
		named := false
		for _, k := range kids {
			if _, is := f.dict(k)["T"]; is {
				named = true
			}
		}
		if named && depth < deepest {
			for _, k := range kids {
				if len(out) < most {
					walk(k, name, own, depth+1)
				}
			}
			return
		}
		flags, _ := f.number(own["Ff"])
		if text := f.written(own["V"]); text != "" && int(flags)&hiddenValue == 0 && len(out) < most {
			out = append(out, Filled{name, text})
		}
	}
	for _, v := range f.list(f.dict(f.catalog()["AcroForm"])["Fields"]) {
		if len(out) < most {
			walk(v, "", Dict{}, 0)
		}
	}
	return out
}

// written is a value as text: a text, a name, or several of them.
func (f *File) written(v Value) string {
	switch v := f.resolved(v).(type) {
	case Text:
		return v.Readable()
	case Name:
		return string(v)
	case []Value:
		var parts []string
		for _, p := range v {
			if t, is := f.resolved(p).(Text); is && len(parts) < 100 {
				parts = append(parts, t.Readable())
			}
		}
		return strings.Join(parts, ", ")
	}
	return ""
}
