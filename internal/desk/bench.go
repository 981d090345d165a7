package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/store"
)

// benchView is the data of the bench.
type benchView struct {
	Placement store.Placement
	Document  store.Document
	Edition   store.Edition
	Panel     panel
	State     state
	StandIn   string
	Usual     []usualColumn
	Column    struct{ Min, Max int } // bounds of the stage's column, CSS px
}

// usualColumn is a column width that many web pages give, in CSS px, with the
// height of the window it is met in.
type usualColumn struct {
	Name           string
	Column, Window float64
}

// usual are a phone, a tablet held upright, and a laptop.
var usual = []usualColumn{{"phone", 328, 800}, {"tablet", 640, 1180}, {"laptop", 960, 800}}

// state is a placement's draft as the bench shows it, after each change.
type state struct {
	ID        int64                  `json:"id"`
	Step      int                    `json:"step"`
	Undo      bool                   `json:"undo"`
	Redo      bool                   `json:"redo"`
	Settings  setting.Settings       `json:"settings"`
	Own       []setting.Key          `json:"own"`    // settings that differ from house style
	House     map[setting.Key]string `json:"house"`  // house style in words
	Unseen    []setting.Change       `json:"unseen"` // what readers do not see yet
	Facts     []string               `json:"facts"`  // of the document, in words
	Examining bool                   `json:"examining"`
	Published bool                   `json:"published"`
	Since     string                 `json:"since"`
	Box       frame.Box              `json:"box"`
	Column    float64                `json:"column"`
	Window    float64                `json:"window"`
	Style     frame.Style            `json:"style"`
	Code      string                 `json:"code"`
	Address   string                 `json:"address"`
	Problems  map[setting.Key]string `json:"problems"`
	Pages     int                    `json:"pages"`
	Percent   float64                `json:"percent"` // of true size, at opening
	panelState
	Words map[setting.Key]string `json:"words"`
}

// stageSize is what the bench shows a placement at: column width and height of
// the window, in CSS px.
type stageSize struct{ column, window float64 }

const (
	defaultColumn, defaultWindow = 640, 800
	minColumn, maxColumn         = 160, 2400
)

func stageOf(c *echo.Context) stageSize {
	s := stageSize{defaultColumn, defaultWindow}
	if v, err := strconv.ParseFloat(c.QueryParam("column"), 64); err == nil && v >= minColumn && v <= maxColumn {
		s.column = v
	}
	if v, err := strconv.ParseFloat(c.QueryParam("window"), 64); err == nil && v >= 200 && v <= 4000 {
		s.window = v
	}
	return s
}

// subject reads the rows that the bench of one placement needs.
func (d *Desk) subject(ctx context.Context, id int64) (benchView, error) {
	v := benchView{StandIn: d.StandIn, Usual: usual}
	v.Column.Min, v.Column.Max = minColumn, maxColumn
	var err error
	if v.Placement, err = d.Store.Placement(ctx, id); err != nil {
		return v, err
	}
	if v.Document, err = d.Store.Document(ctx, v.Placement.DocumentID); err != nil {
		return v, err
	}
	v.Edition, err = d.Store.LatestEdition(ctx, v.Placement.DocumentID)
	return v, err
}

// stateOf computes what the bench shows of a draft.
func (d *Desk) stateOf(ctx context.Context, v benchView, size stageSize) (state, error) {
	p := v.Placement
	house, err := d.Store.HouseStyle(ctx)
	if err != nil {
		return state{}, err
	}
	draft, err := d.Store.Draft(ctx, p)
	if err != nil {
		return state{}, err
	}
	settings, err := draft.Patch.Over(house)
	if err != nil {
		return state{}, fmt.Errorf("draft of placement %d: %w", p.ID, err)
	}
	pages := frame.PagesOf(v.Edition.AllSheets())
	s := state{
		ID: p.ID, Step: draft.Step, Undo: draft.Undo, Redo: draft.Redo, Settings: settings,
		Own: draft.Patch.Keys(), House: words(house), Words: words(settings), Unseen: []setting.Change{}, Problems: map[setting.Key]string{},
		Column: size.column, Window: size.window, Box: frame.Layout(settings, pages, size.column, size.window),
		Percent: frame.Percent(frame.Layout(settings, pages, size.column, size.window).Scale), Facts: factsOf(v.Edition), Examining: v.Edition.State == store.Examining, Style: frame.CSS(settings, pages), Address: d.PublicURL + "/r/" + p.Key, Pages: pages.Count(),
	}
	if s.Own == nil {
		s.Own = []setting.Key{}
	}
	s.panelState = panelStateOf(settings, pages.Count(), s.Box, size)
	if s.Code, err = embed.Code(settings, embed.Subject{Address: s.Address, Title: v.Document.Title, Pages: pages}); err != nil {
		return state{}, err
	}
	version, err := d.Store.PublishedVersion(ctx, p)
	switch {
	case errors.Is(err, store.ErrNotFound):
	case err != nil:
		return state{}, err
	default:
		s.Published, s.Since = true, version.PublishedAt.Format("2 January 2006, 15:04")
		s.Unseen = setting.Changes(version.Settings, settings)
	}
	return s, nil
}

func words(s setting.Settings) map[setting.Key]string {
	out := map[setting.Key]string{}
	for _, k := range setting.Keys() {
		out[k] = s.Words(k)
	}
	return out
}

func (d *Desk) bench(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	v, err := d.subject(c.Request().Context(), id)
	if err != nil {
		return err
	}
	if v.State, err = d.stateOf(c.Request().Context(), v, stageOf(c)); err != nil {
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
	s, err := d.stateOf(c.Request().Context(), v, stageOf(c))
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
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	var ch changes
	if err := json.NewDecoder(c.Request().Body).Decode(&ch); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	v, err := d.subject(ctx, id)
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
	next, err := applied(ch, current, house)
	if err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	if found := setting.Check(next, v.Edition.Pages); len(found) > 0 {
		return refused(c, found)
	}
	if len(setting.Diff(current, next)) == 0 {
		return d.answer(c, id)
	}
	err = d.Store.Redraft(ctx, id, ch.Step, setting.Diff(house, next))
	if errors.Is(err, store.ErrStale) {
		return c.JSON(http.StatusConflict, problem{"This draft was changed in another window. It is shown now as it stands; repeat your change if you still want it."})
	}
	if err != nil {
		return err
	}
	return d.answer(c, id)
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
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	v, err := d.subject(ctx, id)
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
	if err := d.Store.Publish(ctx, id, v.Edition.ID, d.Who(c).Account, settings); err != nil {
		return err
	}
	return d.answer(c, id)
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
