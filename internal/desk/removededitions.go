package desk

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/database"
	"incipit/internal/library"
)

func (d *Desk) removeEdition(c *echo.Context) error {
	doc, e, err := d.editionOf(c)
	if err != nil {
		return err
	}
	err = d.Library.RemoveEdition(c.Request().Context(), doc.ID, e.Number, maker(c))
	if errors.Is(err, library.ErrInUse) {
		return d.documentScreen(c, http.StatusConflict, fmt.Sprintf("Edition %d is kept: it is in force, readers saw it, or a placement stays at it.", e.Number))
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d", doc.ID))
}

// putBackEdition puts a removed edition back.
func (d *Desk) putBackEdition(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	edition, err := strconv.Atoi(c.Param("number"))
	if err != nil {
		return fmt.Errorf("read the number of an edition: %w", database.ErrNotFound)
	}
	err = d.Intake.PutBackEdition(c.Request().Context(), id, edition)
	if errors.Is(err, library.ErrTooManyEditions) {
		return d.documentScreen(c, http.StatusConflict, "This document has as many editions as it may have: remove another one that readers never saw first.")
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d", id))
}
