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
	Follow     []follow               `json:"follow"`
	Placements int                    `json:"placements"`
	Samples    []sample               `json:"samples"`
	panelState
}

// follow counts the placements whose draft follows house style in a setting.
type follow struct {
	Key        setting.Key `json:"key"`
	Name       string      `json:"name"`
	Placements int         `json:"placements"`
}

// sample is how an A4 document stands in one column under house style,
// computed: the frame, and in it page 1 as far as it shows. CSS px.
type sample struct {
	Name   string    `json:"name"`
	Column float64   `json:"column"`
	Box    frame.Box `json:"box"`
	Left   float64   `json:"left"` // of the frame in its column
	Bar    float64   `json:"bar"`  // height of the toolbar
	Page   pageBox   `json:"page"`
}

type pageBox struct {
	X      float64 `json:"x"`
	Y      float64 `json:"y"`
	Width  float64 `json:"width"`
	Height float64 `json:"height"`
}

func sampleOf(u usualColumn, house setting.Settings) sample {
	a4 := frame.PagesOf(nil)
	box := frame.Layout(house, a4, u.Column, u.Window)
	m := sample{Name: u.Name, Column: u.Column, Box: box}
	switch house.Align {
	case setting.Centre:
		m.Left = (u.Column - box.Width) / 2
	case setting.Right:
		m.Left = u.Column - box.Width
	}
	if house.Toolbar {
		m.Bar = frame.Toolbar
	}
	m.Page = pageBox{Y: m.Bar + frame.Gutter, Width: a4.Sheets[0].Width * box.Scale}
	m.Page.X = m.Left + max(frame.Gutter, (box.InnerWidth-m.Page.Width)/2)
	m.Page.Height = max(0, min(a4.Sheets[0].Height*box.Scale, box.Height-m.Page.Y-house.Border))
	return m
}

func (d *Desk) houseStateNow(ctx context.Context) (houseState, error) {
	house, err := d.Store.HouseStyle(ctx)
	if err != nil {
		return houseState{}, err
	}
	s := houseState{Settings: house, Own: setting.Diff(setting.Default(), house).Keys(), House: words(setting.Default()), Words: words(house),
		Problems: map[setting.Key]string{}}
	if s.Own == nil {
		s.Own = []setting.Key{}
	}
	patches, err := d.Store.DraftPatches(ctx)
	if err != nil {
		return houseState{}, err
	}
	s.Placements = len(patches)
	for _, k := range setting.Keys() {
		f := follow{Key: k, Name: k.Name()}
		for _, p := range patches {
			if _, own := p[k]; !own {
				f.Placements++
			}
		}
		s.Follow = append(s.Follow, f)
	}
	for _, u := range usual {
		s.Samples = append(s.Samples, sampleOf(u, house))
	}
	// Units are changed from what they are on a tablet; tools are judged as in a
	// document of several pages.
	tablet := usual[1]
	s.panelState = panelStateOf(house, 2, s.Samples[1].Box, stageSize{tablet.Column, tablet.Window})
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
