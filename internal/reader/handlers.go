package reader

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/toolbar"
	"incipit/internal/deliver"
)

// view answers with the viewer itself.
func (r *Reader) view(c *echo.Context, s shown) error {
	return r.answer(c, "reader.html", s)
}

// answer sends a page of the reader in the language it is asked for in.
func (r *Reader) answer(c *echo.Context, name string, s shown) error {
	v, err := r.viewOf(s, r.said(c))
	if err != nil {
		return err
	}
	return r.pages.send(c, http.StatusOK, name, v, s.standing.Draft)
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
	made, err := r.Press.Image(c.Request().Context(), s.file(), page, width)
	if err != nil {
		return err
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: made.MediaType, ETag: made.ETag, Forever: true, Private: s.standing.Draft, Content: bytes.NewReader(made.Bytes),
	})
	return nil
}

// layer answers with the SVG that lies over a page image.
func (r *Reader) layer(c *echo.Context, s shown) error {
	page, err := pageOf(c, s)
	if err != nil {
		return err
	}
	layer, err := r.Press.Layer(c.Request().Context(), s.file(), page)
	if err != nil {
		return err
	}
	svg := drawLayer(s.edition.AllSheets()[page-1], layer)
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "image/svg+xml; charset=utf-8", ETag: fmt.Sprintf("%s-%d-layer", s.mark(), page),
		Forever: true, Private: s.standing.Draft, Content: bytes.NewReader(svg),
	})
	return nil
}

// entry is one line of the contents.
type entry struct {
	Title string `json:"title"`
	Level int    `json:"level"`
	Page  int    `json:"page"`
}

// contents answers with the outline, where readers are given that tool.
func (r *Reader) contents(c *echo.Context, s shown) error {
	if !s.given(toolbar.Contents) || c.Param("mark") != s.mark() {
		return errNoSuchPage
	}
	out := []entry{}
	for _, h := range s.edition.Facts.Outline {
		if h.Page > 0 {
			out = append(out, entry(h))
		}
	}
	b, err := json.Marshal(out)
	if err != nil {
		return fmt.Errorf("write the contents: %w", err)
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "application/json", ETag: s.mark() + "-contents", Forever: true, Private: s.standing.Draft, Content: bytes.NewReader(b),
	})
	return nil
}

// takeFile answers with the file's bytes.
func (r *Reader) takeFile(c *echo.Context, s shown) error {
	file, err := r.Blobs.Open(c.Request().Context(), s.edition.BlobKey)
	if err != nil {
		return err
	}
	defer file.Close()
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "application/pdf", ETag: s.edition.SHA256, Private: s.standing.Draft,
		SaveAs: deliver.FileName(s.title) + ".pdf", Content: file,
	})
	return nil
}

// printView answers with the pages set for paper.
func (r *Reader) printView(c *echo.Context, s shown) error {
	return r.answer(c, "print.html", s)
}
