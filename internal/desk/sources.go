package desk

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/revisit"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/fetch"
	"incipit/internal/library"
)

// fromView is the data of the screen on which documents are added from other websites.
type fromView struct {
	Address string // as it was typed, where it was refused
	Pace    revisit.Pace
	AtOnce  bool
	Said    string
	Coming  []comingFile
	Going   bool
	MaxMB   int64
}

// comingFile is a file on its way, as the list shows it.
type comingFile struct {
	library.Coming
	Percent int // of it that is here; -1 where nobody knows
}

// Paces are those to choose from.
func (fromView) Paces() any { return revisit.Paces }

// cameLately is for how long the list names what has come.
const cameLately = 24 * time.Hour

func (d *Desk) from(c *echo.Context) error {
	return d.fromScreen(c, http.StatusOK, "from", fromView{})
}

// coming answers with the list alone, for the script that waits for it.
func (d *Desk) coming(c *echo.Context) error {
	return d.fromScreen(c, http.StatusOK, "coming", fromView{})
}

func (d *Desk) fromScreen(c *echo.Context, status int, template string, v fromView) error {
	all, err := d.Library.Coming(c.Request().Context(), d.Who(c).Account, time.Now().Add(-cameLately))
	if err != nil {
		return err
	}
	v.MaxMB = d.Intake.MaxBytes >> 20
	for _, s := range all {
		f := comingFile{s, -1}
		if s.Bytes > 0 {
			f.Percent = int(100 * s.Received / s.Bytes)
		}
		v.Coming = append(v.Coming, f)
		v.Going = v.Going || s.Looking
	}
	return d.send(c, status, template, "From another website", v)
}

// wantedFrom reads an address and how it is followed.
func wantedFrom(c *echo.Context) fromView {
	hours, err := strconv.Atoi(cmp.Or(c.FormValue("hours"), "0"))
	if err != nil {
		hours = -1
	}
	return fromView{Address: c.FormValue("address"), Pace: revisit.Pace(hours), AtOnce: c.FormValue("at_once") != ""}
}

// addFrom has a file come from an address.
func (d *Desk) addFrom(c *echo.Context) error {
	v := wantedFrom(c)
	if !v.Pace.Known() {
		return echo.NewHTTPError(http.StatusBadRequest, "no such pace")
	}
	err := d.Intake.From(c.Request().Context(), d.Who(c).Account, nil, v.Address, v.Pace, v.AtOnce)
	if said, ok := saidOf(err); ok {
		v.Said = said
		return d.fromScreen(c, http.StatusUnprocessableEntity, "from", v)
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/documents/from")
}

// saidOf is what people are told of an address that is refused.
func saidOf(err error) (string, bool) {
	var refusal *fetch.Refusal
	if errors.As(err, &refusal) {
		return refusal.Words, true
	}
	var refused draft.Refused
	if errors.As(err, &refused) {
		return string(refused), true
	}
	return "", false
}

// ownSource reads the address of a request whose file has not come.
func (d *Desk) ownSource(c *echo.Context) (library.Source, error) {
	id, err := strconv.ParseInt(c.Param("source"), 10, 64)
	if err != nil {
		return library.Source{}, fmt.Errorf("read the number of an address: %w", database.ErrNotFound)
	}
	return d.Library.Own(c.Request().Context(), d.Who(c).Account, id)
}

func (d *Desk) fromAgain(c *echo.Context) error {
	src, err := d.ownSource(c)
	if err != nil {
		return err
	}
	if err := d.Intake.Look(c.Request().Context(), src.ID); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/documents/from")
}

func (d *Desk) fromDropped(c *echo.Context) error {
	src, err := d.ownSource(c)
	if err != nil {
		return err
	}
	if err := d.Library.DropSource(c.Request().Context(), src.ID); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/documents/from")
}

// follow sets the address that a document follows, or changes how it does.
func (d *Desk) follow(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if _, err := d.Library.Document(ctx, id); err != nil {
		return err
	}
	v := wantedFrom(c)
	if !v.Pace.Known() {
		return echo.NewHTTPError(http.StatusBadRequest, "no such pace")
	}
	now, err := d.Library.SourceOf(ctx, id)
	switch {
	case err != nil && !errors.Is(err, database.ErrNotFound):
		return err
	case err == nil && v.Address == "":
		err = d.Library.DropSource(ctx, now.ID)
	case err == nil && v.Address == now.Address:
		err = d.Library.Pace(ctx, id, v.Pace, v.AtOnce, time.Now())
	default:
		err = d.Intake.From(ctx, d.Who(c).Account, &id, v.Address, v.Pace, v.AtOnce)
	}
	if said, ok := saidOf(err); ok {
		return d.documentScreen(c, http.StatusUnprocessableEntity, said+" Nothing was changed.")
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d#from", id))
}

// lookNow looks at the address of a document now.
func (d *Desk) lookNow(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	src, err := d.Library.SourceOf(c.Request().Context(), id)
	if err != nil {
		return err
	}
	if err := d.Intake.Look(c.Request().Context(), src.ID); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d#from", id))
}

// liveLater has an edition go to readers at a time, or at none.
func (d *Desk) liveLater(c *echo.Context) error {
	doc, e, err := d.editionOf(c)
	if err != nil {
		return err
	}
	var at *time.Time
	if typed := c.FormValue("at"); typed != "" {
		// A browser that runs the script says how far its clock is from UTC then.
		off, _ := strconv.Atoi(c.FormValue("minutes"))
		when, ok := revisit.Chosen(typed, off, time.Now())
		if !ok {
			return d.documentScreen(c, http.StatusUnprocessableEntity, "The time cannot be used: choose one from now on, within two years. Nothing was changed.")
		}
		at = &when
	}
	err = d.Library.LiveLater(c.Request().Context(), doc.ID, e.Number, at, maker(c))
	if said, ok := saidOf(err); ok {
		return d.documentScreen(c, http.StatusConflict, said)
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d/editions/%d", doc.ID, e.Number))
}
