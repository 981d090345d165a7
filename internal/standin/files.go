package standin

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Files is another organisation's file host, as they are found: one that answers slowly, one
// that has moved a file, one that breaks off, one that shows a web page where a PDF was
// promised, one that asks for sign-in, one whose file changes. What they are is in the
// address: /files/{how}/{name}, how being plain, slow, moved, breaks, forgets, page, members
// or changes.
type Files struct {
	// Pause is between the pieces of a slow file, of which there are twenty.
	Pause time.Duration

	mu    sync.Mutex
	files map[string][]byte
	asked map[string]int // answers that were given, by path
}

// NewFiles makes a host of files, by their names.
func NewFiles(files map[string][]byte) *Files {
	return &Files{Pause: 250 * time.Millisecond, files: files, asked: map[string]int{}}
}

// Put replaces a file, or adds one.
func (f *Files) Put(name string, b []byte) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.files[name] = b
}

// Asked says how often a path was answered.
func (f *Files) Asked(path string) int {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.asked[path]
}

func (f *Files) next(name string) ([]byte, bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	b, ok := f.files[name+".next"]
	return b, ok
}

// ServeHTTP serves a file in the way that its address names.
func (f *Files) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	how, name, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/files/"), "/")
	f.mu.Lock()
	f.asked[r.URL.Path]++
	nth, b, ok := f.asked[r.URL.Path], f.files[name], false
	_, ok = f.files[name]
	f.mu.Unlock()
	if !ok {
		http.NotFound(w, r)
		return
	}
	hash := sha256.Sum256(b)
	mark := fmt.Sprintf("%q", fmt.Sprintf("%x", hash[:8]))
	switch how {
	case "moved":
		http.Redirect(w, r, "/files/plain/"+name, http.StatusMovedPermanently)
	case "page":
		w.Header().Set("Content-Type", "application/pdf") // so it says
		_, _ = fmt.Fprintf(w, "<!doctype html><html lang=en><head><title>Sign in to the reserve's files</title></head><body><p>%s</p></body></html>", filepath.Base(name))
	case "members":
		w.Header().Set("WWW-Authenticate", "Basic")
		http.Error(w, "Members only.", http.StatusUnauthorized)
	case "slow":
		w.Header().Set("Content-Length", strconv.Itoa(len(b)))
		for i := range 20 {
			if _, err := w.Write(b[i*len(b)/20 : (i+1)*len(b)/20]); err != nil {
				return
			}
			_ = http.NewResponseController(w).Flush()
			select {
			case <-time.After(f.Pause):
			case <-r.Context().Done():
				return
			}
		}
	case "breaks", "forgets":
		// A third comes each time. The one that forgets knows no parts: it begins anew.
		from := 0
		if how == "breaks" {
			w.Header().Set("ETag", mark)
			if _, err := fmt.Sscanf(r.Header.Get("Range"), "bytes=%d-", &from); err == nil && r.Header.Get("If-Range") == mark && from < len(b) {
				w.Header().Set("Content-Range", fmt.Sprintf("bytes %d-%d/%d", from, len(b)-1, len(b)))
			} else {
				from = 0
			}
		}
		w.Header().Set("Content-Length", strconv.Itoa(len(b)-from))
		if from > 0 {
			w.WriteHeader(http.StatusPartialContent)
		}
		to := min(from+len(b)/3+1, len(b))
		if how == "forgets" && nth%3 == 0 {
			to = len(b)
		}
		_, _ = w.Write(b[from:to])
		if to < len(b) {
			_ = http.NewResponseController(w).Flush()
			panic(http.ErrAbortHandler)
		}
	default: // plain, changes
		// What changes does so at every second look, where another state of it is there.
		if next, ok := f.next(name); ok && how == "changes" && nth%2 == 0 {
			b, hash = next, sha256.Sum256(next)
			mark = fmt.Sprintf("%q", fmt.Sprintf("%x", hash[:8]))
		}
		w.Header().Set("ETag", mark)
		w.Header().Set("Content-Type", "application/pdf")
		http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(b))
	}
}
