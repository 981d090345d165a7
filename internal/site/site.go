// Package site is what readers see that is no viewer: web pages that we publish
// ourselves, and collections of documents.
//
// What is published is what is served, at once: every answer names its content
// by a hash and is asked about again each time (RFC 9110, 13). No cookie is set,
// no other host is asked; pages without a collection run no script.
package site

import (
	"bytes"
	"context"
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/blob"
	"incipit/internal/core/address"
	"incipit/internal/database"
	"incipit/internal/deliver"
	"incipit/internal/nouns"
	"incipit/internal/picture"
	"incipit/internal/publishing"
	"incipit/internal/reader/words"
	"incipit/internal/recall"
	"incipit/web"
)

//go:embed templates/*.html
var templates embed.FS

// Site serves published pages and collections.
type Site struct {
	nouns.All
	Blobs *blob.Store
	// Public is the address that readers reach us at, without a slash.
	Public string
	words  *words.Words
	t      *template.Template
	known  *recall.Known[found] // published pages, by path
}

// New makes a Site.
func New(s nouns.All, b *blob.Store, w *web.Files, public string) (*Site, error) {
	t, err := template.New("").Funcs(w.Functions()).ParseFS(templates, "templates/*.html")
	if err != nil {
		return nil, fmt.Errorf("read the templates of published pages: %w", err)
	}
	said, err := words.Load()
	if err != nil {
		return nil, err
	}
	return &Site{All: s, Blobs: b, Public: public, words: said, t: t, known: recall.New[found](mostKnown, s.DB.Count)}, nil
}

// Mount adds the public routes.
func (s *Site) Mount(e *echo.Echo) {
	e.GET("/c/:key", s.collection)
	e.GET("/pages", s.page)
	e.GET("/pages/:path", s.page)
	e.GET("/pictures/:id/:mark/:width", s.picture)
}

// Failed answers what went wrong, with a page and nothing of the desk.
func (s *Site) Failed(c *echo.Context, err error) {
	status, name := http.StatusInternalServerError, "away"
	var said interface{ StatusCode() int }
	switch {
	case errors.Is(err, database.ErrNotFound):
		status, name = http.StatusNotFound, "gone"
	case database.Unwritable(err):
		status, name = http.StatusBadRequest, "gone"
	case database.Away(err), blob.Away(err):
		status = http.StatusServiceUnavailable
	case errors.As(err, &said):
		status, name = said.StatusCode(), "gone"
		if status == http.StatusTooManyRequests {
			name = "busy"
		}
	}
	if status >= 500 {
		c.Response().Header().Set("Retry-After", "10")
		if !errors.Is(err, context.Canceled) && !blob.Away(err) {
			slog.ErrorContext(c.Request().Context(), "a published page failed", "route", c.Path(), "error", err)
		}
	}
	if err := s.note(c, status, name); err != nil {
		// Whoever asked has gone.
		slog.DebugContext(c.Request().Context(), "a note was not sent", "error", err)
	}
}

// send answers with a page; style is what its one style element holds, frames
// who may frame it, script whether it loads ours.
func (s *Site) send(c *echo.Context, status int, name string, data any, style, frames string, script bool) error {
	var b bytes.Buffer
	if err := s.t.ExecuteTemplate(&b, name, data); err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	sum := sha256.Sum256([]byte(style))
	policy := "default-src 'none'; style-src 'self' 'sha256-" + base64.StdEncoding.EncodeToString(sum[:]) +
		"'; img-src 'self'; font-src 'self'; " +
		"frame-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors " + frames
	if script {
		policy += "; script-src 'self'; connect-src 'self'"
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy", policy)
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "cross-origin")
	h.Set("Cross-Origin-Embedder-Policy", "require-corp") // as the reader's pages
	if status != http.StatusOK {
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Cache-Control", "no-cache")
		return c.HTMLBlob(status, b.Bytes())
	}
	hash := sha256.Sum256(b.Bytes())
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{MediaType: "text/html; charset=utf-8", ETag: hex.EncodeToString(hash[:12]),
		Content: bytes.NewReader(b.Bytes())})
	return nil
}

// note is a page that says that there is nothing.
type note struct{ Title, Text, Language, Direction string }

func (s *Site) nothing(c *echo.Context) error { return s.note(c, http.StatusNotFound, "gone") }

// note answers with one of the reader's notes.
func (s *Site) note(c *echo.Context, status int, name string) error {
	said := s.words.For(c.Request().Header.Get("Accept-Language"))
	title, err := said.Say(name + "_title")
	if err != nil {
		return err
	}
	text, err := said.Say(name + "_text")
	if err != nil {
		return err
	}
	return s.send(c, status, "note.html", note{title, text, said.Tag, said.Direction}, "", "*", false)
}

// picture answers with a picture in one of its widths.
func (s *Site) picture(c *echo.Context) error {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil {
		return s.nothing(c)
	}
	p, err := s.Publishing.Picture(c.Request().Context(), id)
	if errors.Is(err, database.ErrNotFound) || err == nil && c.Param("mark") != p.SHA256[:markLength] {
		return s.nothing(c)
	}
	if err != nil {
		return err
	}
	for _, w := range p.Widths {
		if c.Param("width") != strconv.Itoa(w) {
			continue
		}
		b, err := s.Blobs.Read(c.Request().Context(), picture.Key(p.SHA256, w))
		if err != nil {
			return err
		}
		c.Response().Header().Set("Cross-Origin-Resource-Policy", "cross-origin")
		deliver.Send(c.Response(), c.Request(),
			deliver.Parcel{MediaType: p.MediaType, ETag: fmt.Sprintf("%s-%d", p.SHA256[:16], w), Seconds: 3600, Content: bytes.NewReader(b)})
		return nil
	}
	return s.nothing(c)
}

// markLength is how much of a picture's hash stands in its address: nobody who was
// not given it guesses 48 bits.
const markLength = 12

// PictureAt is the address of a picture in a width, without our host.
func PictureAt(p publishing.Picture, width int) string {
	return address.Picture(p.ID, p.SHA256[:markLength], width)
}
