package reader

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/find"
	"incipit/internal/core/scanned"
	"incipit/internal/core/setting"
	"incipit/internal/core/share"
	"incipit/internal/core/sheet"
	"incipit/internal/database"
	"incipit/internal/pdf"
	"incipit/internal/reader/words"
)

// mostListed is how many hits are quoted by one answer.
const mostListed = 100

// quickPages is how many pages with hits a quick answer looks at.
const quickPages = 12

// foundPage is a page with hits.
type foundPage struct {
	Page  int `json:"page"`
	Count int `json:"count"`
}

// foundHit is one hit: the nth on its page, from 0. It is quoted where readers
// may take the text.
type foundHit struct {
	Page  int           `json:"page"`
	Nth   int           `json:"nth"`
	Quote *find.Context `json:"quote,omitempty"`
}

// foundAnswer is what a search gives. Whole says that every page of the
// document was looked at; Indexed is how many could be, so far.
type foundAnswer struct {
	Hits    int         `json:"hits"`
	Pages   []foundPage `json:"pages"`
	List    []foundHit  `json:"list"`
	Whole   bool        `json:"whole"`
	Indexed int         `json:"indexed"`
	// Unread says which pages' text could not be read, or "".
	Unread string `json:"unread,omitempty"`
	// Words says that only whole words are found here.
	Words bool `json:"words,omitempty"`
}

// mostUnread bounds the pages that are named as unread.
const mostUnread = 40

// shut says whether a document's text may neither be taken nor read: then hits
// must not give it away either, letter by letter.
func (s shown) shut() bool { return !s.settings.Copying && s.settings.TextView == setting.Closed }

// mayFind says, by its error, whether words may be looked for now.
func (r *Reader) mayFind(ctx context.Context, s shown) error {
	origin := share.Origin(ctx)
	if !r.finds.allows(origin) || s.shut() && !r.closed.allows(fmt.Sprint(s.placement, " ", origin)) {
		return errTooOften
	}
	return nil
}

// queryOf reads what is looked for.
func queryOf(c *echo.Context, s shown) (find.Query, error) {
	return find.Ask(c.QueryParam("q"), find.Options{WholeWord: c.QueryParam("whole") == "1" || s.shut(), Exact: c.QueryParam("exact") == "1"})
}

// find answers with the places of some words.
func (r *Reader) find(c *echo.Context, s shown) error {
	q, err := queryOf(c, s)
	if errors.Is(err, find.ErrEmpty) || errors.Is(err, find.ErrLong) {
		return c.JSON(http.StatusBadRequest, map[string]string{"problem": err.Error()})
	}
	if err != nil {
		return err
	}
	if err := r.mayFind(c.Request().Context(), s); err != nil {
		return err
	}
	skip, _ := strconv.Atoi(c.QueryParam("skip"))
	most := 0
	if c.QueryParam("quick") == "1" {
		most = quickPages
	}
	a, err := r.found(c.Request().Context(), s, q, max(skip, 0), most)
	if err != nil {
		return err
	}
	if a.Unread, err = unread(s, r.said(c)); err != nil {
		return err
	}
	s.askAgain(c)
	return c.JSON(http.StatusOK, a)
}

// unread says which pages' text could not be read: words on them are not found.
func unread(s shown, said words.Language) (string, error) {
	pages := s.edition.Unread.Text
	if len(pages) == 0 {
		return "", nil
	}
	sheets := s.edition.AllSheets()
	labels := make([]string, len(sheets))
	for i, l := range sheets {
		labels[i] = l.Label
	}
	return said.Say("said_find_unread", "pages", scanned.Rows(pages[:min(len(pages), mostUnread)], 1, len(sheets), labels))
}

func (r *Reader) found(ctx context.Context, s shown, q find.Query, skip, most int) (foundAnswer, error) {
	a := foundAnswer{Pages: []foundPage{}, List: []foundHit{}, Indexed: s.edition.Indexed, Words: s.shut()}
	leave, err := r.mayLook(ctx, s)
	if err != nil {
		return a, err
	}
	defer leave()
	pages, err := r.Library.PagesWith(ctx, s.edition.ID, q.Loose(), 1, most)
	if err != nil {
		return a, err
	}
	a.Whole = (most == 0 || len(pages) < most) && s.edition.Indexed >= s.edition.Pages
	for _, p := range pages {
		n := q.Count(p.Folded, p.Plain)
		if n == 0 {
			continue
		}
		a.Pages = append(a.Pages, foundPage{p.Page, n})
		if a.Hits+n > skip && len(a.List) < mostListed {
			for i, h := range q.In(p.Plain) {
				if a.Hits+i < skip || len(a.List) >= mostListed {
					continue
				}
				hit := foundHit{Page: p.Page, Nth: i}
				if s.settings.Copying {
					quote := find.Quote(p.Plain, h)
					hit.Quote = &quote
				}
				a.List = append(a.List, hit)
			}
		}
		a.Hits += n
	}
	return a, nil
}

// hits answers with the boxes of the hits on one page, in points of the sheet.
func (r *Reader) hits(c *echo.Context, s shown) error {
	page, err := pageOf(c, s)
	if err != nil {
		return err
	}
	q, err := queryOf(c, s)
	if err != nil {
		return c.JSON(http.StatusBadRequest, map[string]string{"problem": err.Error()})
	}
	if err := r.mayFind(c.Request().Context(), s); err != nil {
		return err
	}
	leave, err := r.mayLook(c.Request().Context(), s)
	if err != nil {
		return err
	}
	defer leave()
	p, err := r.Library.PageText(c.Request().Context(), s.edition.ID, page)
	if errors.Is(err, database.ErrNotFound) {
		return c.JSON(http.StatusOK, [][]sheet.Rect{})
	}
	if err != nil {
		return err
	}
	layer, err := p.Unpacked()
	if err != nil {
		return err
	}
	text := find.Of(layer.Runs)
	boxes := [][]sheet.Rect{}
	for _, h := range q.In(text.Plain()) {
		boxes = append(boxes, text.Boxes(h))
	}
	s.askAgain(c)
	return c.JSON(http.StatusOK, boxes)
}

// place answers with where a named destination leads.
func (r *Reader) place(c *echo.Context, s shown) error {
	name := c.QueryParam("name")
	if name == "" || len(name) > 500 {
		return errNoSuchPage
	}
	file, err := r.unlocked(c, s)
	if err != nil {
		return err
	}
	d, err := r.Press.Destination(c.Request().Context(), file, name)
	// A name that leads nowhere is passed over, as anything unknown in an address.
	if err != nil && pdf.KindOf(err) != pdf.NoSuchPage {
		return fmt.Errorf("find a place by name: %w", err)
	}
	b, err := json.Marshal(d)
	if err != nil {
		return fmt.Errorf("write a place: %w", err)
	}
	s.askAgain(c)
	return c.JSONBlob(http.StatusOK, b)
}
