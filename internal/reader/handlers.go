package reader

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/textflow"
	"incipit/internal/deliver"
	"incipit/internal/intake"
	"incipit/internal/press"
)

// view answers with the viewer itself.
func (r *Reader) view(c *echo.Context, s shown) error {
	return r.answer(c, "reader.html", s)
}

// answer sends a page of the reader in the language it is asked for in.
func (r *Reader) answer(c *echo.Context, name string, s shown) error {
	leave, err := r.mayWrite(c.Request().Context(), s)
	if err != nil {
		return err
	}
	defer leave()
	v, err := r.viewOf(s, r.said(c))
	if err != nil {
		return err
	}
	v.Stood = r.stoodSeal(c.Request(), s)
	return r.pages.send(c, name, v, s.standing.Draft, leave)
}

// image answers with a page image.
func (r *Reader) image(c *echo.Context, s shown) error {
	page, err := pageOf(c, s)
	if err != nil {
		return err
	}
	width, err := strconv.Atoi(c.Param("width"))
	if err != nil {
		return errNoSuchPage
	}
	file, err := r.unlocked(c, s)
	if err != nil {
		return err
	}
	layers, err := s.layersOf(c.QueryParam("layers"))
	if err != nil {
		return err
	}
	var made press.Image
	if layers == "" {
		made, err = r.Press.Image(c.Request().Context(), file, page, width)
	} else {
		made, err = r.Press.Chosen(c.Request().Context(), file, page, width, layers)
	}
	if err != nil {
		return err
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: made.MediaType, ETag: made.ETag, Forever: true, Private: true, Secret: s.secret(), Content: bytes.NewReader(made.Bytes),
	})
	return nil
}

// tile answers with a part of a page that is wider than the widest page image.
func (r *Reader) tile(c *echo.Context, s shown) error {
	page, err := pageOf(c, s)
	if err != nil {
		return err
	}
	file, err := r.unlocked(c, s)
	if err != nil {
		return err
	}
	var at [3]int
	for i, name := range []string{"width", "column", "row"} {
		if at[i], err = strconv.Atoi(c.Param(name)); err != nil {
			return errNoSuchPage
		}
	}
	o := s.edition.AllSheets()[page-1]
	made, err := r.Press.Tile(c.Request().Context(), file, page, o.Height/o.Width, at[0], at[1], at[2])
	if err != nil {
		return err
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: made.MediaType, ETag: made.ETag, Forever: true, Private: true, Secret: s.secret(), Content: bytes.NewReader(made.Bytes),
	})
	return nil
}

// edition answers with the mark of the edition that readers see now: who reads
// an older one can be told.
func (r *Reader) edition(c *echo.Context, s shown) error {
	s.askAgain(c)
	out := map[string]any{"mark": s.mark(), "number": s.edition.Number}
	if page, err := strconv.Atoi(c.QueryParam("page")); err == nil && page > 0 {
		// Who reads an earlier edition is led to where its page is now.
		if c.QueryParam("of") != s.mark() {
			if page, err = r.Library.PageNow(c.Request().Context(), s.edition, c.QueryParam("of"), page); err != nil {
				return err
			}
		}
		out["page"] = page
	}
	return c.JSON(http.StatusOK, out)
}

// layer answers with the SVG that lies over a page image: its text, for
// readers to take, and its links.
func (r *Reader) layer(c *echo.Context, s shown) error { return r.overlay(c, s, true) }

// links answers with the links alone, where the text is not for taking.
func (r *Reader) links(c *echo.Context, s shown) error { return r.overlay(c, s, false) }

func (r *Reader) overlay(c *echo.Context, s shown, text bool) error {
	page, err := pageOf(c, s)
	if err != nil {
		return err
	}
	file, err := r.unlocked(c, s)
	if err != nil {
		return err
	}
	name := fmt.Sprintf("%s-%d-layer-%t-%d", s.mark(), page, text, s.edition.Indexed)
	svg, known := r.drawn.Get(name)
	if !known {
		layer, err := r.Press.Layer(c.Request().Context(), file, page)
		if err != nil {
			return err
		}
		if !text {
			layer.Runs = nil
		}
		layer.Runs = s.edition.Flow.Settle(textflow.InOrder(intake.FlowPage(s.edition, page, layer)))
		svg = drawLayer(s.edition.AllSheets()[page-1], layer, inViewer)
		if !s.edition.Locked {
			r.drawn.Add(name, svg)
		}
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "image/svg+xml; charset=utf-8", ETag: name,
		Forever: s.edition.Indexed >= s.edition.Pages, Private: true, Secret: s.secret(), Content: bytes.NewReader(svg),
	})
	return nil
}

// contents answers with the outline, where readers are given that tool.
func (r *Reader) contents(c *echo.Context, s shown) error {
	b, err := json.Marshal(s.edition.Facts.Outline)
	if err != nil {
		return fmt.Errorf("write the contents: %w", err)
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "application/json", ETag: s.mark() + "-contents", Forever: true, Private: true, Secret: s.secret(),
		Content: bytes.NewReader(b),
	})
	return nil
}
