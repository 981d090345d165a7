package reader

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/access"
	"incipit/internal/core/address"
	"incipit/internal/database"
)

// A guarded document opens to who shows a token that an integrator's server
// signed. The token comes in the body of a form and stands in no address; what
// it opens is the reader, whose own addresses carry a grant that ends when the
// token does. A grant is for one document, and worth nothing elsewhere.

// mostToken bounds what a form may send, in bytes.
const mostToken = 8 << 10

// granted takes the grant out of a key that carries one (KEY~GRANT).
func (r *Reader) granted(ctx context.Context, s shown, param string) (shown, error) {
	if !s.settings.Guarded {
		return s, nil
	}
	key, grant := address.Key(param)
	ok, err := access.Granted(grant, key, time.Now(), r.secret(ctx))
	if ok {
		s.who.Granted, s.base, s.until = true, address.Reader(param), access.Until(grant)
	}
	return s, err
}

func (r *Reader) secret(ctx context.Context) func(int64) ([]byte, error) {
	return func(id int64) ([]byte, error) { return r.Placing.SigningSecret(ctx, id) }
}

// enter answers a token with the reader, where it opens the document. What is
// not guarded opens to everybody.
func (r *Reader) enter(find func(*echo.Context) (shown, string, error)) echo.HandlerFunc {
	return func(c *echo.Context) error {
		s, record, err := find(c)
		if err != nil {
			return r.refused(c, err)
		}
		if !s.settings.Guarded {
			return r.handle(func(*echo.Context) (shown, error) { return s, nil }, Route{Deed: access.Look, answer: (*Reader).view})(c)
		}
		ctx := c.Request().Context()
		c.Request().Body = http.MaxBytesReader(c.Response(), c.Request().Body, mostToken)
		key := address.KeyOf(s.base)
		token, err := access.Read(c.Request().PostFormValue("token"), time.Now(), r.secret(ctx))
		if err == nil && !token.Opens(key, record) {
			err = access.ErrToken
		}
		if err == nil && token.ID != "" {
			var first bool
			if first, err = r.Placing.UseToken(ctx, token); err == nil && !first {
				err = access.ErrToken
			}
		}
		if errors.Is(err, access.ErrToken) {
			slog.InfoContext(ctx, "a token was refused", "placement", s.placement)
			return r.note(c, http.StatusForbidden, guarded)
		}
		if err != nil {
			return err
		}
		secret, err := r.Placing.SigningSecret(ctx, token.KeyID)
		if err != nil {
			return err
		}
		s.who.Granted, s.base, s.until = true, address.Granted(key, access.Grant(token, key, secret)), token.Until
		return r.handle(func(*echo.Context) (shown, error) { return s, nil }, Route{Deed: access.Look, answer: (*Reader).view})(c)
	}
}

// byKey finds what readers see by the key in the address, without a grant.
func (r *Reader) byKey(c *echo.Context) (shown, string, error) {
	key, _ := address.Key(c.Param("key"))
	return r.keyed(c.Request().Context(), key)
}

func (r *Reader) keyed(ctx context.Context, key string) (shown, string, error) {
	s, err := r.keptOf(ctx, key)
	return s, "", err
}

// byRecord finds it by the record that it belongs to.
func (r *Reader) byRecord(c *echo.Context) (shown, string, error) {
	record := c.Param("record")
	p, err := r.Placing.PlacementByRecord(c.Request().Context(), record)
	if err != nil {
		return shown{}, "", err
	}
	s, _, err := r.keyed(c.Request().Context(), p.Key)
	return s, record, err
}

// MountRecords adds the addresses of records: the reader of what is attached to
// one. Everything else that the reader asks for has the placement's address.
func (r *Reader) MountRecords(g *echo.Group) {
	g.GET("", r.handle(func(c *echo.Context) (shown, error) {
		s, _, err := r.byRecord(c)
		return s, err
	}, Route{Deed: access.Look, answer: (*Reader).view}))
	g.POST("/enter", r.enter(r.byRecord))
	g.GET("/known", r.recordKnown)
}

// recordKnown says whether a record has a document that readers see, to scripts of
// websites that may show it. To others there is none.
func (r *Reader) recordKnown(c *echo.Context) error {
	h := c.Response().Header()
	h.Set("Access-Control-Allow-Origin", "*")
	h.Set("Cross-Origin-Resource-Policy", "cross-origin")
	h.Set("Vary", "Origin")
	h.Set("Cache-Control", "no-store")
	s, _, err := r.byRecord(c)
	known := err == nil && s.standing.Published
	if known {
		_, is := r.stranger(c.Request(), s)
		known = !is
	}
	if err != nil && !errors.Is(err, database.ErrNotFound) {
		return err
	}
	return c.JSON(http.StatusOK, map[string]bool{"document": known})
}
