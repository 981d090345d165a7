package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/address"
	"incipit/internal/core/collection"
	"incipit/internal/core/embed"
	"incipit/internal/draft"
	"incipit/internal/publishing"
)

// collectionData is a collection as its screen shows it.
type collectionData struct {
	ID       int64                 `json:"id"`
	Revision int64                 `json:"revision"`
	Undo     bool                  `json:"undo"`
	Redo     bool                  `json:"redo"`
	Notice   string                `json:"notice"` // what others did meanwhile
	Content  collection.Collection `json:"content"`
	Offers   publishing.Offers     `json:"offers"` // documents that can be added, and those in it
	Inline   string                `json:"inline"`
	Element  string                `json:"element"`
	Address  string                `json:"address"`
}

// collectionsView is the list of collections.
type collectionsView struct {
	Rows []listedCollection
	paging
}

// listedCollection is a collection in the list.
type listedCollection struct {
	publishing.ListedCollection
	Arranged string
}

var arranged = map[collection.Arrangement]string{collection.List: "List with facts", collection.Grid: "Grid of covers",
	collection.Chooser: "Chooser beside one viewer"}

func (d *Desk) collections(c *echo.Context) error {
	part, err := d.Publishing.CollectionsBelow(c.Request().Context(), below(c))
	if err != nil {
		return err
	}
	out := collectionsView{Rows: []listedCollection{}, paging: pagingOf(c, part)}
	for _, kept := range part.Rows {
		out.Rows = append(out.Rows, listedCollection{kept, arranged[kept.Arrangement]})
	}
	return d.send(c, http.StatusOK, "collections", "Collections", out)
}

func (d *Desk) addCollection(c *echo.Context) error {
	content := collection.New(c.FormValue("name"))
	kept, err := d.Publishing.AddCollection(c.Request().Context(), content)
	var refusal draft.Refused
	if errors.As(err, &refusal) {
		return d.send(c, http.StatusUnprocessableEntity, "error", "Collections",
			map[string]any{"Status": http.StatusUnprocessableEntity, "Message": string(refusal) + " Go back and name it; nothing else was changed."})
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/collections/%d", kept.ID))
}

func (d *Desk) collectionOf(c *echo.Context) (collectionData, error) {
	id, err := number(c)
	if err != nil {
		return collectionData{}, err
	}
	kept, err := d.Publishing.Collection(c.Request().Context(), id)
	if err != nil {
		return collectionData{}, err
	}
	s := collectionData{ID: id, Revision: kept.Revision, Content: kept.Content, Address: d.PublicURL + address.Collection(kept.Key)}
	if s.Undo, s.Redo, err = d.Publishing.WaysOfCollection(c.Request().Context(), kept); err != nil {
		return s, err
	}
	in := make([]int64, len(kept.Content.Items))
	for i, item := range kept.Content.Items {
		in[i] = item.Placement
	}
	if s.Offers, err = byTitle(d.Publishing.AtHand(c.Request().Context(), d.Who(c).Account, in...)); err != nil {
		return s, err
	}
	code := embed.Collection{Address: s.Address, Name: kept.Content.Name, Height: kept.Content.Height}
	if s.Inline, err = code.Code(embed.Inline); err != nil {
		return s, err
	}
	s.Element, err = code.Code(embed.Element)
	return s, err
}

func (d *Desk) collection(c *echo.Context) error {
	s, err := d.collectionOf(c)
	if err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "collection", s.Content.Name, s)
}

func (d *Desk) collectionState(c *echo.Context) error {
	s, err := d.collectionOf(c)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, s)
}

// changeCollection keeps a collection as it is sent, if nobody else changed it
// meanwhile. Readers see it at once.
func (d *Desk) changeCollection(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Revision int64                 `json:"revision"`
		Content  collection.Collection `json:"content"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "collection").Wrap(err)
	}
	before, err := d.Publishing.Collection(c.Request().Context(), id)
	if err != nil {
		return err
	}
	others, err := d.Publishing.ChangeCollection(c.Request().Context(), id, sent.Revision, maker(c), sent.Content)
	if err != nil {
		return toldOf(c, err, ofThis, "")
	}
	d.used(c, before.Content.Added(sent.Content)...)
	s, err := d.collectionOf(c)
	if err != nil {
		return err
	}
	s.Notice = beside(others, ofThis)
	return c.JSON(http.StatusOK, s)
}

func (d *Desk) undoCollection(c *echo.Context) error { return d.moveCollection(c, -1) }
func (d *Desk) redoCollection(c *echo.Context) error { return d.moveCollection(c, 1) }

func (d *Desk) moveCollection(c *echo.Context, way int) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	return d.moveInForce(c, way, ofThis, func(ctx context.Context, seen int64, by string, way int) error {
		return d.Publishing.MoveCollection(ctx, id, seen, by, way)
	}, func() error { return d.collectionState(c) })
}

func (d *Desk) removeCollection(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Publishing.RemoveCollection(c.Request().Context(), id); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/collections")
}
