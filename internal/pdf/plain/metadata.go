package plain

import (
	"bytes"
	"compress/zlib"
	"fmt"
	"io"
)

// mostMetadata is how many bytes of a metadata packet are read.
const mostMetadata = 1 << 20

// Metadata gives the packet that describes the whole document (ISO 32000-2,
// 14.3.2), or nothing where there is none. It is written as it is, or deflated;
// no other filter is known here.
func (f *File) Metadata() ([]byte, error) {
	ref, ok := f.dict(f.root)["Metadata"].(Ref)
	if !ok {
		return nil, nil
	}
	at, ok := f.offsets[int(ref)]
	if !ok {
		return nil, nil
	}
	v, end, err := f.objectAt(at)
	if err != nil {
		return nil, fmt.Errorf("read the metadata: %w", err)
	}
	d, _ := v.(Dict)
	length, _ := f.resolved(d["Length"]).(float64)
	s := &scanner{b: f.b, at: end}
	s.space()
	if d == nil || s.word() != "stream" {
		return nil, fmt.Errorf("read the metadata: %w", errSyntax)
	}
	// The data begin behind one end of line (7.3.8.1).
	rest := bytes.TrimPrefix(bytes.TrimPrefix(f.b[s.at:], []byte("\r")), []byte("\n"))
	if length < 0 || length > float64(len(rest)) {
		return nil, fmt.Errorf("read the metadata: %w", errSyntax)
	}
	rest = rest[:int(length)]
	filter := f.resolved(d["Filter"])
	if list, ok := filter.([]Value); ok && len(list) == 1 {
		filter = f.resolved(list[0])
	} else if ok && len(list) == 0 {
		filter = nil
	}
	switch {
	case filter == nil:
		return rest[:min(len(rest), mostMetadata)], nil
	case filter != Name("FlateDecode") || d["DecodeParms"] != nil:
		return nil, fmt.Errorf("read the metadata: %w: the filter %v", errSyntax, filter)
	}
	z, err := zlib.NewReader(bytes.NewReader(rest))
	if err != nil {
		return nil, fmt.Errorf("inflate the metadata: %w", err)
	}
	out, err := io.ReadAll(io.LimitReader(z, mostMetadata))
	if err != nil {
		return nil, fmt.Errorf("inflate the metadata: %w", err)
	}
	return out, nil
}
