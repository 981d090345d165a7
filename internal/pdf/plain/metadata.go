package plain

import "fmt"

// mostMetadata is how many bytes of a metadata packet are read.
const mostMetadata = 1 << 20

// Metadata gives the packet that describes the whole document (ISO 32000-2,
// 14.3.2), or nothing where there is none.
func (f *File) Metadata() ([]byte, error) {
	ref, ok := f.catalog()["Metadata"].(Ref)
	e := f.entries[int(ref)]
	if !ok || e.in > 0 || e.free || e.offset == 0 {
		return nil, nil
	}
	_, b, err := f.streamAt(e.offset, int(ref))
	if err != nil {
		return nil, fmt.Errorf("read the metadata: %w", err)
	}
	return b[:min(len(b), mostMetadata)], nil
}
