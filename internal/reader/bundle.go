package reader

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"html/template"
	"io"
	"mime"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/access"
	"incipit/internal/deliver"
	"incipit/internal/pdf"
	"incipit/internal/press"
	"incipit/internal/reader/words"
)

// A bundle is a placement as plain files that work from any folder: the pages as
// images, the text view, and the file where it may be taken. What the placement
// denies is not in it.

// bundleWidth is how wide its page images are, in px.
const bundleWidth = 1600

// bundled is what the templates of a bundle are given.
type bundled struct {
	view
	Leaves []bundledLeaf
	Places []bundledPlace // the outline
	Body   template.HTML  // of the text view
	HasPDF bool
	Reads  bool // it has the text view
	Light  bool
	Dark   bool
}

type bundledLeaf struct {
	Number        int
	Label         string
	File          string // "" where the page cannot be shown
	Width, Height int    // px of the image
}

type bundledPlace struct {
	Page, Level int
	Title       string
}

// bundle answers with a bundle, page by page as the images are made.
func (r *Reader) bundle(c *echo.Context, s shown) error {
	if s.edition.Locked {
		return errLocked
	}
	ctx, said := c.Request().Context(), r.words.For(s.edition.Language())
	v, err := r.bundleView(s, said)
	if err != nil {
		return err
	}
	if v.Reads {
		plain := s
		plain.base = "index.html"
		for from := 1; from <= s.edition.Pages; from += flowPages {
			part, err := inTurn(ctx, func() (template.HTML, error) { return r.textFrom(ctx, plain, from, said) })
			if err != nil {
				return err
			}
			v.Body += part
		}
	}
	// The first page is made before anything is answered: a fault is still told
	// as a note then, not as half a file.
	page := func(n int) (press.Image, error) {
		return inTurn(ctx, func() (press.Image, error) { return r.Press.Image(ctx, s.file(), n, bundleWidth) })
	}
	first, err := page(1)
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "application/zip")
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": deliver.FileName(s.title) + ".zip"}))
	c.Response().WriteHeader(http.StatusOK)
	out := zip.NewWriter(c.Response())
	put := func(name string, method uint16, content io.Reader) error {
		w, err := out.CreateHeader(&zip.FileHeader{Name: name, Method: method, Modified: time.Now()})
		if err != nil {
			return fmt.Errorf("begin %s of the bundle: %w", name, err)
		}
		if _, err := io.Copy(w, content); err != nil {
			return fmt.Errorf("write %s of the bundle: %w", name, err)
		}
		return nil
	}
	for i, leaf := range v.Leaves {
		made := first
		if i > 0 {
			made, err = page(leaf.Number)
			var problem *pdf.Problem
			if errors.As(err, &problem) {
				v.Leaves[i].File = "" // its place says so
				continue
			}
			if err != nil {
				return fmt.Errorf("page %d of the bundle: %w", leaf.Number, err)
			}
		}
		if made.MediaType == "image/png" {
			v.Leaves[i].File = fmt.Sprintf("pages/%04d.png", leaf.Number)
		}
		if err := put(v.Leaves[i].File, zip.Store, bytes.NewReader(made.Bytes)); err != nil {
			return err
		}
	}
	pages := []string{"index.html"}
	if v.Reads {
		pages = append(pages, "text.html")
	}
	for _, name := range pages {
		var b bytes.Buffer
		if err := r.pages.t.ExecuteTemplate(&b, "bundle-"+name, v); err != nil {
			return fmt.Errorf("write %s of the bundle: %w", name, err)
		}
		if err := put(name, zip.Deflate, &b); err != nil {
			return err
		}
	}
	if v.HasPDF {
		file, err := r.Blobs.Open(ctx, s.edition.BlobKey)
		if err != nil {
			return fmt.Errorf("open the file for the bundle: %w", err)
		}
		defer file.Close()
		if err := put("document.pdf", zip.Store, file); err != nil {
			return err
		}
	}
	if err := out.Close(); err != nil {
		return fmt.Errorf("end the bundle: %w", err)
	}
	return nil
}

// inTurn does what may find that too much is being made, and waits its turn then:
// half a bundle is worth nothing, and who asks for one has time.
func inTurn[T any](ctx context.Context, do func() (T, error)) (T, error) {
	for {
		out, err := do()
		if !errors.Is(err, press.ErrBusy) {
			return out, err
		}
		select {
		case <-ctx.Done():
			return out, ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func (r *Reader) bundleView(s shown, said words.Language) (bundled, error) {
	all, err := r.viewOf(s, said)
	if err != nil {
		return bundled{}, err
	}
	v := bundled{view: all, HasPDF: s.allows(access.TakeFile), Reads: all.TextView, Light: s.settings.Scheme == "light",
		Dark: s.settings.Scheme == "dark"}
	for i, sheet := range s.edition.AllSheets() {
		v.Leaves = append(v.Leaves, bundledLeaf{Number: i + 1, Label: sheet.Label, File: fmt.Sprintf("pages/%04d.jpg", i+1), Width: bundleWidth,
			Height: int(bundleWidth*sheet.Height/sheet.Width + 0.5)})
	}
	for _, o := range s.edition.Facts.Outline {
		if o.Page > 0 && o.Level <= 2 {
			v.Places = append(v.Places, bundledPlace{o.Page, o.Level, o.Title})
		}
	}
	return v, nil
}
