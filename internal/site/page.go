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

	"incipit/internal/core/contrast"
	"incipit/internal/core/webpage"
	"incipit/internal/store"
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

// page answers with what readers see of a page now.
func (s *Site) page(c *echo.Context) error {
	ctx := c.Request().Context()
	path := c.Param("path")
	id, moved, err := s.Store.WebPageAt(ctx, path)
	if errors.Is(err, store.ErrNotFound) {
		return s.nothing(c)
	}
	if err != nil {
		return err
	}
	turns, err := s.Store.Turns(ctx, id)
	if err != nil {
		return err
	}
	holds := webpage.Holding(turns, time.Now())
	if holds == 0 {
		return s.nothing(c)
	}
	if moved {
		to, err := s.Store.PathOf(ctx, id)
		if err != nil {
			return err
		}
		return c.Redirect(http.StatusFound, Address(to))
	}
	version, err := s.Store.WebPageVersionAt(ctx, id, holds)
	if err != nil {
		return err
	}
	v, err := s.whole(ctx, id, version.Content)
	if err != nil {
		return err
	}
	return s.send(c, http.StatusOK, "page.html", v, string(v.Style), "*", v.Over)
}

// Address is where a page is served, without our host.
func Address(path string) string { return strings.TrimSuffix("/pages/"+path, "/") }

// whole puts content into the site's frame.
func (s *Site) whole(ctx context.Context, id int64, content webpage.Page) (pageView, error) {
	v := pageView{Page: content}
	f, err := s.Store.SiteFrame(ctx)
	if err != nil {
		return v, err
	}
	v.wording = s.wording(f.Content)
	drawn, err := s.draw(ctx, content, v.wording, false)
	if err != nil {
		return v, err
	}
	paths, err := s.Store.Paths(ctx)
	if err != nil {
		return v, err
	}
	v.Name, v.Content, v.Over, v.Address = f.Content.Name, drawn.HTML, drawn.Over, s.Public+Address(paths[id])
	if v.Footer, err = Set(f.Content.Footer); err != nil {
		return v, err
	}
	for _, l := range f.Content.Links {
		n := navView{Label: l.Label, Address: l.Address, Here: l.Page == id && l.Page != 0}
		if l.Page != 0 {
			path, there := paths[l.Page]
			if !there {
				continue
			}
			turns, err := s.Store.Turns(ctx, l.Page)
			if err != nil {
				return v, err
			}
			if webpage.Holding(turns, time.Now()) == 0 {
				continue // it would lead to nothing
			}
			n.Address = Address(path)
		}
		v.Nav = append(v.Nav, n)
	}
	for _, path := range paths {
		if path == "" {
			v.Home = Address("")
		}
	}
	v.Bold = slices.ContainsFunc(v.Nav, func(n navView) bool { return n.Here }) || strings.Contains(string(v.Content), "<strong>") || strings.Contains(string(v.Content), `class="press"`)
	v.Style = Accent(f.Content) + drawn.Style
	return v, nil
}

// Accent is a site's own colour as CSS. It is darker where a pointer rests.
func Accent(f webpage.Frame) template.CSS {
	dark := f.InTheDark()
	return template.CSS(fmt.Sprintf(".site{--accent:light-dark(%s,%s);--accent-deep:light-dark(%s,%s)}", //nolint:gosec // checked colours
		f.Accent, dark, contrast.Mix(f.Accent, "#000000", 0.2), contrast.Mix(dark, "#ffffff", 0.3)))
}

// Preview is a page as readers would get it if it were published now.
func (s *Site) Preview(c *echo.Context, id int64, content webpage.Page) error {
	v, err := s.whole(c.Request().Context(), id, content)
	if err != nil {
		return err
	}
	return s.send(c, http.StatusOK, "page.html", v, string(v.Style), "'self'", v.Over)
}
