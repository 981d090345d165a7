// Package deliver is the one way in which bytes leave the house: the file,
// page images, static files. It answers conditional requests and ranges
// (RFC 9110, 13 and 14) through net/http's ServeContent. Permission is asked
// before, by whoever calls.
package deliver

import (
	"bytes"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strings"
	"time"
	"unicode"
)

// Parcel is what is delivered.
type Parcel struct {
	MediaType string
	ETag      string // without quotation marks
	Forever   bool   // the address never means other bytes
	Seconds   int    // it may be kept without asking; 0 is not at all
	Private   bool   // not to be kept by caches on the way
	Secret    bool   // not to be kept by anybody
	SaveAs    string // a file name, for what is to be saved rather than shown
	Content   io.ReadSeeker
}

// Send answers a request with a parcel.
func Send(w http.ResponseWriter, r *http.Request, p Parcel) {
	h := w.Header()
	h.Set("Content-Type", p.MediaType)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("ETag", `"`+p.ETag+`"`)
	keep := "no-cache"
	if p.Seconds > 0 {
		keep = fmt.Sprintf("max-age=%d", p.Seconds)
	}
	if p.Forever {
		keep = "max-age=31536000, immutable"
	}
	switch {
	case p.Secret:
		h.Set("Cache-Control", "private, no-store")
	case p.Private:
		h.Set("Cache-Control", "private, "+keep)
	default:
		h.Set("Cache-Control", "public, "+keep)
	}
	if p.SaveAs != "" {
		h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": FileName(p.SaveAs)}))
	}
	http.ServeContent(atOnce{w}, r, "", time.Time{}, p.Content)
}

// atOnce writes what lies in memory as it lies there: ServeContent would copy it through
// a buffer that it makes for each answer.
type atOnce struct{ http.ResponseWriter }

// ReadFrom is how io.Copy asks for it.
func (a atOnce) ReadFrom(from io.Reader) (int64, error) {
	if part, is := from.(*io.LimitedReader); is {
		if all, is := part.R.(*bytes.Reader); is && int64(all.Len()) <= part.N {
			n, err := all.WriteTo(a.ResponseWriter)
			part.N -= n
			return n, err
		}
	}
	return io.Copy(a.ResponseWriter, from)
}

// Unwrap gives the writer below to http.ResponseController.
func (a atOnce) Unwrap() http.ResponseWriter { return a.ResponseWriter }

// FileName makes a title safe as the name of a file: no folders, no control
// characters, not hidden, not overlong.
func FileName(title string) string {
	name := strings.Map(func(r rune) rune {
		switch {
		case unicode.IsControl(r), strings.ContainsRune(`/\:*?"<>|`, r):
			return '-'
		}
		return r
	}, title)
	name = strings.Trim(name, " .-")
	if r := []rune(name); len(r) > 120 {
		name = string(r[:120])
	}
	if name == "" {
		name = "document"
	}
	return name
}
