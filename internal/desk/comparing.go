package desk

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"
)

// compareOn has a comparison that came to the end of its budget of work go on.
func (d *Desk) compareOn(c *echo.Context) error {
	doc, e, err := d.editionOf(c)
	if err != nil {
		return err
	}
	against, err := strconv.Atoi(c.FormValue("against"))
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "no edition that it is compared with")
	}
	before, err := d.Library.EditionOf(c.Request().Context(), doc.ID, against)
	if err != nil {
		return err
	}
	if err := d.Intake.CompareOn(c.Request().Context(), before, e); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d/editions/%d?against=%d", doc.ID, e.Number, against))
}
