package plain

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
)

// File is a PDF file whose objects can be looked up.
type File struct {
	r       io.ReaderAt
	size    int64
	entries map[int]entry
	root    Ref
	count   int   // objects, as the trailer says
	start   int64 // of the newest cross-reference section
	trailer Dict  // the newest one
	kept    map[int]Value
	streams map[int]*packed
	inner   int // bytes of the object streams that are kept
	places  map[string]Value
	numbers map[Ref]int // pages, by their objects
	leaves  []leaf
	known   bool // the pages: they have been looked for
	pages   []Page
	// Annotations that an element of the structure describes, and the pages of all.
	explained map[Ref]bool
	annotated map[Ref]int
}

// entry is where an object stands: at an offset, or as the index-th of an object
// stream; in is that stream's number, 0 for none. A free one is nowhere.
type entry struct {
	offset int64
	in     int
	index  int
	free   bool
}

const (
	mostObjects  = 2_000_000
	mostSections = 200
	mostObject   = 4 << 20 // bytes of one object that is no stream
	mostKept     = 8192    // objects that are remembered
	firstWindow  = 2048    // bytes in which most objects end
)

// ErrEncrypted says that a file is encrypted: its objects are not read here.
var ErrEncrypted = errors.New("the file is encrypted")

// Read finds the objects of a file in memory.
func Read(b []byte) (*File, error) { return Open(bytes.NewReader(b), int64(len(b))) }

// Open finds the objects of a file of so many bytes. Offsets count from where r
// begins: from its header.
func Open(r io.ReaderAt, size int64) (*File, error) {
	f := &File{r: r, size: size, entries: map[int]entry{}, kept: map[int]Value{}, streams: map[int]*packed{}}
	const tail = 2048
	from := max(size-tail, 0)
	b, err := f.window(from, int(size-from))
	if err != nil {
		return nil, err
	}
	i := bytes.LastIndex(b, []byte("startxref"))
	if i < 0 {
		return nil, errSyntax
	}
	s := &scanner{b: b, at: i + len("startxref")}
	s.space()
	start, err := strconv.ParseInt(s.word(), 10, 64)
	if err != nil {
		return nil, errSyntax
	}
	f.start = start
	seen := map[int64]bool{}
	for first := true; ; first = false {
		if start < 0 || start >= size || seen[start] || len(seen) > mostSections {
			return nil, errSyntax
		}
		seen[start] = true
		trailer, err := f.section(start)
		if err != nil {
			return nil, err
		}
		if first {
			if trailer["Encrypt"] != nil {
				return nil, ErrEncrypted
			}
			root, ok := trailer["Root"].(Ref)
			if !ok {
				return nil, errSyntax
			}
			n, _ := trailer["Size"].(float64)
			f.root, f.count, f.trailer = root, int(n), trailer
		}
		if also, ok := trailer["XRefStm"].(float64); ok && !seen[int64(also)] { // 7.5.8.4
			seen[int64(also)] = true
			if _, err := f.streamSection(int64(also)); err != nil {
				return nil, err
			}
		}
		before, ok := trailer["Prev"].(float64)
		if !ok {
			break
		}
		start = int64(before)
	}
	if f.dict(f.root) == nil {
		return nil, errSyntax
	}
	return f, nil
}

// window reads n bytes from an offset, or as many as there are.
func (f *File) window(at int64, n int) ([]byte, error) {
	if at < 0 || at >= f.size {
		return nil, errSyntax
	}
	b := make([]byte, min(int64(n), f.size-at))
	got, err := f.r.ReadAt(b, at)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("read the file at %d: %w", at, err)
	}
	return b[:got], nil
}

// within has something scanned that begins at an offset, in a window that grows
// until it holds all of it.
func (f *File) within(at int64, scan func(s *scanner) error) error {
	for n := firstWindow; ; n *= 4 {
		b, err := f.window(at, n)
		if err != nil {
			return err
		}
		s := &scanner{b: b}
		err = scan(s)
		whole := int64(len(b)) == f.size-at
		if s.at+20 < len(b) || whole { // what stands behind it matters as well
			return err
		}
		if n >= mostObject {
			return errSyntax
		}
	}
}

// section reads one cross-reference section and its trailer. What a later one has
// said stands.
func (f *File) section(start int64) (Dict, error) {
	b, err := f.window(start, 32)
	if err != nil {
		return nil, err
	}
	s := &scanner{b: b}
	s.space()
	if s.word() != "xref" {
		return f.streamSection(start)
	}
	return f.table(start + int64(s.at))
}

