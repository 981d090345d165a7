// Package desk is the editor's screens: sign-in, documents, placements, the
// bench and house style.
//
// Every route but sign-in and set-up asks for a session first; every write is
// protected against forged requests. The screens hold no rule of the job: what
// a setting may be, what a frame measures and who may do what is asked of the
// core packages.
package desk

import (
	"bufio"
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"io"
	"log/slog"
	"mime"
	"mime/multipart"
	"net/http"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"github.com/tus/tusd/v2/pkg/handler"

	"incipit/internal/blob"
	"incipit/internal/core/access"
	"incipit/internal/core/setting"
	"incipit/internal/core/share"
	"incipit/internal/database"
	"incipit/internal/fetch"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/pdf"
	"incipit/internal/people"
	"incipit/internal/press"
	"incipit/internal/recall"
	"incipit/internal/site"
	"incipit/web"
)

//go:embed templates/*.html
var templates embed.FS

// Desk serves the editor's screens.
type Desk struct {
	nouns.All
	Press    *press.Press
	Intake   *intake.Intake
	Accounts *people.Accounts
	Sessions *scs.SessionManager
	Web      *web.Files
	Log      *slog.Logger
	// PublicURL is where readers reach us; Secure says whether by https.
	PublicURL string
	Secure    bool
	// Shell weighs what readers are sent beside page images, in bytes.
	Shell func(title string, s setting.Settings, e library.Edition) (int64, error)
	// Script is the script for other people's pages, as it is served now.
	Script web.Script
	// StandIn is the address of the demo's other website, or "".
	StandIn string
	// Site draws the pages that we publish; Blobs keeps their pictures.
	Site  *site.Site
	Blobs *blob.Store
	// Fetch asks other websites for their pages.
	Fetch *fetch.Fetcher
	// Trouble says what every editor should know of the ground that all stands
	// on, or "".
	Trouble func() string
	// Forgive has the engine try a file anew that it held something against.
	Forgive func(sha256 string)

	t        *template.Template
	followed *recall.Known[followed]
	table    []route
	uploads  *handler.UnroutedHandler
	seen     *expirable.LRU[string, struct{}] // sessions whose use was noted lately
}

// Prepare reads the templates. It is called once, before Mount.
func (d *Desk) Prepare() error {
	t, err := template.New("").Funcs(d.Web.Functions()).Funcs(functions).ParseFS(templates, "templates/*.html")
	if err != nil {
		return fmt.Errorf("read the desk's templates: %w", err)
	}
	d.t, d.followed, d.table = t, recall.New[followed](1, d.DB.Count), routes()
	if row := twice(d.table); row != "" {
		return fmt.Errorf("the desk's table of routes has %s twice", row)
	}
	if d.uploads, err = d.parts(); err != nil {
		return err
	}
	d.seen = expirable.NewLRU[string, struct{}](mostSeen, nil, seenEvery)
	return nil
}

// Protect gives the middleware of every desk route: headers, session, nothing
// read of what strangers send, protection against forged requests.
func (d *Desk) Protect() ([]echo.MiddlewareFunc, error) {
	forged, err := d.unforged("header:X-CSRF-Token,form:csrf", func(c *echo.Context) bool { return inParts(c.Request()) })
	if err != nil {
		return nil, err
	}
	// The parts of a form are not read before it is known to be wanted: the token
	// comes in a header, or in the first and small one.
	forgedParts, err := d.unforged("header:X-CSRF-Token", func(c *echo.Context) bool { return !inParts(c.Request()) })
	if err != nil {
		return nil, err
	}
	return []echo.MiddlewareFunc{headers, echo.WrapMiddleware(d.Sessions.LoadAndSave), d.strangersOut, forged, firstPart, forgedParts}, nil
}

// strangersOut has nobody send anything who has not signed in, but to sign in.
func (d *Desk) strangersOut(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		switch c.Request().Method {
		case http.MethodGet, http.MethodOptions:
			return next(c)
		}
		if d.Who(c).Editor() || d.open(c.Request()) {
			return next(c)
		}
		return d.signedIn(next)(c)
	}
}

func inParts(r *http.Request) bool {
	kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type"))
	return kind == "multipart/form-data"
}

// mostFirst is how far into a form of parts the first one is looked for.
const mostFirst = 2 << 10

