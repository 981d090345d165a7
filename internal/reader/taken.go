package reader

import (
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/overlay"
	"incipit/internal/core/textflow"
	"incipit/internal/intake"
)

// takenPages is how many pages' text is given at once.
const takenPages = 50

// takenText is the text of one page, as it is copied.
type takenText struct {
	Page int    `json:"page"`
	Text string `json:"text"`
}

// taken answers with the text of pages from..to, for who copies over more pages than
// a browser has at hand: the reading that search and text view have, too.
func (r *Reader) taken(c *echo.Context, s shown) error {
	from, err := strconv.Atoi(c.Param("from"))
	to, wrong := strconv.Atoi(c.Param("to"))
	if err != nil || wrong != nil || from < 1 || to < from || to > s.edition.Pages || to-from >= takenPages {
		return errNoSuchPage
	}
	if s.edition.Locked {
		return r.takenLocked(c, s, from, to)
	}
	leave, err := r.mayLook(c.Request().Context(), s)
	if err != nil {
		return err
	}
	defer leave()
	texts, err := r.Library.PageTexts(c.Request().Context(), s.edition.ID, from, to)
	if err != nil {
		return err
	}
	if s.edition.HasText && s.edition.Indexed < to {
		return errNotIndexed
	}
	out := make([]takenText, to-from+1) // a page without text has none to take
	for i := range out {
		out[i].Page = from + i
	}
	for _, t := range texts {
		layer, err := t.Unpacked()
		if err != nil {
			return err
		}
		out[t.Page-from].Text = overlay.Text(s.edition.Flow.Settle(layer.Runs))
	}
	s.askAgain(c)
	return c.JSON(http.StatusOK, out)
}

// takenLocked reads the pages of a document with a password anew: nothing of it is
// kept on the server.
func (r *Reader) takenLocked(c *echo.Context, s shown, from, to int) error {
	file, err := r.unlocked(c, s)
	if err != nil {
		return err
	}
	out := []takenText{}
	for page := from; page <= to; page++ {
		layer, err := r.Press.Layer(c.Request().Context(), file, page)
		if err != nil {
			return fmt.Errorf("read page %d for copying: %w", page, err)
		}
		runs := textflow.InOrder(intake.FlowPage(s.edition, page, layer))
		out = append(out, takenText{page, overlay.Text(s.edition.Flow.Settle(runs))})
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.JSON(http.StatusOK, out)
}
