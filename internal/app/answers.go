package app

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/blob"
	"incipit/internal/core/address"
	"incipit/internal/core/share"
	"incipit/internal/recall"
)

// limit gives the bytes that a request's body may have.
func (a *App) limit(r *http.Request) (int64, bool) {
	if address.PartOf(r.URL.Path) != address.Desk && address.PartOf(r.URL.Path) != address.Nowhere {
		return 8 << 10, false // a token, a password, where a viewer stands
	}
	return a.desk.Limit(r)
}

// failed answers errors that no handler answered, as who asked would expect: a
// reader's frame holds a calm note, and no part of the desk.
func (a *App) failed(c *echo.Context, err error) {
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return
	}
	switch address.PartOf(c.Request().URL.Path) {
	case address.Viewer:
		a.viewer.Failed(c, err)
	case address.Site:
		a.site.Failed(c, err)
	case address.House:
		status := http.StatusInternalServerError
		if s, ok := err.(interface{ StatusCode() int }); ok {
			status = s.StatusCode()
		}
		_ = plain(c, status, http.StatusText(status))
	default:
		a.desk.Failed(c, err)
	}
}

// plain answers a program.
func plain(c *echo.Context, status int, text string) error {
	h := c.Response().Header()
	h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Cache-Control", "no-store")
	return c.String(status, text+"\n")
}

// live says that the process answers.
func (a *App) live(c *echo.Context) error { return plain(c, http.StatusOK, "alive") }

// ready says whether readers can be answered by this server: it is what a balancer asks. A
// database or a store that is away is so for every server; readers get what is in memory, or
// a calm note, which is better than a balancer's own page. Not ready is a server whose
// engine cannot be started, or that has not seen the database for so long that it remembers
// nothing.
func (a *App) ready(c *echo.Context) error {
	ctx, cancel := context.WithTimeout(c.Request().Context(), 1800*time.Millisecond)
	defer cancel()
	if e, ok := a.engine.(interface{ Ready(context.Context) error }); ok {
		if err := e.Ready(ctx); err != nil && !errors.Is(err, share.ErrFull) && ctx.Err() == nil {
			a.log.Warn("not ready", "what", "the PDF engine", "error", err)
			return plain(c, http.StatusServiceUnavailable, "not ready: the PDF engine cannot be started")
		}
	}
	if a.DB.IsAway() && time.Since(a.DB.Answered()) > recall.MostAway {
		return plain(c, http.StatusServiceUnavailable, "not ready: the database has not answered for long")
	}
	return plain(c, http.StatusOK, "readers are answered")
}

// parts says, within two seconds, whether the database, the blob store and the
// engine are there, and which of them is not: for whoever looks after the server.
func (a *App) parts(c *echo.Context) error {
	ctx, cancel := context.WithTimeout(c.Request().Context(), 1800*time.Millisecond)
	defer cancel()
	type answer struct {
		what string
		err  error
	}
	looks := map[string]func(context.Context) error{"the database": a.DB.Look, "the blob store": a.Blobs.Ready}
	if e, ok := a.engine.(interface{ Ready(context.Context) error }); ok {
		looks["the PDF engine"] = e.Ready
	}
	answers := make(chan answer, len(looks))
	for what, look := range looks {
		go func() { answers <- answer{what, look(ctx)} }()
	}
	waiting, wrong := map[string]bool{}, []string{}
	for what := range looks {
		waiting[what] = true
	}
	for len(waiting) > 0 {
		select {
		case got := <-answers:
			delete(waiting, got.what)
			if got.err != nil {
				wrong = append(wrong, got.what)
				a.log.Warn("not well", "what", got.what, "error", got.err)
			}
		case <-ctx.Done():
			for what := range waiting {
				wrong = append(wrong, what)
			}
			waiting = nil
		}
	}
	if len(wrong) > 0 {
		return plain(c, http.StatusServiceUnavailable, "not well: "+strings.Join(wrong, " and ")+" cannot be reached")
	}
	return plain(c, http.StatusOK, "well")
}

// trouble says what every editor should know of.
func (a *App) trouble() string {
	err := a.Press.Trouble()
	switch {
	case a.Blobs.IsAway():
		return "The server's storage does not answer: readers see what is in this server's memory, and new files cannot be added. Whoever runs the server can see more in its log."
	case err == nil:
		return ""
	case blob.ReadOnly(err):
		return "The server's storage may only be read: page images cannot be kept and are made anew each time, so readers wait longer. New files cannot be added. Whoever runs the server has to let it write there."
	case blob.Full(err):
		return "The disk of this server is full: page images cannot be kept and are made anew each time, so readers wait longer. New files cannot be added. Whoever runs the server has to make room."
	}
	return "Storage cannot be reached at the moment: page images cannot be kept, so readers wait longer. Whoever runs the server can see why in its log."
}

// securityText says whom to tell of a hole (RFC 9116), where the operator named
// somebody.
func (a *App) securityText(c *echo.Context) error {
	if a.Config.SecurityContact == "" {
		return echo.ErrNotFound
	}
	return plain(c, http.StatusOK, fmt.Sprintf("Contact: %s\nExpires: %s\nPreferred-Languages: en\nCanonical: %s/.well-known/security.txt",
		a.Config.SecurityContact, time.Now().UTC().AddDate(0, 6, 0).Truncate(24*time.Hour).Format(time.RFC3339), a.Config.PublicURL))
}
