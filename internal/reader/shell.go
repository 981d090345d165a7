package reader

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"sync"

	"incipit/internal/core/access"
	"incipit/internal/core/address"
	"incipit/internal/core/setting"
	"incipit/internal/library"
)

// shells remembers what was weighed: settings are proofed at many widths, and
// the shell is the same for all of them.
type shells struct {
	mu    sync.Mutex
	known map[string]int64
}

const mostShells = 200

// Shell is the bytes that come over the line, compressed, before page 1 can be
// read, its image left out: the page itself with its style, and the script.
func (r *Reader) Shell(title string, s setting.Settings, e library.Edition) (int64, error) {
	// The outer box is no part of what the reader is sent.
	d := setting.Default()
	s.Width, s.LeastWidth, s.MaxWidth, s.Align = d.Width, 0, 0, d.Align
	s.Height, s.LeastHeight, s.MostHeight, s.Corner, s.Shadow = d.Height, 0, 0, d.Corner, d.Shadow
	name, err := json.Marshal([]any{e.ID, e.PagesKnown, title, s})
	if err != nil {
		return 0, fmt.Errorf("name the settings: %w", err)
	}
	r.shells.mu.Lock()
	n, ok := r.shells.known[string(name)]
	r.shells.mu.Unlock()
	if ok {
		return n, nil
	}
	v, err := r.viewOf(shown{base: address.Reader("aaaaaaaaaaaaaaaaaaaa"), title: title, settings: s, edition: e,
		standing: access.Standing{Published: true, Holds: e.Holds()}}, r.words.For(""))
	if err != nil {
		return 0, err
	}
	var b bytes.Buffer
	if err := r.pages.t.ExecuteTemplate(&b, "reader.html", v); err != nil {
		return 0, fmt.Errorf("weigh the reader: %w", err)
	}
	n = squeezed(b.Bytes()) + r.pages.scripts
	r.shells.mu.Lock()
	defer r.shells.mu.Unlock()
	if len(r.shells.known) >= mostShells || r.shells.known == nil {
		r.shells.known = map[string]int64{}
	}
	r.shells.known[string(name)] = n
	return n, nil
}

// squeezed is the length of what is sent of a text.
func squeezed(text []byte) int64 {
	var n counter
	z := gzip.NewWriter(&n)
	_, _ = z.Write(text) // counting does not fail
	_ = z.Close()
	return int64(n)
}

type counter int64

func (c *counter) Write(p []byte) (int, error) {
	*c += counter(len(p))
	return len(p), nil
}

var _ io.Writer = (*counter)(nil)
