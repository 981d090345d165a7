package desk

import (
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/webpage"
	"incipit/internal/publishing"
	"incipit/internal/site"
)

// pageData is the data of the screen.
type pageData struct {
	State       pageState
	Documents   publishing.Offers
	Pictures    []pictureChoice
	AllPictures int // of which these are the latest
	Collections publishing.Offers
}

type pictureChoice struct {
	ID     int64  `json:"id"`
	Name   string `json:"name"`
	Src    string `json:"src"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
}

func pictureOf(p publishing.Picture) pictureChoice {
	return pictureChoice{p.ID, p.Name, site.PictureAt(p, p.Widths[0]), p.Width, p.Height}
}

func (d *Desk) webPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	v := pageData{Pictures: []pictureChoice{}}
	if v.State, err = d.pageStateOf(c, id, nil); err != nil {
		return err
	}
	if v.Documents, err = byTitle(d.Publishing.AtHand(ctx, d.Who(c).Account, usedOn(v.State.Page, webpage.Placement)...)); err != nil {
		return err
	}
	var pictures []publishing.Picture
	if pictures, v.AllPictures, err = d.Publishing.OfferedPictures(ctx); err != nil {
		return err
	}
	for _, p := range pictures {
		v.Pictures = append(v.Pictures, pictureOf(p))
	}
	if v.Collections, err = byTitle(d.Publishing.OfferedCollections(ctx, "", usedOn(v.State.Page, webpage.Collection)...)); err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "webpage", v.State.Page.Title, v)
}

func (d *Desk) webPageState(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

// webPageStep says which step holds and who made it: how an open screen learns
// that somebody else is at the page.
func (d *Desk) webPageStep(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	step, err := d.Publishing.WebPageDraft(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, pageStep{step.Revision, step.MadeBy, step.MadeAt})
}

// pageStep is the step of a page's draft that holds.
type pageStep struct {
	Revision int64     `json:"revision"`
	By       string    `json:"by"`
	At       time.Time `json:"at"`
}

// preview shows a page as readers would get it if it were published now, or a
// version as it was.
func (d *Desk) preview(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if n, err := strconv.Atoi(c.QueryParam("version")); err == nil {
		v, err := d.Publishing.WebPageVersionAt(ctx, id, n)
		if err != nil {
			return err
		}
		return d.Site.Preview(c, id, v.Content)
	}
	step, err := d.Publishing.WebPageDraft(ctx, id)
	if err != nil {
		return err
	}
	return d.Site.Preview(c, id, step.Content)
}
