package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/address"
	"incipit/internal/core/webpage"
	"incipit/internal/draft"
	"incipit/internal/publishing"
	"incipit/internal/site"
)

// listedPage is a page in the list.
type listedPage struct {
	publishing.ListedPage
	Address     string
	Differences int
}

// siteData is the data of the list of pages.
type siteData struct {
	Pages  []listedPage
	Offers publishing.Offers // pages that the navigation can lead to
	paging
	Frame    frameState
	Spoken   []site.Spoken
	Trouble  string
	Path     string
	NewTitle string
}

func (d *Desk) webPages(c *echo.Context) error { return d.sitePages(c, http.StatusOK, siteData{}) }

func (d *Desk) sitePages(c *echo.Context, status int, v siteData) error {
	ctx := c.Request().Context()
	part, err := d.Publishing.WebPagesBelow(ctx, below(c))
	if err != nil {
		return err
	}
	v.Spoken, v.paging = d.Site.Spoken(), pagingOf(c, part)
	if v.Frame, err = d.frameStateOf(ctx); err != nil {
		return err
	}
	for _, p := range part.Rows {
		l := listedPage{ListedPage: p, Address: address.Page(p.Path)}
		if p.Seen != nil && p.Draft != nil {
			l.Differences = len(webpage.Differences(*p.Seen, *p.Draft, nil))
		}
		v.Pages = append(v.Pages, l)
	}
	var linked []int64
	for _, l := range v.Frame.Frame.Links {
		if l.Page != 0 {
			linked = append(linked, l.Page)
		}
	}
	if v.Offers, err = byTitle(d.Publishing.OfferedPages(ctx, "", linked...)); err != nil {
		return err
	}
	return d.send(c, status, "webpages", "Web pages", v)
}

func (d *Desk) addWebPage(c *echo.Context) error {
	title, typed := c.FormValue("title"), c.FormValue("path")
	p, err := d.Publishing.Begin(c.Request().Context(), title, typed, maker(c))
	var refusal draft.Refused
	if errors.As(err, &refusal) {
		return d.sitePages(c, http.StatusUnprocessableEntity, siteData{Trouble: string(refusal) + " No page was made.", NewTitle: title,
			Path: strings.TrimSpace(typed)})
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/web-pages/%d", p.ID))
}

func (d *Desk) removeWebPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Publishing.RemoveWebPage(c.Request().Context(), id); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/web-pages")
}

// setFrame keeps what all pages have in common; readers see it at once.
func (d *Desk) setFrame(c *echo.Context) error {
	var sent struct {
		Revision int64         `json:"revision"`
		Frame    webpage.Frame `json:"frame"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "frame").Wrap(err)
	}
	others, err := d.Publishing.ChangeSiteFrame(c.Request().Context(), sent.Revision, maker(c), sent.Frame)
	if err != nil {
		return toldOf(c, err, ofFrame, "")
	}
	return d.answerFrame(c, beside(others, ofFrame))
}

// frameState is what all pages have in common, as its screen shows it.
type frameState struct {
	Revision int64         `json:"revision"`
	Undo     bool          `json:"undo"`
	Redo     bool          `json:"redo"`
	Frame    webpage.Frame `json:"frame"`
	Notice   string        `json:"notice"` // what others did meanwhile
}

func (d *Desk) frameStateOf(ctx context.Context) (frameState, error) {
	f, err := d.Publishing.SiteFrame(ctx)
	if err != nil {
		return frameState{}, err
	}
	s := frameState{Revision: f.Revision, Frame: f.Content}
	s.Undo, s.Redo, err = d.Publishing.WaysOfSiteFrame(ctx, f)
	return s, err
}

func (d *Desk) answerFrame(c *echo.Context, notice string) error {
	s, err := d.frameStateOf(c.Request().Context())
	if err != nil {
		return err
	}
	s.Notice = notice
	return c.JSON(http.StatusOK, s)
}

func (d *Desk) frameState(c *echo.Context) error { return d.answerFrame(c, "") }
func (d *Desk) undoFrame(c *echo.Context) error  { return d.moveFrame(c, -1) }
func (d *Desk) redoFrame(c *echo.Context) error  { return d.moveFrame(c, 1) }

func (d *Desk) moveFrame(c *echo.Context, way int) error {
	return d.moveInForce(c, way, ofFrame, d.Publishing.MoveSiteFrame, func() error { return d.answerFrame(c, "") })
}
