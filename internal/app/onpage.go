package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"regexp"

	"github.com/labstack/echo/v5"

	"incipit/internal/blob"
	"incipit/internal/deliver"
	"incipit/web"
)

// The script for other people's pages has an address that follows with each version,
// and one that stays as it is, which a page can check. What once had such an address
// keeps it: the bytes are kept with the blobs.

var scriptName = regexp.MustCompile(`^[0-9a-f]{16}\.js$`)

// keepScript keeps the version that is served now.
func (a *App) keepScript(ctx context.Context, s web.Script) error {
	if _, err := a.Blobs.Read(ctx, "onpage/"+s.Name); err == nil {
		return nil
	}
	if _, err := a.Blobs.Keep(ctx, "onpage/"+s.Name, bytes.NewReader(s.Bytes)); err != nil {
		return fmt.Errorf("keep this version of the script: %w", err)
	}
	return nil
}

// versioned serves one version for ever.
func (a *App) versioned(now web.Script) echo.HandlerFunc {
	return func(c *echo.Context) error {
		name := c.Param("name")
		b := now.Bytes
		if name != now.Name {
			if !scriptName.MatchString(name) {
				return echo.ErrNotFound
			}
			var err error
			if b, err = a.Blobs.Read(c.Request().Context(), "onpage/"+name); err != nil {
				if errors.Is(err, blob.ErrNotFound) {
					return echo.ErrNotFound
				}
				return err
			}
		}
		h := c.Response().Header()
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Cross-Origin-Resource-Policy", "cross-origin")
		deliver.Send(c.Response(), c.Request(), deliver.Parcel{MediaType: "text/javascript; charset=utf-8", ETag: name, Forever: true,
			Content: bytes.NewReader(b)})
		return nil
	}
}

// scriptTypes serves the types of what pages can do.
func scriptTypes(files *web.Files) echo.HandlerFunc {
	return func(c *echo.Context) error {
		b, err := files.Served("onpage/onpage.d.ts")
		if err != nil {
			return err
		}
		c.Response().Header().Set("Access-Control-Allow-Origin", "*")
		return c.Blob(http.StatusOK, "application/typescript; charset=utf-8", b)
	}
}
