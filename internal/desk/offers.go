package desk

import (
	"cmp"
	"context"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/webpage"
	"incipit/internal/publishing"
)

// byTitle puts what is offered in the order in which somebody looks for it.
func byTitle(o publishing.Offers, err error) (publishing.Offers, error) {
	slices.SortFunc(o.Rows, func(a, b publishing.Offer) int { return cmp.Or(cmp.Compare(a.Title, b.Title), cmp.Compare(a.ID, b.ID)) })
	return o, err
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
