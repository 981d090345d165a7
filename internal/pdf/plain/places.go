package plain

// Destination is a place in the file (ISO 32000-2, 12.3.2). Page counts from 1; 0
// is nowhere in it. What is not Set is left as it is: Left and Top are in user
// space, Zoom is 1 for a point to a point. Fit is how the view is to be fitted,
// one of XYZ, Fit, FitH, FitV, FitR, FitB, FitBH and FitBV; FitR has Box.
type Destination struct {
	Page int
	Fit  Name
	Left Coordinate
	Top  Coordinate
	Zoom float64
	Box  Box
}

// Coordinate is a number that may be left out.
type Coordinate struct {
	Value float64
	Set   bool
}

func (f *File) coordinate(l []Value, i int) Coordinate {
	if i >= len(l) {
		return Coordinate{}
	}
	v, ok := f.number(l[i])
	return Coordinate{v, ok}
}

// Destination reads a destination: an array, or a name of one.
func (f *File) Destination(v Value) Destination {
	f.order()
	v = f.resolved(v)
	switch name := v.(type) {
	case Name:
		v = f.named(string(name))
	case Text:
		v = f.named(string(name))
	}
	if d, ok := v.(Dict); ok {
		v = f.resolved(d["D"])
	}
	l, _ := v.([]Value)
	var out Destination
	if len(l) == 0 {
		return out
	}
	switch page := l[0].(type) {
	case Ref:
		out.Page = f.numbers[page]
	case float64: // of another file, by the letter; some mean their own
		if page >= 0 && page < float64(len(f.leaves)) {
			out.Page = int(page) + 1
		}
	}
	if out.Page == 0 {
		return Destination{}
	}
	if len(l) > 1 {
		out.Fit, _ = f.resolved(l[1]).(Name)
	}
	switch out.Fit {
	case "XYZ":
		out.Left, out.Top = f.coordinate(l, 2), f.coordinate(l, 3)
		if z := f.coordinate(l, 4); z.Set && z.Value > 0 {
			out.Zoom = z.Value
		}
	case "FitH", "FitBH":
		out.Top = f.coordinate(l, 2)
	case "FitV", "FitBV":
		out.Left = f.coordinate(l, 2)
	case "FitR":
		if len(l) >= 6 {
			out.Box = f.box(l[2:6])
			out.Left, out.Top = Coordinate{out.Box[0], true}, Coordinate{out.Box[3], true}
		}
	}
	return out
}

// named finds a destination by its name: in the tree of names, or, before PDF 1.2,
// in the catalog's dictionary.
func (f *File) named(name string) Value {
	if f.places == nil {
		f.places = map[string]Value{}
		f.tree(f.dict(f.catalog()["Names"])["Dests"], "Names", func(key, v Value) {
			if k, ok := key.(Text); ok {
				f.places[string(k)] = v
			}
		})
		for k, v := range f.dict(f.catalog()["Dests"]) {
			if _, known := f.places[string(k)]; !known {
				f.places[string(k)] = v
			}
		}
	}
	return f.resolved(f.places[name])
}

// Named finds a destination by its name, as bytes.
func (f *File) Named(name string) Destination { return f.Destination(Text(name)) }

// Target is where an entry or a link leads: to a Place, a web Address, another
// File, or, where none is set, nowhere.
type Target struct {
	Place   Destination
	Address string
	File    string
}

// target reads where something leads that has a destination or an action (12.6).
func (f *File) target(d Dict) Target {
	if d["Dest"] != nil {
		return Target{Place: f.Destination(d["Dest"])}
	}
	action := f.dict(d["A"])
	text := func(v Value) string {
		t, _ := f.resolved(v).(Text)
		return string(t)
	}
	switch f.resolved(action["S"]) {
	case Name("GoTo"):
		return Target{Place: f.Destination(action["D"])}
	case Name("URI"):
		return Target{Address: text(action["URI"])}
	case Name("GoToR"), Name("Launch"), Name("GoToE"):
		name := text(action["F"])
		if file := f.dict(action["F"]); file != nil {
			if name = Text(text(file["UF"])).Readable(); name == "" {
				name = text(file["F"])
			}
		}
		if name == "" {
			name = "?"
		}
		return Target{File: Text(name).Readable()}
	}
	return Target{}
}

// Entry is one entry of the outline; Level counts from 1. Folded says that what is
// below it is shown only when asked.
type Entry struct {
	Title  string
	Level  int
	Folded bool
	Target
}

// Outline lists the outline (12.3.3), at most so many entries so deep.
func (f *File) Outline(most, depth int) []Entry {
	var out []Entry
	seen := map[Ref]bool{}
	var walk func(v Value, level int)
	walk = func(v Value, level int) {
		for len(out) < most && level <= depth {
			ref, ok := v.(Ref)
			d := f.dict(v)
			if !ok || d == nil || seen[ref] {
				return
			}
			seen[ref] = true
			title, _ := f.resolved(d["Title"]).(Text)
			open, _ := f.number(d["Count"])
			out = append(out, Entry{Title: title.Readable(), Level: level, Folded: open < 0, Target: f.target(d)})
			walk(d["First"], level+1)
			v = d["Next"]
		}
	}
	walk(f.dict(f.catalog()["Outlines"])["First"], 1)
	return out
}

// Link is a link of a page: its rectangle in user space and where it leads.
type Link struct {
	Box Box
	Target
}

// Links lists at most so many links of a page, counted from 1.
func (f *File) Links(page, most int) []Link {
	p, ok := f.Page(page)
	if !ok {
		return nil
	}
	var out []Link
	for i, v := range f.list(p.annotations) {
		if i > 20*most || len(out) >= most {
			break
		}
		d := f.dict(v)
		if f.resolved(d["Subtype"]) != Name("Link") {
			continue
		}
		const hidden = 1 << 1
		if flags, _ := f.number(d["F"]); int(flags)&hidden != 0 {
			continue
		}
		out = append(out, Link{f.box(d["Rect"]), f.target(d)})
	}
	return out
}
