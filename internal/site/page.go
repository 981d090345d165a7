package site

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/address"
	"incipit/internal/core/contrast"
	"incipit/internal/core/webpage"
	"incipit/internal/database"
)

// pageView is a whole published page.
type pageView struct {
	webpage.Page
	Name    string
	Nav     []navView
	Content template.HTML
	Footer  template.HTML
	Style   template.CSS
	Over    bool
	Bold    bool // something in it is, so that the font for it is fetched early
	Address string
	Home    string // address of the page that the site begins with, or ""
	wording
}

type navView struct {
	Label, Address string
	Here           bool
}

// found is what an address leads to: a page, or another address.
type found struct {
	view pageView
	to   string
}

// mostKnown is how many published pages are remembered: one of many words takes 100 KB.
const mostKnown = 200

// page answers with what readers see of a page now.
func (s *Site) page(c *echo.Context) error {
	path := c.Param("path")
	f, err := s.known.Of(path, func() (found, time.Time, error) { return s.find(c.Request().Context(), path, time.Now()) })
	if errors.Is(err, database.ErrNotFound) {
		return s.nothing(c)
	}
	if err != nil {
		return err
	}
	if f.to != "" {
		return c.Redirect(http.StatusFound, f.to)
	}
	return s.send(c, http.StatusOK, "page.html", f.view, string(f.view.Style), "*", f.view.Over)
}

// find reads what an address leads to at a moment, and until when that holds: pages come
// and go as planned, this one and those that the navigation leads to.
func (s *Site) find(ctx context.Context, path string, now time.Time) (f found, until time.Time, err error) {
	p, err := s.Publishing.PublishedPage(ctx, path, now)
	if err != nil {
		return f, until, err
	}
	until = sooner(until, p.Next)
	if p.Path != path {
		f.to = address.Page(p.Path)
		return f, until, nil
	}
	var around time.Time
	if f.view, around, err = s.whole(ctx, p.WebPageID, path, p.Content, now); err != nil {
		return f, until, err
	}
	if !around.IsZero() {
		until = sooner(until, &around)
	}
	return f, until, nil
}

// sooner is a time, zero for never, or another one if that comes before.
func sooner(until time.Time, next *time.Time) time.Time {
	if next != nil && (until.IsZero() || next.Before(until)) {
		return *next
	}
	return until
}

// whole puts content into the site's frame, as that is at a moment; until is when what
// the navigation leads to changes by itself, or zero.
func (s *Site) whole(ctx context.Context, id int64, path string, content webpage.Page, now time.Time) (v pageView, until time.Time,
	err error) {
	v = pageView{Page: content}
	f, err := s.Publishing.SiteFrame(ctx)
	if err != nil {
		return v, until, err
	}
	v.wording = s.wording(f.Content)
	drawn, err := s.draw(ctx, content, v.wording, false)
	if err != nil {
		return v, until, err
	}
	var linked []int64
	for _, l := range f.Content.Links {
		if l.Page != 0 {
			linked = append(linked, l.Page)
		}
	}
	leads, err := s.Publishing.Leads(ctx, now, linked...)
	if err != nil {
		return v, until, err
	}
	v.Name, v.Content, v.Over, v.Address = f.Content.Name, drawn.HTML, drawn.Over, s.Public+address.Page(path)
	if v.Footer, err = Set(f.Content.Footer); err != nil {
		return v, until, err
	}
	for _, l := range f.Content.Links {
		n := navView{Label: l.Label, Address: l.Address, Here: l.Page == id && l.Page != 0}
		if l.Page != 0 {
			to, there := leads[l.Page]
			if !there {
				continue
			}
			until = sooner(until, to.Next)
			if to.Version == 0 {
				continue // it would lead to nothing
			}
			n.Address = address.Page(to.Path)
		}
		v.Nav = append(v.Nav, n)
	}
	for _, to := range leads {
		if to.Path == "" {
			until = sooner(until, to.Next)
			if to.Version > 0 || to.WebPageID == id {
				v.Home = address.Page("")
			}
		}
	}
	v.Bold = slices.ContainsFunc(v.Nav, func(n navView) bool { return n.Here }) || strings.Contains(string(v.Content),
		"<strong>") || strings.Contains(string(v.Content), `class="press"`)
	v.Style = Accent(f.Content) + drawn.Style
	return v, until, nil
}

// Accent is a site's own colour as CSS. It is darker where a pointer rests.
func Accent(f webpage.Frame) template.CSS {
	dark := f.InTheDark()
	return template.CSS(fmt.Sprintf(".site{--accent:light-dark(%s,%s);--accent-deep:light-dark(%s,%s)}", //nolint:gosec // checked colours
		f.Accent, dark, contrast.Mix(f.Accent, "#000000", 0.2), contrast.Mix(dark, "#ffffff", 0.3)))
}

// Preview is a page as readers would get it if it were published now.
func (s *Site) Preview(c *echo.Context, id int64, content webpage.Page) error {
	path, err := s.Publishing.PathOf(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v, _, err := s.whole(c.Request().Context(), id, path, content, time.Now())
	if err != nil {
		return err
	}
	return s.send(c, http.StatusOK, "page.html", v, string(v.Style), "'self'", v.Over)
}