// table reads a cross-reference table (ISO 32000-2, 7.5.4).
func (f *File) table(at int64) (Dict, error) {
	for {
		var first, count int
		var trailer Dict
		var next int64
		err := f.within(at, func(s *scanner) error {
			trailer = nil
			s.space()
			w := s.word()
			if w == "trailer" {
				v, err := s.value(0)
				if err != nil {
					return err
				}
				trailer, _ = v.(Dict)
				if trailer == nil {
					return errSyntax
				}
				return nil
			}
			var err error
			if first, err = strconv.Atoi(w); err != nil {
				return errSyntax
			}
			s.space()
			if count, err = strconv.Atoi(s.word()); err != nil || first < 0 || count < 0 || first+count > mostObjects {
				return errSyntax
			}
			s.space()
			next = at + int64(s.at)
			return nil
		})
		if err != nil || trailer != nil {
			return trailer, err
		}
		if at, err = f.rows(next, first, count); err != nil {
			return nil, err
		}
	}
}

// rows reads the entries of a subsection, and gives where the next one begins.
// Rows have 20 bytes; some writers give them 19.
func (f *File) rows(at int64, first, count int) (int64, error) {
	b, err := f.window(at, 21*count+64)
	if err != nil {
		return 0, err
	}
	s := &scanner{b: b}
	for n := first; n < first+count; n++ {
		s.space()
		offset, err := strconv.ParseInt(s.word(), 10, 64)
		if err != nil {
			return 0, errSyntax
		}
		s.space()
		s.word()
		s.space()
		used := s.word() == "n"
		f.note(n, entry{offset: offset, free: !used})
	}
	return at + int64(s.at), nil
}

func (f *File) note(n int, e entry) {
	if _, known := f.entries[n]; !known {
		f.entries[n] = e
	}
}

// streamSection reads a cross-reference stream (7.5.8).
func (f *File) streamSection(at int64) (Dict, error) {
	d, b, err := f.streamAt(at, 0)
	if err != nil {
		return nil, fmt.Errorf("read the cross-references: %w", err)
	}
	var w [3]int
	widths, _ := d["W"].([]Value)
	if d["Type"] != Name("XRef") || len(widths) < 3 {
		return nil, errSyntax
	}
	for i := range w {
		v, _ := widths[i].(float64)
		if v < 0 || v > 8 {
			return nil, errSyntax
		}
		w[i] = int(v)
	}
	row := w[0] + w[1] + w[2]
	size, _ := d["Size"].(float64)
	index, ok := d["Index"].([]Value)
	if !ok {
		index = []Value{0.0, size}
	}
	if row == 0 {
		return nil, errSyntax
	}
	for i := 0; i+1 < len(index); i += 2 {
		first, _ := index[i].(float64)
		count, _ := index[i+1].(float64)
		if first < 0 || count < 0 || first+count > mostObjects {
			return nil, errSyntax
		}
		for n := int(first); n < int(first+count) && len(b) >= row; n++ {
			kind := int64(1)
			if w[0] > 0 {
				kind = number(b[:w[0]])
			}
			second, third := number(b[w[0]:w[0]+w[1]]), number(b[w[0]+w[1]:row])
			b = b[row:]
			switch kind {
			case 0:
				f.note(n, entry{free: true})
			case 1:
				f.note(n, entry{offset: second})
			case 2:
				f.note(n, entry{in: int(second), index: int(third)})
			}
		}
	}
	return d, nil
}

// number reads a whole number, the highest byte first.
func number(b []byte) int64 {
	var n int64
	for _, c := range b {
		n = n<<8 | int64(c)
	}
	return n
}

// object reads an object by its number; of a stream its dictionary.
func (f *File) object(n Ref) (Value, error) {
	if v, ok := f.kept[int(n)]; ok {
		return v, nil
	}
	e, ok := f.entries[int(n)]
	if !ok || e.free {
		return nil, nil // ISO 32000-2, 7.3.10: what is not there is null
	}
	var v Value
	var err error
	if e.in > 0 {
		v, err = f.packedObject(int(n), e)
	} else {
		v, _, err = f.objectAt(e.offset, int(n))
	}
	if err != nil {
		return nil, fmt.Errorf("object %d: %w", n, err)
	}
	if len(f.kept) >= mostKept {
		clear(f.kept)
	}
	f.kept[int(n)] = v
	return v, nil
}

// objectAt reads the object at an offset, and where it ends: for a stream, the
// end of its dictionary. Its number must be n, where that is not 0.
func (f *File) objectAt(at int64, n int) (v Value, end int64, err error) {
	err = f.within(at, func(s *scanner) error {
		s.space()
		number, err := strconv.Atoi(s.word())
		if err != nil || n != 0 && number != n {
			return errSyntax
		}
		s.space()
		s.word()
		s.space()
		if s.word() != "obj" {
			return errSyntax
		}
		v, err = s.value(0)
		end = at + int64(s.at)
		return err
	})
	return v, end, err
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

// number gives a number, and whether it is one.
func (f *File) number(v Value) (float64, bool) {
	n, ok := f.resolved(v).(float64)
	return n, ok
}

func (f *File) catalog() Dict { return f.dict(f.root) }
