package desk

import (
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"incipit/internal/confined"
	"incipit/internal/core/report"
	"incipit/internal/core/scanned"
	"incipit/internal/core/share"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/recognise"
)

// recognitionView is the data of the screen on which the text of pictures is recognised.
type recognitionView struct {
	Document  library.Document
	Edition   library.Edition
	Languages []scanned.Language
	Chosen    []string
	AtOnce    bool
	Missing   string // why nothing can be read here
	Packages  string // what has to be installed, where that helps
	Without   string // pages that are pictures without text, as far as it is known
	Last      library.Recognition
	Unsure    string
	Most      int // languages
	Pages     int // that are read
	Said      string
}

// Has says whether a language is chosen.
func (v recognitionView) Has(code string) bool { return slices.Contains(v.Chosen, code) }

func (d *Desk) recognition(c *echo.Context) error {
	return d.recognitionScreen(c, http.StatusOK, recognitionView{AtOnce: true})
}

func (d *Desk) recognitionScreen(c *echo.Context, status int, v recognitionView) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if v.Document, err = d.Library.Document(ctx, id); err != nil {
		return err
	}
	if v.Edition, err = d.Library.CurrentEdition(ctx, id); err != nil {
		return err
	}
	v.Most, v.Pages = scanned.MostLanguages, min(v.Edition.Pages, scanned.MostPages)
	codes, err := d.Intake.Recognisable(share.From(ctx, ""))
	v.Languages = scanned.Languages(codes)
	switch {
	case errors.Is(err, confined.ErrMissing):
		v.Missing, v.Packages = "Tesseract, the program that reads pictures, is not installed on the server.", recognise.Packages
	case errors.Is(err, confined.ErrUnconfined):
		v.Missing = "The server cannot read pictures safely as it is set up. Whoever looks after it finds why in its log."
		d.Log.Warn("pictures cannot be read", "error", err)
	case errors.Is(err, intake.ErrSmall):
		v.Missing = "This server has too little memory to read pictures."
	case err != nil:
		return err
	case len(v.Languages) == 0:
		v.Missing, v.Packages = "Tesseract is installed on the server, but no language that it could read.", recognise.Packages
	}
	if v.Chosen == nil {
		for _, tag := range []string{v.Edition.Language(), "en"} {
			if code := scanned.Of(tag, codes); code != "" {
				v.Chosen = []string{code}
				break
			}
		}
	}
	v.Last, err = d.Library.LastRecognition(ctx, id)
	if err != nil && !errors.Is(err, database.ErrNotFound) {
		return err
	}
	if v.Last.Going() && v.Last.EditionID != v.Edition.ID { // another one came into force meanwhile
		of, err := d.Library.Edition(ctx, v.Last.EditionID)
		if err != nil {
			return err
		}
		v.Pages = min(of.Pages, scanned.MostPages)
	}
	v.Unsure = report.Group{Pages: v.Last.Unsure}.Where()
	if v.Edition.State == library.Ready {
		r, err := d.Intake.ReportLater(ctx, v.Edition.ID)
		if err != nil {
			return err
		}
		if r.Result != nil {
			found, _ := report.Grouped(r.Result.Findings)
			for _, g := range found {
				if g.Kind == report.PageWithoutText {
					v.Without = g.Where()
				}
			}
			if v.Without == "" {
				v.Without = "None"
			}
		}
	}
	return d.send(c, status, "recognition", "The text of "+v.Document.Title, v)
}

// recognise has the edition in force read.
func (d *Desk) recognise(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	form, err := c.FormValues()
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "form").Wrap(err)
	}
	ctx := c.Request().Context()
	e, err := d.Library.CurrentEdition(ctx, id)
	if err != nil {
		return err
	}
	v := recognitionView{Chosen: form["language"], AtOnce: form.Get("at_once") != ""}
	if v.Chosen == nil {
		v.Chosen = []string{}
	}
	err = d.Intake.Recognise(share.From(ctx, ""), e, d.Who(c).Account, v.Chosen, v.AtOnce)
	var refused draft.Refused
	switch {
	case errors.As(err, &refused):
		v.Said = string(refused)
		return d.recognitionScreen(c, http.StatusUnprocessableEntity, v)
	case errors.Is(err, confined.ErrMissing), errors.Is(err, confined.ErrUnconfined), errors.Is(err, intake.ErrSmall):
		return d.recognitionScreen(c, http.StatusConflict, v) // which says why
	case err != nil:
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d/recognition", id))
}

// stopRecognition ends a reading that goes on.
func (d *Desk) stopRecognition(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Library.StopRecognition(c.Request().Context(), id); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d/recognition", id))
}
