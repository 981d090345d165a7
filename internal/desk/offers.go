package desk

import (
	"cmp"
	"context"
	"io"
	"log/slog"
	"net/http"
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/webpage"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/publishing"
)

// byTitle puts what is offered in the order in which somebody looks for it.
func byTitle(o publishing.Offers, err error) (publishing.Offers, error) {
	slices.SortFunc(o.Rows, func(a, b publishing.Offer) int { return cmp.Or(cmp.Compare(a.Title, b.Title), cmp.Compare(a.ID, b.ID)) })
	return o, err
}

// used notes what somebody works on, or chose: it is at hand where the next one is chosen.
// Nothing hangs on it.
func (d *Desk) used(c *echo.Context, placements ...int64) {
	if err := d.Publishing.UsedLately(c.Request().Context(), d.Who(c).Account, placements...); err != nil {
		slog.WarnContext(c.Request().Context(), "what was used is not noted", "error", err)
	}
}

// offered answers with what is offered of a kind, by words of its title.
func (d *Desk) offered(c *echo.Context) error {
	of := map[string]func(context.Context, string, ...int64) (publishing.Offers, error){
		"placements": d.Publishing.OfferedPlacements, "collections": d.Publishing.OfferedCollections, "pages": d.Publishing.OfferedPages,
	}[c.Param("kind")]
	words := c.QueryParam("find")
	if of == nil || len(words) > mostFind {
		return echo.ErrNotFound
	}
	o, err := byTitle(of(c.Request().Context(), words))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, o)
}

// addHere takes a file as a document where one is chosen, and places it as its starter asks:
// it is offered there at once.
func (d *Desk) addHere(c *echo.Context) error {
	return d.upload(c, func(ctx context.Context, name string, r io.Reader, _ string) error {
		doc, e, err := d.Intake.Receive(ctx, name, r, d.Who(c).Account)
		if pdf.KindOf(err) == pdf.NeedsPassword {
			return told(c, draft.Refused("The file asks for a password. Add it among the documents, where the password can be given. Nothing was kept."), "")
		}
		if err != nil {
			return err
		}
		if e, err = d.examined(ctx, e); err != nil {
			return err
		}
		if e.State == library.Failed {
			return told(c, draft.Refused(e.ProblemMessage+" It stands among the documents, where it can be removed."), "")
		}
		p, err := d.Placing.PlaceChosen(ctx, e)
		if err != nil {
			return err
		}
		if now, err := d.Library.Document(ctx, doc.ID); err == nil {
			doc = now // it may carry a title of its own
		}
		d.used(c, p.ID)
		return c.JSON(http.StatusCreated, publishing.Offer{ID: p.ID, Title: doc.Title, Key: p.Key, Pages: e.Pages})
	})
}

// waitsToBeRead is for how long somebody who adds a document waits until its starter is
// chosen by what is in it; a longer one gets the one that its first page asks for.
const waitsToBeRead = 10 * time.Second

// examined waits until an edition has been examined, or for waitsToBeRead.
func (d *Desk) examined(ctx context.Context, e library.Edition) (library.Edition, error) {
	tick := time.NewTicker(150 * time.Millisecond)
	defer tick.Stop()
	for until := time.Now().Add(waitsToBeRead); e.State == library.Examining && time.Now().Before(until); {
		select {
		case <-tick.C:
		case <-ctx.Done():
			return e, ctx.Err()
		}
		now, err := d.Library.Edition(ctx, e.ID)
		if err != nil {
			return e, err
		}
		e = now
	}
	return e, nil
}

// mostFind bounds the words that something is looked for by, in bytes.
const mostFind = 400

// usedOn gives the numbers of what stands on a page, of a kind.
func usedOn(p webpage.Page, kind webpage.Kind) []int64 {
	var out []int64
	for _, b := range p.Blocks() {
		if b.Kind == kind && b.Of > 0 {
			out = append(out, b.Of)
		}
	}
	return out
}
