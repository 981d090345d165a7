package desk

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/draft"
	"incipit/internal/people"
	"incipit/internal/placing"
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
	d.used(c, v.Placement.ID)
	return d.send(c, http.StatusOK, "bench", v.Document.Title, v)
}

// answer sends the state of a placement after whatever was done.
func (d *Desk) answer(c *echo.Context, id int64) error {
	v, err := d.subject(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return d.answerNoting(c, v, "")
}

// answerNoting is answer with what others did meanwhile, of rows that were read.
func (d *Desk) answerNoting(c *echo.Context, v benchView, notice string) error {
	s, err := d.stateOf(c, v, nil)
	if err != nil {
		return err
	}
	s.Notice = notice
	return c.JSON(http.StatusOK, s)
}

func (d *Desk) benchState(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	return d.answer(c, id)
}

// changes is a request to change settings. Revision is that of the draft which its maker
// saw.
type changes struct {
	Revision int64 `json:"revision"`
	setting.Wish
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

func (d *Desk) change(c *echo.Context) error {
	var ch changes
	if err := json.NewDecoder(c.Request().Body).Decode(&ch); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	return d.redraft(c, ch.Revision, func(_ benchView, seen, house setting.Settings) (placing.Made, error) {
		next, err := ch.Wish.Over(seen, house)
		return placing.Made{Settings: next}, err
	})
}

// redraft changes a draft and answers with the new state. What others changed since it was
// seen stays, unless it is the same: then they are told.
func (d *Desk) redraft(c *echo.Context, revision int64, next func(v benchView, seen, house setting.Settings) (placing.Made, error)) error {
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	made, others, err := d.Placing.ChangeDraft(c.Request().Context(), v.Placement.ID, revision, maker(c), v.Edition.Pages,
		func(seen, house setting.Settings) (placing.Made, error) {
			m, err := next(v, seen, house)
			if err != nil {
				return m, echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
			}
			return m, nil
		})
	if err != nil {
		return toldOf(c, err, ofDraft, "")
	}
	v.Placement.Step, v.Draft, v.House = made.Revision, made.Draft, made.House
	return d.answerNoting(c, v, beside(others, ofDraft))
}

// told answers with what an error says to an editor, or gives it on. kept says what is as
// it was before.
func told(c *echo.Context, err error, kept string) error {
	var sentence errSentence
	if errors.As(err, &sentence) {
		return c.JSON(sentence.status, problem{sentence.said})
	}
	var refusal draft.Refused
	if errors.As(err, &refusal) {
		return c.JSON(http.StatusUnprocessableEntity, problem{string(refusal) + " " + kept})
	}
	var found setting.Problems
	if errors.As(err, &found) {
		return refused(c, found)
	}
	return err
}

// maker names who asks.
func maker(c *echo.Context) string {
	who, _ := c.Get(accountKey).(people.Account)
	return who.Name
}

// pull is a request about a frame that is pulled by its edge. With Keep the
// draft takes the new size; without, only the figures are told.
type pull struct {
	Revision int64 `json:"revision"`
	Keep     bool  `json:"keep"`
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
		at, err := d.standsAt(c, v.House)
		if err != nil {
			return proof.Pulled{}, current, err
		}
		pulled := p.Apply(v.Edition.ProofFacts(), current, at.screen)
		next, err := pulled.Set.Over(current)
		return pulled, next, err
	}
	if p.Keep {
		return d.redraft(c, p.Revision, func(v benchView, current, _ setting.Settings) (placing.Made, error) {
			_, next, err := apply(v, current)
			return placing.Made{Settings: next}, err
		})
	}
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	current, err := v.Whole.Settings()
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

// seen reads what the maker of a command had on screen.
func seen(c *echo.Context) (s struct {
	placing.Seen
	Version int `json:"version"` // that readers see
}, err error) {
	if err := json.NewDecoder(c.Request().Body).Decode(&s); err != nil {
		return s, echo.NewHTTPError(http.StatusBadRequest, "revision").Wrap(err)
	}
	return s, nil
}

func (d *Desk) move(c *echo.Context, way int) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	saw, err := seen(c)
	if err != nil {
		return err
	}
	err = d.Placing.Move(c.Request().Context(), id, saw.Revision, maker(c), way)
	if err != nil {
		return toldOf(c, err, ofDraft, again[way])
	}
	return d.answer(c, id)
}

func (d *Desk) publish(c *echo.Context) error {
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	saw, err := seen(c)
	if err != nil {
		return err
	}
	// What must be fixed on some screen is asked about, once. It is that of the draft as
	// its maker saw it: another one is not published below.
	if c.QueryParam("anyway") == "" {
		st, err := d.stateOf(c, v, nil)
		if err != nil {
			return err
		}
		if st.Revision == saw.Revision && len(st.Musts) > 0 {
			return c.JSON(http.StatusUnprocessableEntity,
				problem{fmt.Sprintf("“%s” must be fixed before readers are well served. Nothing was published.", st.Musts[0].Title)})
		}
	}
	err = d.Placing.PublishDraft(c.Request().Context(), v.Placement.ID, saw.Seen, d.Who(c).Account)
	if err != nil {
		return toldOf(c, err, ofDraft, "publish")
	}
	return d.answer(c, v.Placement.ID)
}

func (d *Desk) withdraw(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	saw, err := seen(c)
	if err != nil {
		return err
	}
	err = d.Placing.Withdraw(c.Request().Context(), id, saw.Version)
	if errors.Is(err, placing.ErrStale) {
		return told(c, errAnew, "")
	}
	if err != nil {
		return err
	}
	return d.answer(c, id)
}
