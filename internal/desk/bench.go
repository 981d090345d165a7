package desk

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/store"
)

func (d *Desk) bench(c *echo.Context) error {
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	if v.State, err = d.stateOf(c, v, nil); err != nil {
		return err
	}
	v.Panel = panelFor(v.State.Pages)
	return d.send(c, http.StatusOK, "bench", v.Document.Title, v)
}

// answer sends the state of a placement after whatever was done.
func (d *Desk) answer(c *echo.Context, id int64) error {
	v, err := d.subject(c.Request().Context(), id)
	if err != nil {
		return err
	}
	s, err := d.stateOf(c, v, nil)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, s)
}

func (d *Desk) benchState(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	return d.answer(c, id)
}

// changes is a request to change settings: some get a value, some follow the
// base again.
type changes struct {
	Step   int           `json:"step"`
	Set    setting.Patch `json:"set"`
	Follow []setting.Key `json:"follow"`
}

// problems tells which settings were refused, each with a sentence.
type problems struct {
	Message  string                 `json:"message"`
	Problems map[setting.Key]string `json:"problems"`
}

func refused(c *echo.Context, found []setting.Problem) error {
	out := problems{"The earlier value is kept.", map[setting.Key]string{}}
	for _, p := range found {
		out.Problems[p.Key] = p.Message + " The earlier value is kept."
	}
	return c.JSON(http.StatusUnprocessableEntity, out)
}

// applied lays changes over the settings in force.
func applied(ch changes, current, base setting.Settings) (setting.Settings, error) {
	next, err := ch.Set.Over(current)
	if err != nil {
		return next, err
	}
	return setting.Diff(base, next).Without(ch.Follow...).Over(base)
}

func (d *Desk) change(c *echo.Context) error {
	var ch changes
	if err := json.NewDecoder(c.Request().Body).Decode(&ch); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	return d.redraft(c, ch.Step, func(_ benchView, current, house setting.Settings) (setting.Settings, error) {
		return applied(ch, current, house)
	}, nil)
}

// redraft keeps what next makes of the settings in force as the draft's next
// step, if it can stand, and answers with the new state. start names another
// beginning, or is nil.
func (d *Desk) redraft(c *echo.Context, step int, next func(v benchView, current, house setting.Settings) (setting.Settings, error), start *store.Start) error {
	ctx := c.Request().Context()
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	house, err := d.Store.HouseStyle(ctx)
	if err != nil {
		return err
	}
	current, err := d.Store.DraftSettings(ctx, v.Placement)
	if err != nil {
		return err
	}
	settings, err := next(v, current, house)
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	if found := setting.Check(settings, v.Edition.Pages); len(found) > 0 {
		return refused(c, found)
	}
	if len(setting.Diff(current, settings)) > 0 {
		patch := setting.Diff(house, settings)
		if start != nil {
			start.Patch = patch
			err = d.Store.Restart(ctx, v.Placement.ID, step, *start)
		} else {
			err = d.Store.Redraft(ctx, v.Placement.ID, step, patch)
		}
		if errors.Is(err, store.ErrStale) {
			return c.JSON(http.StatusConflict, problem{"This draft was changed in another window. It is shown now as it stands; repeat your change if you still want it."})
		}
		if err != nil {
			return err
		}
	}
	return d.answer(c, v.Placement.ID)
}

// pull is a request about a frame that is pulled by its edge. With Keep the
// draft takes the new size; without, only the figures are told.
type pull struct {
	Step int  `json:"step"`
	Keep bool `json:"keep"`
	proof.Pull
}

func (d *Desk) pull(c *echo.Context) error {
	var p pull
	if err := json.NewDecoder(c.Request().Body).Decode(&p); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "pull").Wrap(err)
	}
	if !(p.Width >= 0 && p.Width <= proof.MaxColumn && p.Height >= 0 && p.Height <= setting.MaxPixels) {
		return echo.NewHTTPError(http.StatusBadRequest, "pull")
	}
	apply := func(v benchView, current setting.Settings) (proof.Pulled, setting.Settings, error) {
		at, err := d.standsAt(c)
		if err != nil {
			return proof.Pulled{}, current, err
		}
		pulled := p.Apply(factsOfFile(v.Edition), current, at.screen)
		next, err := pulled.Set.Over(current)
		return pulled, next, err
	}
	if p.Keep {
		return d.redraft(c, p.Step, func(v benchView, current, _ setting.Settings) (setting.Settings, error) {
			_, next, err := apply(v, current)
			return next, err
		}, nil)
	}
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	current, err := d.Store.DraftSettings(c.Request().Context(), v.Placement)
	if err != nil {
		return err
	}
	pulled, next, err := apply(v, current)
	if err != nil {
		return err
	}
	if found := setting.Check(next, v.Edition.Pages); len(found) > 0 {
		return refused(c, found)
	}
	s, err := d.stateOf(c, v, &next)
	if err != nil {
		return err
	}
	s.Pulled = pulled.Words
	return c.JSON(http.StatusOK, s)
}

func (d *Desk) undo(c *echo.Context) error { return d.move(c, -1) }
func (d *Desk) redo(c *echo.Context) error { return d.move(c, 1) }

func (d *Desk) move(c *echo.Context, by int) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Store.Move(c.Request().Context(), id, by); err != nil {
		return err
	}
	return d.answer(c, id)
}

func (d *Desk) publish(c *echo.Context) error {
	ctx := c.Request().Context()
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	if v.Edition.State == store.Failed {
		return c.JSON(http.StatusConflict, problem{"The file cannot be read, so there is nothing to publish: " + v.Edition.ProblemMessage})
	}
	settings, err := d.Store.DraftSettings(ctx, v.Placement)
	if err != nil {
		return err
	}
	if found := setting.Check(settings, v.Edition.Pages); len(found) > 0 {
		return refused(c, found)
	}
	// What must be fixed on some screen is asked about, once.
	if c.QueryParam("anyway") == "" {
		st, err := d.stateOf(c, v, nil)
		if err != nil {
			return err
		}
		if len(st.Musts) > 0 {
			return c.JSON(http.StatusUnprocessableEntity, problem{fmt.Sprintf("“%s” must be fixed before readers are well served. Nothing was published.", st.Musts[0].Title)})
		}
	}
	if err := d.Store.Publish(ctx, v.Placement.ID, v.Edition.ID, d.Who(c).Account, settings); err != nil {
		return err
	}
	return d.answer(c, v.Placement.ID)
}

func (d *Desk) withdraw(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Store.Withdraw(c.Request().Context(), id); err != nil {
		return err
	}
	return d.answer(c, id)
}
