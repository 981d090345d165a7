package reader

import (
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/access"
	"incipit/internal/pdf"
	"incipit/internal/press"
)

// Route is a row of the table of what readers can ask for: below the address of a
// placement, and on the stage below that of its draft.
type Route struct {
	Method, Path string
	// Deed is what whoever asks must be allowed to do. There is no route without one.
	Deed access.Deed
	// Stage is for the draft alone.
	Stage  bool
	answer func(*Reader, *echo.Context, shown) error
}

// marked begins the paths that name an edition: another one than that which is shown has
// nothing there.
const marked = "/:mark"

// Routes is the table. What a route needs is decided here and asked in one place (see
// handle): no answer decides it for itself.
func Routes() []Route {
	return []Route{
		{"GET", "", access.Look, false, (*Reader).view},
		{"GET", "/plain", access.Look, false, (*Reader).plain},
		{"GET", "/page" + marked + "/:page/:width", access.Look, false, (*Reader).image},
		{"POST", "/open", access.Look, false, (*Reader).open},
		{"GET", "/tile" + marked + "/:page/:width/:column/:row", access.Look, false, (*Reader).tile},
		{"GET", "/layer" + marked + "/:page", access.TakeText, false, (*Reader).layer},
		{"GET", "/taken" + marked + "/:from/:to", access.TakeText, false, (*Reader).taken},
		{"GET", "/links" + marked + "/:page", access.Look, false, (*Reader).links},
		{"GET", "/edition", access.Look, false, (*Reader).edition},
		{"GET", "/cover/:page/:width", access.Look, false, (*Reader).cover},
		{"POST", "/stood", access.Look, false, (*Reader).whereSeen},
		{"GET", "/place" + marked, access.Look, false, (*Reader).place},
		{"GET", "/find" + marked, access.FindWords, false, (*Reader).find},
		{"GET", "/hits" + marked + "/:page", access.FindWords, false, (*Reader).hits},
		{"GET", "/layers" + marked, access.SwitchLayers, false, (*Reader).layers},
		{"GET", "/about" + marked, access.SeeFacts, false, (*Reader).about},
		{"GET", "/text", access.ReadText, false, (*Reader).textView},
		{"GET", "/flow" + marked + "/:from", access.ReadText, false, (*Reader).flow},
		{"GET", "/leaf" + marked + "/:page", access.TakeFile, false, (*Reader).takePage},
		{"GET", "/attached" + marked + "/:n", access.TakeFile, false, (*Reader).takeAttached},
		{"GET", "/contents" + marked, access.SeeContents, false, (*Reader).contents},
		{"GET", "/file", access.TakeFile, false, (*Reader).takeFile},
		{"GET", "/print", access.PrintOut, false, (*Reader).printView},
		{"GET", "/bundle", access.Look, true, (*Reader).bundle},
	}
}

// Mount adds the public routes.
func (r *Reader) Mount(g *echo.Group) {
	r.routes(g, r.published, false)
	g.POST("/enter", r.enter(r.byKey))
}

// MountStage adds the routes of the draft. who tells the signed-in editor.
func (r *Reader) MountStage(g *echo.Group, who func(*echo.Context) access.Who) {
	r.routes(g, func(c *echo.Context) (shown, error) { return r.draft(c, who(c)) }, true)
}

func (r *Reader) routes(g *echo.Group, find finder, stage bool) {
	for _, o := range Routes() {
		if o.Stage && !stage {
			continue
		}
		g.Add(o.Method, o.Path, r.handle(find, o))
	}
}

// handle finds the placement, asks for permission and answers; what goes wrong
// becomes a polite note.
func (r *Reader) handle(find finder, o Route) echo.HandlerFunc {
	return func(c *echo.Context) error {
		s, err := find(c)
		if err != nil {
			return r.refused(c, err)
		}
		c.Response().Header().Set("Cross-Origin-Resource-Policy", "same-origin")
		if site, is := r.stranger(c.Request(), s); is {
			r.refuse(c.Request().Context(), s, site)
			return r.note(c, http.StatusForbidden, otherSite)
		}
		if !s.allows(access.Look) {
			if s.settings.Guarded && s.standing.Published {
				return r.note(c, http.StatusForbidden, guarded)
			}
			return r.note(c, http.StatusNotFound, notHere)
		}
		if !s.allows(o.Deed) {
			// The stage shows the draft as it was for a moment after a change: what it
			// only looks for meanwhile is not there.
			if s.standing.Draft && c.QueryParam("when") == "there" {
				return c.NoContent(http.StatusNoContent)
			}
			if n, said := closed[o.Deed]; said {
				return r.note(c, http.StatusForbidden, n)
			}
			return r.note(c, http.StatusNotFound, noSuchPage)
		}
		if mark := c.Param("mark"); mark != "" && mark != s.mark() {
			// Who reads the edition before is offered the one in force; what is only looked
			// for in advance meanwhile is not there.
			if c.QueryParam("when") == "there" {
				return c.NoContent(http.StatusNoContent)
			}
			return r.note(c, http.StatusNotFound, noSuchPage)
		}
		err = o.answer(r, c, s)
		var problem *pdf.Problem
		switch {
		case errors.Is(err, press.ErrBusy):
			c.Response().Header().Set("Retry-After", "2")
			return r.note(c, http.StatusServiceUnavailable, busy)
		case errors.Is(err, errTooOften):
			c.Response().Header().Set("Retry-After", "10")
			return r.note(c, http.StatusTooManyRequests, busy)
		case errors.Is(err, errNoText):
			return r.note(c, http.StatusNotFound, noText)
		case errors.Is(err, errLocked):
			return r.note(c, http.StatusUnauthorized, locked)
		case errors.Is(err, errNotIndexed):
			c.Response().Header().Set("Retry-After", "2")
			return r.note(c, http.StatusServiceUnavailable, reading)
		case errors.Is(err, press.ErrOffLadder), errors.Is(err, errNoSuchPage), pdf.KindOf(err) == pdf.NoSuchPage:
			return r.note(c, http.StatusNotFound, noSuchPage)
		case errors.As(err, &problem):
			return r.note(c, http.StatusUnprocessableEntity, unreadable)
		}
		return err
	}
}
