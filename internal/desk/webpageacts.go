package desk

import (
	"encoding/json"
	"errors"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/draft"
	"incipit/internal/placing"
)

// conflict is an act that would have gone over what somebody else did. Mine is
// what was sent, so that it can be kept.
type conflict struct {
	Message string      `json:"message"`
	Mine    webpage.Act `json:"mine"`
}

// errSentence is an act refused in a sentence.
type errSentence struct {
	status int
	said   string
}

func (e errSentence) Error() string { return e.said }

// act does something to a page's draft. Where somebody else changed it since it
// was seen, it is done to what stands now, unless it would go over what they
// did.
func (d *Desk) act(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Revision int64 `json:"revision"` // that was seen
		webpage.Act
		// Over says that what others did to the same thing is seen and may go.
		Over bool `json:"over"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "act").Wrap(err)
	}
	return d.rewrite(c, id, sent.Revision, sent.Act, sent.Over)
}

func (d *Desk) rewrite(c *echo.Context, id, seen int64, a webpage.Act, over bool) error {
	others, err := d.Publishing.Act(c.Request().Context(), id, seen, maker(c), a, over)
	var clash *draft.Clash
	var refusal draft.Refused
	switch {
	case errors.As(err, &clash):
		return c.JSON(http.StatusConflict, conflict{meanwhile(clash.Made, ofPage) +
			" It is what you were changing, too, so your change was not made. It is kept below.", a})
	case errors.As(err, &refusal):
		return c.JSON(http.StatusUnprocessableEntity, conflict{string(refusal) + " " + ofPage.kept, a})
	case err != nil:
		return err
	}
	if a.New != nil && a.New.Kind == webpage.Placement && a.New.Of > 0 {
		d.used(c, a.New.Of)
	}
	notice := ""
	if len(others) > 0 {
		notice = meanwhile(others, ofPage) + " Your change was made to the page as it stands now."
	}
	return d.answerPage(c, id, notice)
}

// pullOnPage is a document on a page that is pulled by its edge.
func (d *Desk) pullOnPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Revision int64  `json:"revision"`
		Keep     bool   `json:"keep"`
		Block    string `json:"block"`
		proof.Pull
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "pull").Wrap(err)
	}
	if !(sent.Width >= 0 && sent.Width <= proof.MaxColumn && sent.Height >= 0 && sent.Height <= setting.MaxPixels) {
		return echo.NewHTTPError(http.StatusBadRequest, "pull")
	}
	ctx := c.Request().Context()
	now, err := d.Publishing.WebPageDraft(ctx, id)
	if err != nil {
		return err
	}
	drawn, err := d.Site.Draw(ctx, now.Content, true)
	if err != nil {
		return err
	}
	f, there := drawn.Frames[sent.Block]
	if !there {
		return c.JSON(http.StatusUnprocessableEntity, problem{webpage.ErrGone.Error()})
	}
	a, words, err := webpage.Pulled(now.Content, sent.Block, f.Edition.ProofFacts(), f.Base, sent.Pull, windowOf(c))
	if err != nil {
		return err
	}
	if sent.Keep {
		return d.rewrite(c, id, sent.Revision, a, false)
	}
	next, err := now.Content.Done(a)
	if err != nil {
		return err
	}
	s, err := d.pageStateOf(c, id, &next)
	if err != nil {
		return err
	}
	s.Pulled = words
	return c.JSON(http.StatusOK, s)
}

func (d *Desk) undoPage(c *echo.Context) error { return d.movePage(c, -1) }
func (d *Desk) redoPage(c *echo.Context) error { return d.movePage(c, 1) }

func (d *Desk) movePage(c *echo.Context, way int) error {
	id, seen, err := d.revised(c)
	if err != nil {
		return err
	}
	err = d.Publishing.MoveWebPage(c.Request().Context(), id, seen, maker(c), way)
	if err != nil {
		return toldOf(c, err, ofPage, again[way])
	}
	return d.answerPage(c, id, "")
}

// revised reads which revision a request is about.
func (d *Desk) revised(c *echo.Context) (id, seen int64, err error) {
	if id, err = number(c); err != nil {
		return 0, 0, err
	}
	var sent struct {
		Revision int64 `json:"revision"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return 0, 0, echo.NewHTTPError(http.StatusBadRequest, "step").Wrap(err)
	}
	return id, sent.Revision, nil
}

// publishPage has readers see the draft, now or as planned.
func (d *Desk) publishPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Revision int64      `json:"revision"`
		From     *time.Time `json:"from"`
		Until    *time.Time `json:"until"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return c.JSON(http.StatusUnprocessableEntity, problem{"That is no time. Nothing was published."})
	}
	plan := webpage.Plan{}
	if sent.From != nil {
		plan.From = *sent.From
	}
	if sent.Until != nil {
		plan.Until = *sent.Until
	}
	if said := plan.Check(time.Now()); said != "" {
		return c.JSON(http.StatusUnprocessableEntity, problem{said + " Nothing was published."})
	}
	err = d.Publishing.PublishWebPage(c.Request().Context(), id, sent.Revision, maker(c), plan)
	if err != nil {
		return toldOf(c, err, ofPage, "publish")
	}
	return d.answerPage(c, id, "")
}

func (d *Desk) withdrawPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	saw, err := seen(c)
	if err != nil {
		return err
	}
	err = d.Publishing.WithdrawWebPage(c.Request().Context(), id, saw.Version, maker(c))
	if errors.Is(err, placing.ErrStale) {
		return told(c, errAnew, "")
	}
	if err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

func (d *Desk) dropPlans(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Publishing.DropPlans(c.Request().Context(), id); err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

// setPath gives a page another address; earlier ones lead there.
func (d *Desk) setPath(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Path string `json:"path"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "path").Wrap(err)
	}
	if err := d.Publishing.SetPath(c.Request().Context(), id, sent.Path); err != nil {
		return told(c, err, "The earlier address is kept.")
	}
	return d.answerPage(c, id, "")
}
