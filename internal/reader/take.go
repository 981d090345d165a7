package reader

import (
	"bytes"
	"cmp"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/sheet"
	"incipit/internal/deliver"
)

// takeFile answers with the file's bytes.
func (r *Reader) takeFile(c *echo.Context, s shown) error {
	key, mark := s.edition.BlobKey, s.edition.SHA256
	if s.edition.MendedKey != "" {
		key, mark = s.edition.MendedKey, s.edition.MendedHash
	}
	file, err := r.Blobs.Open(c.Request().Context(), key)
	if err != nil {
		return err
	}
	defer file.Close()
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "application/pdf", ETag: mark, Private: true, Secret: s.secret(),
		SaveAs: deliver.FileName(s.title) + ".pdf", Content: file,
	})
	return nil
}

// takePage answers with one page as a PDF of its own.
func (r *Reader) takePage(c *echo.Context, s shown) error {
	page, err := pageOf(c, s)
	if err != nil {
		return err
	}
	if s.edition.Locked {
		return errLocked // a page by itself would ask for no password
	}
	b, err := r.Press.Extract(c.Request().Context(), s.file(), page)
	if err != nil {
		return err
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{
		MediaType: "application/pdf", ETag: fmt.Sprintf("%s-leaf-%d", s.mark(), page), Private: true, Secret: s.secret(),
		SaveAs: fmt.Sprintf("%s, %s.pdf", deliver.FileName(s.title),
			deliver.FileName(s.edition.AllSheets()[page-1].Label)), Content: bytes.NewReader(b),
	})
	return nil
}

// takeAttached answers with a file inside the file. It is saved, never shown:
// nobody has looked at it.
func (r *Reader) takeAttached(c *echo.Context, s shown) error {
	n, err := strconv.Atoi(c.Param("n"))
	if err != nil || n < 1 {
		return errNoSuchPage
	}
	for _, a := range s.edition.Facts.Attached {
		if a.Number != n {
			continue
		}
		b, err := r.Press.Attachment(c.Request().Context(), s.file(), n)
		if err != nil {
			return err
		}
		c.Response().Header().Set("Content-Security-Policy", "sandbox")
		deliver.Send(c.Response(), c.Request(), deliver.Parcel{
			MediaType: "application/octet-stream", ETag: fmt.Sprintf("%s-attached-%d", s.mark(), n), Private: true, Secret: s.secret(),
			SaveAs: deliver.FileName(a.Name), Content: bytes.NewReader(b),
		})
		return nil
	}
	return errNoSuchPage
}

// paper is a page of the print view. Wide is wider than tall; Other lies
// another way than the first one, which browsers take the height of.
type paper struct {
	Page        int
	Wide, Other bool
}

// printView answers with pages set for paper: all, or those asked for. Of a
// document that asks for a password it names the pages; who opened it can fetch
// them.
func (r *Reader) printView(c *echo.Context, s shown) error {
	chosen, err := sheet.Span(c.QueryParam("pages"), s.edition.Pages)
	if err != nil {
		return errNoSuchPage
	}
	leave, err := r.mayWrite(c.Request().Context(), s)
	if err != nil {
		return err
	}
	defer leave()
	v, err := r.viewOf(s, r.said(c))
	if err != nil {
		return err
	}
	sheets := s.edition.AllSheets()
	for _, n := range chosen {
		p := paper{Page: n, Wide: sheets[n-1].Wide()}
		p.Other = len(v.Printed) > 0 && p.Wide != v.Printed[0].Wide
		v.Printed = append(v.Printed, p)
	}
	return r.pages.send(c, "print.html", v, s.standing.Draft, leave)
}

// about is what the panel about the document shows.
type about struct {
	Title    string       `json:"title"`
	Author   string       `json:"author,omitempty"`
	Subject  string       `json:"subject,omitempty"`
	Created  string       `json:"created,omitempty"`
	Changed  string       `json:"changed,omitempty"`
	Licence  string       `json:"licence,omitempty"` // an address
	Terms    string       `json:"terms,omitempty"`   // the licence in words
	Language string       `json:"language,omitempty"`
	Pages    int          `json:"pages"`
	Width    float64      `json:"width"` // of page 1, in points
	Height   float64      `json:"height"`
	Mixed    bool         `json:"mixed"`
	Bytes    int64        `json:"bytes"`
	Edition  int          `json:"edition"`
	Tagged   bool         `json:"tagged"`
	Attached []aboutEntry `json:"attached"`
}

// aboutEntry is a file inside the file.
type aboutEntry struct {
	Name    string `json:"name"`
	About   string `json:"about,omitempty"`
	Bytes   int64  `json:"bytes"`
	Address string `json:"address"`
}

// about answers with what is known of the document. Files inside it are named
// only where they may be taken.
func (r *Reader) about(c *echo.Context, s shown) error {
	f, sheets := s.edition.Facts, s.edition.AllSheets()
	a := about{
		Title: s.title, Author: f.Author, Subject: f.Subject, Created: f.Created, Changed: f.Changed, Licence: f.Licence,
		Terms: cmp.Or(f.Terms, f.Licence), Language: s.edition.Language(),
		Pages: len(sheets), Width: sheets[0].Width, Height: sheets[0].Height, Bytes: s.edition.Bytes, Edition: s.edition.Number, Tagged: f.Tagged,
		Attached: []aboutEntry{},
	}
	for _, o := range sheets {
		a.Mixed = a.Mixed || o.Width != a.Width || o.Height != a.Height
	}
	if s.settings.Download {
		for _, o := range f.Attached {
			a.Attached = append(a.Attached, aboutEntry{o.Name, o.About, o.Bytes, fmt.Sprintf("%s/attached/%s/%d", s.base, s.mark(), o.Number)})
		}
	}
	s.askAgain(c)
	return c.JSON(http.StatusOK, a)
}
