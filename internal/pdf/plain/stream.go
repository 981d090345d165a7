package plain

import (
	"bytes"
	"compress/zlib"
	"errors"
	"fmt"
	"io"
	"strconv"
)

const (
	mostStream = 64 << 20 // bytes of a stream, as it is and as it comes out
	mostInner  = 32 << 20 // bytes of object streams that are kept
)

// streamAt reads the stream at an offset: its dictionary and its data, decoded.
func (f *File) streamAt(at int64, n int) (Dict, []byte, error) {
	v, end, err := f.objectAt(at, n)
	if err != nil {
		return nil, nil, err
	}
	d, ok := v.(Dict)
	if !ok {
		return nil, nil, errSyntax
	}
	b, err := f.window(end, 64)
	if err != nil {
		return nil, nil, err
	}
	s := &scanner{b: b}
	s.space()
	if s.word() != "stream" {
		return nil, nil, errSyntax
	}
	// The data begin behind one end of line (7.3.8.1).
	if s.at < len(b) && b[s.at] == '\r' {
		s.at++
	}
	if s.at < len(b) && b[s.at] == '\n' {
		s.at++
	}
	length, _ := f.number(d["Length"])
	if length < 0 || length > mostStream || end+int64(s.at)+int64(length) > f.size {
		return nil, nil, errSyntax
	}
	var data []byte
	if length > 0 {
		if data, err = f.window(end+int64(s.at), int(length)); err != nil {
			return nil, nil, err
		}
	}
	out, err := f.decoded(d, data)
	return d, out, err
}

// decoded undoes the filters of a stream. Only what packs objects and metadata
// in practice is known here: none, and Flate with its predictors.
func (f *File) decoded(d Dict, data []byte) ([]byte, error) {
	filter, parms := f.resolved(d["Filter"]), f.resolved(d["DecodeParms"])
	if list, ok := filter.([]Value); ok {
		switch len(list) {
		case 0:
			filter = nil
		case 1:
			filter = f.resolved(list[0])
			if l, ok := parms.([]Value); ok && len(l) == 1 {
				parms = f.resolved(l[0])
			}
		}
	}
	switch filter {
	case nil:
		return data, nil
	case Name("FlateDecode"), Name("Fl"):
	default:
		return nil, fmt.Errorf("%w: the filter %v", errSyntax, filter)
	}
	z, err := zlib.NewReader(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("inflate: %w", err)
	}
	out, err := io.ReadAll(io.LimitReader(z, mostStream+1))
	switch {
	case len(out) > mostStream:
		return nil, fmt.Errorf("%w: a stream of more than %d bytes", errSyntax, mostStream)
	case err != nil && !errors.Is(err, zlib.ErrChecksum): // some writers get that wrong
		return nil, fmt.Errorf("inflate: %w", err)
	}
	p, _ := parms.(Dict)
	return f.unpredicted(p, out)
}

// unpredicted undoes a predictor (7.4.4.4).
func (f *File) unpredicted(p Dict, b []byte) ([]byte, error) {
	value := func(key Name, usual float64) int {
		if v, ok := f.number(p[key]); ok && v >= 1 && v <= 1<<20 {
			return int(v)
		}
		return int(usual)
	}
	predictor := value("Predictor", 1)
	if predictor < 10 {
		if predictor > 1 {
			return nil, fmt.Errorf("%w: the predictor %d", errSyntax, predictor)
		}
		return b, nil
	}
	pixel := max(value("Colors", 1)*value("BitsPerComponent", 8)/8, 1)
	row := (value("Colors", 1)*value("BitsPerComponent", 8)*value("Columns", 1) + 7) / 8
	before := make([]byte, row)
	out := make([]byte, 0, len(b))
	for len(b) > 1 {
		kind := b[0]
		line := bytes.Clone(b[1:min(1+row, len(b))])
		b = b[1+len(line):]
		for i := range line {
			var left, up, corner int
			up = int(before[i])
			if i >= pixel {
				left, corner = int(line[i-pixel]), int(before[i-pixel])
			}
			switch kind {
			case 1:
				line[i] += byte(left)
			case 2:
				line[i] += byte(up)
			case 3:
				line[i] += byte((left + up) / 2)
			case 4:
				line[i] += byte(paeth(left, up, corner))
			}
		}
		out = append(out, line...)
		copy(before, line)
	}
	return out, nil
}

// paeth is the predictor of that name (PNG specification, 9.4).
func paeth(a, b, c int) int {
	p := a + b - c
	pa, pb, pc := max(p-a, a-p), max(p-b, b-p), max(p-c, c-p)
	switch {
	case pa <= pb && pa <= pc:
		return a
	case pb <= pc:
		return b
	}
	return c
}

// packed is an object stream (7.5.7): where its objects begin in it.
type packed struct {
	b  []byte
	at map[int]int
}

// packedObject reads an object out of an object stream.
func (f *File) packedObject(n int, e entry) (Value, error) {
	p := f.streams[e.in]
	if p == nil {
		holder := f.entries[e.in]
		if holder.in > 0 || holder.free || holder.offset == 0 {
			return nil, errSyntax
		}
		f.streams[e.in] = &packed{} // while it is read, nothing is in it
		defer func() {
			if p == nil || p.b == nil {
				delete(f.streams, e.in)
			}
		}()
		d, b, err := f.streamAt(holder.offset, e.in)
		if err != nil {
			return nil, err
		}
		first, _ := f.number(d["First"])
		count, _ := f.number(d["N"])
		if first < 0 || int(first) > len(b) || count < 0 || count > mostObjects {
			return nil, errSyntax
		}
		p = &packed{b, map[int]int{}}
		s := &scanner{b: b[:int(first)]}
		for range int(count) {
			s.space()
			number, err := strconv.Atoi(s.word())
			if err != nil {
				return nil, errSyntax
			}
			s.space()
			offset, err := strconv.Atoi(s.word())
			if err != nil || offset < 0 {
				return nil, errSyntax
			}
			p.at[number] = int(first) + offset
		}
		if f.inner += len(b); f.inner > mostInner {
			clear(f.streams)
			f.inner = len(b)
		}
		f.streams[e.in] = p
	}
	at, ok := p.at[n]
	if !ok || at >= len(p.b) {
		return nil, errSyntax
	}
	s := &scanner{b: p.b, at: at}
	return s.value(0)
}
