// Package standin is the simulated outside. Website is another organisation's
// website on an origin of its own: a few plain pages whose source its owner can
// edit and save. It knows nothing of Incipit but what is pasted into it.
package standin

import (
	"bytes"
	"embed"
	"errors"
	"fmt"
	"html"
	"html/template"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
)

//go:embed pages templates
var files embed.FS

// Website serves and edits pages kept in a folder.
type Website struct {
	// Files are what the website offers to be fetched, if anything.
	Files *Files

	dir string
	t   *template.Template
}

// Open opens the website in a folder; an empty folder gets the first pages.
func Open(dir string) (*Website, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("make the website's folder: %w", err)
	}
	pages, err := fs.Glob(files, "pages/*.html")
	if err != nil {
		return nil, fmt.Errorf("list the first pages: %w", err)
	}
	for _, name := range pages {
		to := filepath.Join(dir, filepath.Base(name))
		if _, err := os.Stat(to); err == nil {
			continue
		}
		b, err := files.ReadFile(name)
		if err != nil {
			return nil, fmt.Errorf("read %s: %w", name, err)
		}
		if err := os.WriteFile(to, b, 0o644); err != nil {
			return nil, fmt.Errorf("write %s: %w", to, err)
		}
	}
	t, err := template.ParseFS(files, "templates/*.html")
	if err != nil {
		return nil, fmt.Errorf("read the website's templates: %w", err)
	}
	return &Website{dir: dir, t: t}, nil
}

var policy = regexp.MustCompile(`<meta http-equiv="Content-Security-Policy" content="([^"]*)">`)

var pageName = regexp.MustCompile(`^[a-z][a-z0-9-]{0,40}$`)

// Page gives the source of a page.
func (w *Website) Page(name string) (string, error) {
	if !pageName.MatchString(name) {
		return "", fs.ErrNotExist
	}
	b, err := os.ReadFile(filepath.Join(w.dir, name+".html"))
	return string(b), err
}

// Save replaces the source of a page that exists.
func (w *Website) Save(name, source string) error {
	if _, err := w.Page(name); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(w.dir, name+".html"), []byte(source), 0o644)
}

// Add makes a page, or replaces its source.
func (w *Website) Add(name, source string) error {
	if !pageName.MatchString(name) {
		return fmt.Errorf("a page cannot be called %q", name)
	}
	return os.WriteFile(filepath.Join(w.dir, name+".html"), []byte(source), 0o644)
}

// trials are the pages on which documents are tried, those that there are.
func (w *Website) trials() []string {
	var out []string
	for _, name := range []string{"ways", "mistakes", "strict", "sidebar", "right", "reports"} {
		if _, err := w.Page(name); err == nil {
			out = append(out, name)
		}
	}
	return out
}

// Handler serves the website: /{page}, /edit/{page}, /files/{how}/{name}, /style.css.
func (w *Website) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(rw http.ResponseWriter, r *http.Request) { w.show(rw, "home") })
	mux.HandleFunc("GET /{page}", func(rw http.ResponseWriter, r *http.Request) { w.show(rw, r.PathValue("page")) })
	mux.HandleFunc("GET /favicon.ico", func(rw http.ResponseWriter, r *http.Request) {
		rw.Header().Set("Content-Type", "image/svg+xml")
		http.ServeFileFS(rw, r, files, "templates/icon.svg")
	})
	if w.Files != nil {
		mux.Handle("GET /files/{how}/{name}", w.Files)
	}
	mux.HandleFunc("GET /style.css", func(rw http.ResponseWriter, r *http.Request) { http.ServeFileFS(rw, r, files, "templates/style.css") })
	mux.HandleFunc("GET /edit/{page}", func(rw http.ResponseWriter, r *http.Request) { w.edit(rw, r.PathValue("page"), "") })
	mux.HandleFunc("POST /edit/{page}", func(rw http.ResponseWriter, r *http.Request) {
		r.Body = http.MaxBytesReader(rw, r.Body, 1<<20)
		if err := w.Save(r.PathValue("page"), strings.ReplaceAll(r.FormValue("source"), "\r\n", "\n")); err != nil {
			w.fail(rw, err)
			return
		}
		http.Redirect(rw, r, "/"+r.PathValue("page"), http.StatusSeeOther)
	})
	return http.NewCrossOriginProtection().Handler(mux)
}

func (w *Website) show(rw http.ResponseWriter, name string) {
	source, err := w.Page(name)
	if err != nil {
		w.fail(rw, err)
		return
	}
	// Browsers ignore a policy in the middle of a page: it goes into the header.
	if m := policy.FindStringSubmatch(source); m != nil {
		rw.Header().Set("Content-Security-Policy", html.UnescapeString(m[1]))
		source = strings.Replace(source, m[0], "", 1)
	}
	// The source is the owner's own HTML: it goes out as it is.
	w.send(rw, "page.html", map[string]any{"Name": name, "Content": template.HTML(source), "Trials": w.trials()})
}

func (w *Website) edit(rw http.ResponseWriter, name, said string) {
	source, err := w.Page(name)
	if err != nil {
		w.fail(rw, err)
		return
	}
	w.send(rw, "edit.html", map[string]any{"Name": name, "Source": source, "Said": said})
}

func (w *Website) send(rw http.ResponseWriter, name string, data any) {
	var b bytes.Buffer
	if err := w.t.ExecuteTemplate(&b, name, data); err != nil {
		w.fail(rw, err)
		return
	}
	rw.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = rw.Write(b.Bytes())
}

func (w *Website) fail(rw http.ResponseWriter, err error) {
	if errors.Is(err, fs.ErrNotExist) {
		http.Error(rw, "There is no such page.", http.StatusNotFound)
		return
	}
	http.Error(rw, "The page could not be written.", http.StatusInternalServerError)
}
