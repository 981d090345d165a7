package reader

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"html/template"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/deliver"
	"incipit/web"
)

//go:embed templates/*.html
var templates embed.FS

// pages renders the reader's templates with the headers that protect them.
type pages struct {
	t       *template.Template
	style   template.CSS
	scripts int64 // bytes of the scripts that every reader loads, as sent
	first   map[string]string
}

// atStart are the scripts that every reader loads; the others come with the
// tool that needs them. A browser test holds the list and what browsers load
// together.
var atStart = []string{"reader", "near", "edge", "flow", "bar", "zoom", "make"}

func parse(w *web.Files) (*pages, error) {
	t, err := template.New("").Funcs(w.Functions()).ParseFS(templates, "templates/*.html")
	if err != nil {
		return nil, fmt.Errorf("read the reader's templates: %w", err)
	}
	style, err := w.Style("reader/reader.css")
	if err != nil {
		return nil, err
	}
	p := &pages{t: t, style: template.CSS(style), first: map[string]string{}} //nolint:gosec // shipped with the binary
	for _, name := range atStart {
		b, err := w.Served("reader/" + name + ".js")
		if err != nil {
			return nil, err
		}
		p.scripts += squeezed(b)
		p.first[name] = w.Address("reader/" + name + ".js")
	}
	return p, nil
}

// policy is the reader's content security policy: its own script, style and
// images, and one style element that is named by its hash. It may be framed
// by any website; a draft by the desk alone. Blobs are images that a script
// has fetched itself: those of a document that asks for a password.
func policy(style string, draft, blobs bool, sites []string) string {
	sum := sha256.Sum256([]byte(style))
	ancestors, images := "*", "img-src 'self'; "
	if blobs {
		images = "img-src 'self' blob:; "
	}
	if len(sites) > 0 {
		ancestors = "'self' " + strings.Join(sites, " ")
	}
	if draft {
		ancestors = "'self'"
	}
	return "default-src 'none'; script-src 'self'; style-src 'self' 'sha256-" + base64.StdEncoding.EncodeToString(sum[:]) + "'; " +
		images + "font-src 'self'; connect-src 'self'; frame-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors " + ancestors
}

// send renders a page and compresses it; equal pages are not sent twice. leave is
// called once that is done, before anything is sent: whoever takes their time to
// receive keeps nobody waiting.
func (p *pages) send(c *echo.Context, name string, v view, draft bool, leave func()) error {
	defer leave()
	var b bytes.Buffer
	if err := p.t.ExecuteTemplate(&b, name, v); err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	h := c.Response().Header()
	sum := sha256.Sum256(b.Bytes())
	etag, body := hex.EncodeToString(sum[:12]), b.Bytes()
	h.Add("Vary", "Accept-Encoding")
	if strings.Contains(c.Request().Header.Get("Accept-Encoding"), "gzip") {
		var packed bytes.Buffer
		z := gzip.NewWriter(&packed)
		if _, err := z.Write(body); err != nil {
			return fmt.Errorf("compress %s: %w", name, err)
		}
		if err := z.Close(); err != nil {
			return fmt.Errorf("compress %s: %w", name, err)
		}
		h.Set("Content-Encoding", "gzip")
		etag, body = etag+"-z", packed.Bytes()
	}
	leave()
	h.Set("Content-Security-Policy", policy(string(v.Style), draft, v.Locked, v.Sites))
	h.Set("Referrer-Policy", "no-referrer")
	isolated(h)
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "text/html; charset=utf-8", ETag: etag, Private: true, Secret: !draft && (v.Guarded || v.Locked),
		Content: bytes.NewReader(body),
	})
	return nil
}

// isolated lets pages that isolate themselves frame a page (HTML, 7.1.4, cross-origin
// embedder policies): it asks nothing of another host itself. Who may frame it says
// the policy.
func isolated(h http.Header) {
	h.Set("Cross-Origin-Resource-Policy", "cross-origin")
	h.Set("Cross-Origin-Embedder-Policy", "require-corp")
}

// note is a polite page in place of what was asked for: the start of the names
// of its heading and its text among the reader's words.
type note string

// placeholder is what stands for a cover that is not there: a calm sheet, where a
// browser would show a broken picture. What it is called stays with the page.
func placeholder(c *echo.Context, status int) error {
	h := c.Response().Header()
	h.Set("Cache-Control", "private, no-store")
	h.Set("Cross-Origin-Resource-Policy", "cross-origin")
	h.Set("X-Content-Type-Options", "nosniff")
	return c.Blob(status, "image/svg+xml; charset=utf-8", []byte(emptySheet))
}

const emptySheet = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 210 297" width="420" height="594"><path fill="#efe8d8" d="M0 0h210v297H0z"/><path fill="#fffdf8" stroke="#d9cfba" d="M36 40h138v217H36z"/></svg>`

// reason is what a page around a note is told (see web/static/onpage).
func (n note) reason() string {
	switch n {
	case notHere, noSuchPage:
		return "not-found"
	case otherSite:
		return "website"
	case guarded:
		return "token"
	case away, busy, reading:
		return "host-away"
	}
	return "closed"
}

const (
	notHere     note = "gone"
	closedFile  note = "file"
	closedPrint note = "noprint"
	closedText  note = "notext"
	reading     note = "reading"
	locked      note = "password"
	busy        note = "busy"
	noSuchPage  note = "nopage"
	unreadable  note = "damaged"
	otherSite   note = "site"
	away        note = "away"
	noText      note = "textless"
	guarded     note = "guarded"
)

// note answers with a note. Requests of the reader's own script see the status.
func (r *Reader) note(c *echo.Context, status int, n note) error {
	if strings.Contains(c.Path(), "/cover/") && c.Request().Header.Get("Sec-Fetch-Dest") == "image" {
		return placeholder(c, status)
	}
	said := r.said(c)
	heading, err := said.Say(string(n) + "_title")
	if err != nil {
		return err
	}
	text, err := said.Say(string(n) + "_text")
	if err != nil {
		return err
	}
	v := view{Title: heading, Words: said, Style: r.pages.style}
	var b bytes.Buffer
	if err := r.pages.t.ExecuteTemplate(&b, "note.html", map[string]any{"View": v,
		"Note": map[string]string{"Heading": heading, "Text": text, "Reason": n.reason()}}); err != nil {
		return fmt.Errorf("write a note: %w", err)
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy", policy(string(v.Style), false, false, nil))
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("X-Content-Type-Options", "nosniff")
	isolated(h)
	h.Set("Cache-Control", "private, no-store")
	return c.HTMLBlob(status, b.Bytes())
}
