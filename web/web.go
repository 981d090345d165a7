// Package web holds what browsers load: scripts, styles, fonts and icons, all
// shipped inside the binary. Every file is served below an address that names
// the content of the whole set, so that it can be kept for ever.
package web

import (
	"bytes"
	"crypto/sha256"
	"crypto/sha512"
	"embed"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"
	"testing/fstest"

	"github.com/tdewolff/minify/v2"
	"github.com/tdewolff/minify/v2/css"
	"github.com/tdewolff/minify/v2/js"

	"incipit/internal/deliver"
)

//go:embed static
var static embed.FS

// Files serves the shipped files. The reader's own are served without what only
// people need of them: comments, white space, long names.
type Files struct {
	files  fstest.MapFS
	prefix string
	icons  map[string]template.HTML
}

var iconPaths = regexp.MustCompile(`(?s)<svg[^>]*>(.*)</svg>`)

// Load reads the set and names it by its content.
func Load() (*Files, error) {
	files := Written()
	hash := sha256.New()
	served := fstest.MapFS{}
	icons := map[string]template.HTML{}
	err := fs.WalkDir(files, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(files, name)
		if err != nil {
			return err
		}
		if b, err = light(name, b); err != nil {
			return err
		}
		served[name] = &fstest.MapFile{Data: b}
		fmt.Fprintf(hash, "%s %d\n", name, len(b))
		hash.Write(b)
		if dir, icon := path.Split(name); dir == "vendor/icons/" && strings.HasSuffix(icon, ".svg") {
			inside := iconPaths.FindSubmatch(b)
			if inside == nil {
				return fmt.Errorf("icon %s is not an SVG", icon)
			}
			icons[strings.TrimSuffix(icon, ".svg")] = template.HTML( //nolint:gosec // shipped with the binary
				`<svg class="icon" width="18" height="18" viewBox="0 0 16 16" fill="currentColor" aria-hidden="true">` +
					strings.TrimSpace(string(inside[1])) + `</svg>`)
		}
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("read the shipped files: %w", err)
	}
	return &Files{files: served, prefix: "/s/" + hex.EncodeToString(hash.Sum(nil))[:12] + "/", icons: icons}, nil
}

// light gives a script or a style that readers load in as few bytes as mean the
// same, and any other file as it is.
func light(name string, b []byte) ([]byte, error) {
	if !strings.HasPrefix(name, "reader/") && !strings.HasPrefix(name, "onpage/") {
		return b, nil
	}
	m := minify.New()
	m.AddFunc(".js", js.Minify)
	m.AddFunc(".css", css.Minify)
	out, err := m.Bytes(path.Ext(name), b)
	if errors.Is(err, minify.ErrNotExist) {
		return b, nil
	}
	if err != nil {
		return nil, fmt.Errorf("make %s light: %w", name, err)
	}
	return out, nil
}

// Written are the shipped files as they were written.
func Written() fs.FS {
	files, err := fs.Sub(static, "static")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return files
}

// Names lists the files whose names begin with a text.
func (f *Files) Names(prefix string) []string {
	var out []string
	for name := range f.files {
		if strings.HasPrefix(name, prefix) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// Address gives the address of a shipped file.
func (f *Files) Address(name string) string { return f.prefix + name }

// Style gives a style sheet to set into a page whose policy names its hash.
// What it refers to by a path of its own is given its full address.
func (f *Files) Style(name string) (string, error) {
	b, err := fs.ReadFile(f.files, name)
	if err != nil {
		return "", fmt.Errorf("read style sheet %s: %w", name, err)
	}
	return strings.ReplaceAll(string(b), "url(../", "url("+f.prefix), nil
}

// Served gives a file as it is served.
func (f *Files) Served(name string) ([]byte, error) {
	b, err := fs.ReadFile(f.files, name)
	if err != nil {
		return nil, fmt.Errorf("read %s: %w", name, err)
	}
	return b, nil
}

// Icon gives an icon to set into a page. It has no name of its own: what it
// stands in must have one.
func (f *Files) Icon(name string) (template.HTML, error) {
	icon, ok := f.icons[name]
	if !ok {
		return "", fmt.Errorf("there is no icon %q", name)
	}
	return icon, nil
}

// Functions are what templates need of the set.
func (f *Files) Functions() template.FuncMap {
	return template.FuncMap{"static": f.Address, "icon": f.Icon}
}

// Open serves one file under an address that stays, to any website. It is asked
// for anew after an hour: a mended script reaches every page.
func (f *Files) Open(name string) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b, err := f.Served(name)
		if err != nil {
			http.NotFound(w, r)
			return
		}
		sum := sha256.Sum256(b)
		h := w.Header()
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Cross-Origin-Resource-Policy", "cross-origin")
		h.Set("Timing-Allow-Origin", "*")
		deliver.Send(w, r, deliver.Parcel{MediaType: "text/javascript; charset=utf-8", ETag: hex.EncodeToString(sum[:8]),
			Content: bytes.NewReader(b), Seconds: 3600})
	})
}

// Script is the script for other people's pages, by the name that its bytes give it,
// and what a page can check it by (Subresource Integrity, 3.1).
type Script struct {
	Name      string // the file's, below /onpage/
	Integrity string
	Bytes     []byte
}

// OnPage is that script as it is served now.
func (f *Files) OnPage() (Script, error) {
	b, err := f.Served("onpage/onpage.js")
	if err != nil {
		return Script{}, err
	}
	sum, check := sha256.Sum256(b), sha512.Sum384(b)
	return Script{hex.EncodeToString(sum[:8]) + ".js", "sha384-" + base64.StdEncoding.EncodeToString(check[:]), b}, nil
}

// Icons serves our icon to browsers that ask for one by itself.
func (f *Files) Icons() http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b, err := f.Served("favicon.ico")
		if err != nil {
			http.NotFound(w, r)
			return
		}
		sum := sha256.Sum256(b)
		deliver.Send(w, r, deliver.Parcel{MediaType: "image/x-icon", ETag: hex.EncodeToString(sum[:8]), Content: bytes.NewReader(b),
			Seconds: 86400})
	})
}

// ServeHTTP serves /s/{set}/{name}. Another set's address is answered with the
// file of this one, but not kept: a page from before a new version still works.
func (f *Files) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	_, rest, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/s/"), "/")
	b, err := fs.ReadFile(f.files, path.Clean(rest))
	if err != nil {
		http.NotFound(w, r)
		return
	}
	mediaType := mime.TypeByExtension(path.Ext(rest))
	switch path.Ext(rest) {
	case ".js":
		mediaType = "text/javascript; charset=utf-8"
	case ".svg":
		mediaType = "image/svg+xml"
	case ".ico":
		mediaType = "image/x-icon"
	case ".woff2":
		mediaType = "font/woff2"
	case "":
		mediaType = "text/plain; charset=utf-8"
	}
	sum := sha256.Sum256(b)
	deliver.Send(w, r, deliver.Parcel{
		MediaType: mediaType, ETag: hex.EncodeToString(sum[:8]),
		Forever: strings.HasPrefix(r.URL.Path, f.prefix), Content: bytes.NewReader(b),
	})
}