// firstPart takes the token out of the first part of a form into a header; what
// follows is left as it comes.
func firstPart(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		const header = "X-CSRF-Token"
		if !inParts(r) || r.Header.Get(header) != "" || r.Body == nil {
			return next(c)
		}
		_, params, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
		if err != nil {
			return echo.ErrBadRequest.Wrap(err)
		}
		body := r.Body
		b := bufio.NewReaderSize(body, mostFirst)
		head, _ := b.Peek(mostFirst) // what there is of it
		part, err := multipart.NewReader(bytes.NewReader(head), params["boundary"]).NextPart()
		if err == nil && part.FormName() == "csrf" {
			token, _ := io.ReadAll(io.LimitReader(part, 200))
			r.Header.Set(header, string(token))
		}
		r.Body = struct {
			io.Reader
			io.Closer
		}{b, body}
		return next(c)
	}
}

// unforged refuses writes that another website had a browser send.
func (d *Desk) unforged(lookup string, skip middleware.Skipper) (echo.MiddlewareFunc, error) {
	m, err := middleware.CSRFConfig{
		Skipper: skip, TokenLookup: lookup, CookieName: "incipit_csrf", CookiePath: "/",
		CookieHTTPOnly: true, CookieSecure: d.Secure, CookieSameSite: http.SameSiteLaxMode,
	}.ToMiddleware()
	if err != nil {
		return nil, fmt.Errorf("protect forms: %w", err)
	}
	return m, nil
}

const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; " +
	"connect-src 'self'; frame-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"

func headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		guard(c.Response().Header())
		return next(c)
	}
}

// guard sets the headers of all that the desk answers.
func guard(h http.Header) {
	h.Set("Content-Security-Policy", policy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	h.Set("Cache-Control", "no-store")
}

const (
	accountKey = "account"
	mostSeen   = 10_000
	seenEvery  = 5 * time.Minute // so often the use of a session is noted
)

// Who tells who asks, from the session.
func (d *Desk) Who(c *echo.Context) access.Who {
	id := d.Sessions.GetInt64(c.Request().Context(), accountKey)
	return access.Who{Account: id}
}

// signedIn lets editors pass and sends others to sign in.
func (d *Desk) signedIn(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		who := d.Who(c)
		if who.Editor() {
			a, err := d.People.Account(c.Request().Context(), who.Account)
			if err == nil && a.SuspendedAt != nil {
				err = database.ErrNotFound
			}
			if err == nil {
				c.Set(accountKey, a)
				if session := d.session(c); !d.seen.Contains(session) {
					if err := d.People.SeeSignIn(c.Request().Context(), session); err != nil {
						return err
					}
					d.seen.Add(session, struct{}{})
				}
				return next(c)
			}
			if !errors.Is(err, database.ErrNotFound) {
				return err
			}
		}
		return d.ended(c)
	}
}

func wantsJSON(r *http.Request) bool {
	return strings.HasPrefix(r.Header.Get("Accept"), "application/json")
}

// problem is an error as scripts are told it.
type problem struct {
	Message string `json:"message"`
}

// screen is what every template is given.
type screen struct {
	Name    string // of the screen, for the navigation
	Title   string
	Account people.Account
	CSRF    string
	Trouble string // that every editor should know of, or ""
	Data    any
}

// send renders a screen.
func (d *Desk) send(c *echo.Context, status int, name, title string, data any) error {
	s := screen{Name: name, Title: title, Data: data}
	s.Account, _ = c.Get(accountKey).(people.Account)
	if s.Account.ID != 0 && d.Trouble != nil {
		s.Trouble = d.Trouble()
	}
	s.CSRF, _ = c.Get(middleware.DefaultCSRFConfig.ContextKey).(string)
	var b bytes.Buffer
	if err := d.t.ExecuteTemplate(&b, name+".html", s); err != nil {
		return fmt.Errorf("write screen %s: %w", name, err)
	}
	return c.HTMLBlob(status, b.Bytes())
}

