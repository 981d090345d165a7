package desk

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/store"
)

// houseView is the data of the house style screen.
type houseView struct {
	Panel panel
	State houseState
}

// houseState is house style as its screen shows it.
type houseState struct {
	Settings   setting.Settings       `json:"settings"`
	Own        []setting.Key          `json:"own"` // differs from the product's defaults
	House      map[setting.Key]string `json:"house"`
	Words      map[setting.Key]string `json:"words"`
	Problems   map[setting.Key]string `json:"problems"`
	Follow     map[setting.Key]int    `json:"follow"` // placements whose draft follows a setting
	Placements int                    `json:"placements"`
	Samples    []sample               `json:"samples"`
}

// sample is how a document stands in one column under house style, computed.
type sample struct {
	Name   string    `json:"name"`
	Column float64   `json:"column"`
	Box    frame.Box `json:"box"`
	Page   pageBox   `json:"page"`
}

type pageBox struct {
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
}

func (d *Desk) houseStateNow(ctx context.Context) (houseState, error) {
	house, err := d.Store.HouseStyle(ctx)
	if err != nil {
		return houseState{}, err
	}
	s := houseState{Settings: house, Own: setting.Diff(setting.Default(), house).Keys(), House: words(setting.Default()), Words: words(house),
		Problems: map[setting.Key]string{}, Follow: map[setting.Key]int{}}
	if s.Own == nil {
		s.Own = []setting.Key{}
	}
	patches, err := d.Store.DraftPatches(ctx)
	if err != nil {
		return houseState{}, err
	}
	s.Placements = len(patches)
	for _, k := range setting.Keys() {
		for _, p := range patches {
			if _, own := p[k]; !own {
				s.Follow[k]++
			}
		}
	}
	a4 := frame.PagesOf(nil)
	for _, u := range usual {
		box := frame.Layout(house, a4, u.Column, u.Window)
		s.Samples = append(s.Samples, sample{u.Name, u.Column, box, pageBox{a4.First.Width * box.Scale, a4.First.Height * box.Scale}})
	}
	return s, nil
}

func (d *Desk) houseStyle(c *echo.Context) error {
	s, err := d.houseStateNow(c.Request().Context())
	if err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "house", "House style", houseView{panelFor(0), s})
}

func (d *Desk) houseState(c *echo.Context) error {
	s, err := d.houseStateNow(c.Request().Context())
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, s)
}

func (d *Desk) changeHouse(c *echo.Context) error {
	ctx := c.Request().Context()
	var ch changes
	if err := json.NewDecoder(c.Request().Body).Decode(&ch); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	house, err := d.Store.HouseStyle(ctx)
	if err != nil {
		return err
	}
	next, err := applied(ch, house, setting.Default())
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	if found := setting.Check(next, 0); len(found) > 0 {
		return refused(c, found)
	}
	if err := d.Store.SetHouseStyle(ctx, next); err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	return d.houseState(c)
}
