package desk

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/draft"
	"incipit/internal/placing"
)

// namePlacement gives a placement a name among those of its document.
func (d *Desk) namePlacement(c *echo.Context) error {
	return d.onSeveral(c, func(id int64) error { return d.Placing.Name(c.Request().Context(), id, c.FormValue("name")) })
}

// stay has a placement stay at an edition, or follow again.
func (d *Desk) stay(c *echo.Context) error {
	return d.onSeveral(c, func(id int64) error {
		at, err := strconv.Atoi(c.FormValue("edition"))
		if err != nil || at < 0 {
			return echo.NewHTTPError(http.StatusBadRequest, "no such edition")
		}
		ctx := c.Request().Context()
		w, err := d.Placing.Whole(ctx, id)
		if err != nil {
			return err
		}
		to, err := d.Library.EditionOf(ctx, w.Document.ID, cmp.Or(at, w.Document.Edition))
		if err != nil {
			return err
		}
		where, _, err := d.Library.Where(ctx, w.Edition, to)
		if err != nil {
			return err
		}
		err = d.Placing.Stay(ctx, id, at, w.Edition.Number, to.Number, d.Who(c).Account, maker(c), where)
		if errors.Is(err, placing.ErrStale) {
			return draft.Refused("Another edition came into force just now. Nothing was changed: look again, and choose again.")
		}
		return err
	})
}

// copyPlacement makes another placement out of one.
func (d *Desk) copyPlacement(c *echo.Context) error {
	return d.onSeveral(c, func(id int64) error {
		_, err := d.Placing.Copy(c.Request().Context(), id)
		return err
	})
}

// removePlacement takes one away; its document's screen has the way back.
func (d *Desk) removePlacement(c *echo.Context) error {
	return d.onSeveral(c, func(id int64) error { return d.Placing.Remove(c.Request().Context(), id, maker(c)) })
}

// putBackPlacement puts one back.
func (d *Desk) putBackPlacement(c *echo.Context) error {
	return d.onSeveral(c, func(id int64) error { return d.Placing.PutBack(c.Request().Context(), id) })
}

// back is the screen of the document that was acted on.
func back(c *echo.Context) string {
	return inside(fmt.Sprintf("/documents/%s", c.FormValue("document")))
}

// onSeveral does something with one of the placements of a document and shows them again.
func (d *Desk) onSeveral(c *echo.Context, act func(id int64) error) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	err = act(id)
	var refused draft.Refused
	if errors.As(err, &refused) {
		return d.unable(c, "Nothing was changed", string(refused))
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, back(c))
}