// Failed answers errors that no handler answered.
func (d *Desk) Failed(c *echo.Context, err error) {
	status, message := http.StatusInternalServerError, "Something went wrong here. Nothing you saved is lost; please try again."
	var http5 interface{ StatusCode() int }
	switch {
	case errors.Is(err, database.ErrNotFound):
		status, message = http.StatusNotFound, "There is nothing at this address. It may have been removed."
	case errors.As(err, &http5):
		status = http5.StatusCode()
		message = map[int]string{
			http.StatusNotFound:              "There is nothing at this address. It may have been removed.",
			http.StatusForbidden:             "This request did not come from Incipit's own page, or the page is old, or this browser keeps no cookies for it. Allow cookies for this address, load the page again and repeat it.",
			http.StatusBadRequest:            "This request could not be understood. Load the page again and repeat it.",
			http.StatusRequestEntityTooLarge: "That is more than can be taken at once. Nothing was changed.",
			http.StatusRequestTimeout:        "That came too slowly and was cut off. Nothing was changed; please try again.",
			http.StatusMethodNotAllowed:      "This address does not do that.",
			http.StatusTooManyRequests:       "That was too often, or too many at once. Nothing was changed; please try again in a moment.",
			http.StatusRequestURITooLong:     "This address is too long.",
		}[status]
		if message == "" {
			message = http.StatusText(status)
		}
	case database.Unwritable(err):
		status, message = http.StatusBadRequest, "A text holds a character that cannot be kept (a zero byte). Nothing was changed: take it out and try again."
	case database.Away(err), errors.Is(err, database.ErrUncertain):
		status, message = http.StatusServiceUnavailable, "The database does not answer at the moment. Nothing you saved is lost; what you changed last may not have been kept. Try again in a moment."
		c.Response().Header().Set("Retry-After", "5")
	case blob.Away(err):
		status, message = http.StatusServiceUnavailable, "The server's storage does not answer at the moment. Nothing of this was kept, and nothing else is lost. Try again in a moment."
		c.Response().Header().Set("Retry-After", "5")
	case blob.ReadOnly(err):
		status, message = http.StatusInsufficientStorage, "The server's storage takes nothing: it may only be read. Nothing of this was kept, and nothing else is lost. Whoever runs the server has to let it write there."
	case blob.Full(err):
		status, message = http.StatusInsufficientStorage, "The disk of this server is full. Nothing of this was kept, and nothing else is lost. Whoever runs the server has to make room."
	case errors.Is(err, share.ErrFull), errors.Is(err, pdf.ErrAway):
		status, message = http.StatusServiceUnavailable, "Too much is being done at once. Nothing of this was kept; please try again in a moment."
		c.Response().Header().Set("Retry-After", "5")
	}
	// Somebody who went away is no failure of ours.
	if status >= 500 && !errors.Is(err, context.Canceled) && !blob.Away(err) {
		d.Log.Error("request failed", "method", c.Request().Method, "route", c.Path(), "error", err)
	}
	guard(c.Response().Header())
	if wantsJSON(c.Request()) {
		_ = c.JSON(status, problem{message})
		return
	}
	_ = d.send(c, status, "error", "Incipit", map[string]any{"Status": status, "Message": message})
}

// Down answers, outside a route, that sessions cannot be read.
func (d *Desk) Down(w http.ResponseWriter, r *http.Request, err error) {
	c := echo.New().NewContext(r, w)
	d.Failed(c, err)
}

var functions = template.FuncMap{
	"oneWord":   func(label string) string { return strings.ReplaceAll(label, " ", "-") },
	"explained": func(key any) string { return setting.Key(fmt.Sprint(key)).Explained() },
	"bytes":     Bytes,
	"day":       func(t time.Time) string { return t.Format("2 January 2006") },
	"instant":   func(t time.Time) string { return t.UTC().Format(time.RFC3339) },
	"moment":    func(t time.Time) string { return t.UTC().Format("2 January 2006, 15:04 UTC") },
	"initials": func(name string) string {
		var out string
		for _, part := range strings.Fields(name) {
			if r := []rune(part); len(out) < 2 {
				out += strings.ToUpper(string(r[0]))
			}
		}
		return out
	},
	"plural": plural,
}

// Bytes writes a size for people, in powers of ten.
func Bytes(n int64) string {
	switch {
	case n < 1000:
		return fmt.Sprintf("%d bytes", n)
	case n < 1_000_000:
		return fmt.Sprintf("%.0f KB", float64(n)/1e3)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}
