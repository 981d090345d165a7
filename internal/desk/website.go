package desk

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/webpage"
	"incipit/internal/site"
	"incipit/internal/store"
)

// listedPage is a page in the list.
type listedPage struct {
	ID          int64
	Title       string
	Address     string
	Holds       int
	Differences int
	Plans       []webpage.Turn
	By          string
	At          time.Time
}

// siteData is the data of the list of pages.
type siteData struct {
	Pages    []listedPage
	Frame    store.SiteFrame
	Spoken   []site.Spoken
	Trouble  string
	Path     string
	NewTitle string
}

func (d *Desk) webPages(c *echo.Context) error { return d.sitePages(c, http.StatusOK, siteData{}) }

func (d *Desk) sitePages(c *echo.Context, status int, v siteData) error {
	ctx := c.Request().Context()
	pages, err := d.Store.WebPages(ctx)
	if err != nil {
		return err
	}
	v.Spoken = d.Site.Spoken()
	if v.Frame, err = d.Store.SiteFrame(ctx); err != nil {
		return err
	}
	paths, err := d.Store.Paths(ctx)
	if err != nil {
		return err
	}
	for _, p := range pages {
		step, err := d.Store.WebPageDraft(ctx, p.ID)
		if err != nil {
			return err
		}
		s := pageState{ID: p.ID, Page: step.Content}
		if err := d.standingOf(ctx, &s); err != nil {
			return err
		}
		l := listedPage{ID: p.ID, Title: step.Content.Title, Address: site.Address(paths[p.ID]), Holds: s.Holds, Differences: len(s.Differences), By: step.MadeBy, At: step.MadeAt}
		for _, plan := range s.Plans {
			l.Plans = append(l.Plans, webpage.Turn{Version: plan.Version, Due: plan.Due})
		}
		v.Pages = append(v.Pages, l)
	}
	return d.send(c, status, "webpages", "Web pages", v)
}

func (d *Desk) addWebPage(c *echo.Context) error {
	who, _ := c.Get(accountKey).(store.Account)
	title, typed := c.FormValue("title"), strings.TrimSpace(c.FormValue("path"))
	path := webpage.PathOf(typed)
	content := webpage.New(title)
	said := content.Check()
	if typed != "" && path == "" {
		said = cmp.Or(said, webpage.CheckPath(typed))
	}
	if said == "" {
		p, err := d.Store.AddWebPage(c.Request().Context(), path, content, who.Name)
		// The first page is where the site begins; others have their address of their title.
		if errors.Is(err, store.ErrTaken) && typed == "" && webpage.PathOf(title) != "" {
			path = webpage.PathOf(title)
			p, err = d.Store.AddWebPage(c.Request().Context(), path, content, who.Name)
		}
		if err == nil {
			return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/web-pages/%d", p.ID))
		}
		if !errors.Is(err, store.ErrTaken) {
			return err
		}
		said = "Another page has that address; choose another one."
	}
	return d.sitePages(c, http.StatusUnprocessableEntity, siteData{Trouble: said + " No page was made.", NewTitle: title, Path: path})
}

func (d *Desk) removeWebPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Store.RemoveWebPage(c.Request().Context(), id); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/web-pages")
}

// setFrame keeps what all pages have in common; readers see it at once.
func (d *Desk) setFrame(c *echo.Context) error {
	var sent struct {
		Revision int           `json:"revision"`
		Frame    webpage.Frame `json:"frame"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "frame").Wrap(err)
	}
	sent.Frame.Language = strings.TrimSpace(sent.Frame.Language)
	sent.Frame.Accent = strings.ToLower(strings.TrimSpace(sent.Frame.Accent))
	if said := sent.Frame.Check(); said != "" {
		return c.JSON(http.StatusUnprocessableEntity, problem{said + " What was there before is kept."})
	}
	err := d.Store.SetSiteFrame(c.Request().Context(), sent.Revision, sent.Frame)
	if errors.Is(err, store.ErrStale) {
		return c.JSON(http.StatusConflict, problem{"The frame was changed in another window. Load this page again to see it; what you typed stays here until then."})
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"revision": sent.Revision + 1, "frame": sent.Frame})
}
