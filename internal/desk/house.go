package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/database"
	"incipit/internal/placing"
)

// houseView is the data of the house style screen.
type houseView struct {
	Panel panel
	State houseState
}

// houseState is house style as its screen shows it: with the changes that are
// being thought of, and what they would do.
type houseState struct {
	Settings   setting.Settings       `json:"settings"`
	Own        []setting.Key          `json:"own"` // differs from the product's defaults
	House      map[setting.Key]string `json:"house"`
	Words      map[setting.Key]string `json:"words"`
	Problems   map[setting.Key]string `json:"problems"`
	Follow     []follow               `json:"follow"`
	Placements int                    `json:"placements"`
	Samples    []drawn                `json:"samples"`
	Thought    setting.Patch          `json:"thought"` // what differs from the product's defaults, to be sent back
	Changes    []setting.Change       `json:"changes"` // against what is in force
	Effects    []effect               `json:"effects"`
	Reached    int                    `json:"reached"` // drafts that would change; the effects on the first ones are told
	Readers    int                    `json:"readers"` // published placements that would change at once
	Carry      *carry                 `json:"carry"`   // the last change that was put in force at once
	Budget     int64                  `json:"budget"`
	Sites      []proof.Site           `json:"sites"`
	Revision   int64                  `json:"revision"`
	Undo       bool                   `json:"undo"`
	Redo       bool                   `json:"redo"`
	Notice     string                 `json:"notice"` // what others did meanwhile
	Said       string                 `json:"said"`   // what was just done
	panelState
}

// carry is how far a change has come that readers are given at once.
type carry struct {
	ID        int64 `json:"id"`
	Seen      int   `json:"seen"` // of all published placements
	All       int   `json:"all"`
	Published int   `json:"published"`
	Ended     bool  `json:"ended"`
}

func (d *Desk) carrying(ctx context.Context) (*carry, error) {
	c, all, err := d.Placing.LastCarry(ctx)
	if err != nil || c == nil {
		return nil, err
	}
	return &carry{c.ID, c.Seen, max(all, c.Seen), c.Published, c.EndedAt != nil}, nil
}

// followed is how many placements follow house style in each setting, and how many there
// are.
type followed struct {
	in  []follow
	all int
}

// following counts them; it is remembered for as long as nothing changes.
func (d *Desk) following(ctx context.Context) (followed, error) {
	return d.followed.Of("", func() (followed, time.Time, error) {
		placements, own, err := d.Placing.Chosen(ctx)
		f := followed{all: placements}
		for _, k := range setting.Keys() {
			f.in = append(f.in, follow{k, k.Name(), placements - own[k]})
		}
		return f, time.Time{}, err
	})
}

// words say how far a change has come.
func (c carry) words() string {
	if c.Ended {
		return "Drafts follow now, and " + plural(c.Published, "placement was", "placements were") + " published with the change."
	}
	return fmt.Sprintf("Drafts follow now. Published placements get the change one after the other: %d of %d so far. It goes on when this page is closed.", c.Seen, c.All)
}

// follow counts the placements whose draft follows house style in a setting.
type follow struct {
	Key        setting.Key `json:"key"`
	Name       string      `json:"name"`
	Placements int         `json:"placements"`
}

// houseChanges is a request to change house style. Thought is what was thought
// of so far; where it is missing, house style in force is what changes.
type houseChanges struct {
	Revision int64          `json:"revision"` // that its maker saw
	Thought  *setting.Patch `json:"thought"`
	setting.Wish
	AtOnce bool `json:"at_once"` // readers get it without publishing
}

// a4 is the document that house style is drawn with: twelve pages of text as
// most are, 11 pt on A4.
func a4() proof.Facts {
	sheets := frame.PagesOf(nil).Sheets
	for len(sheets) < 12 {
		sheets = append(sheets, sheets[0])
	}
	return proof.Facts{Pages: frame.PagesOf(sheets), Text: true, Measured: true, Sizes: legible.Sizes{
		Known: true, Body: legible.Text{Size: 11, XHeight: 5.3, How: legible.Likened}, Smallest: legible.Text{Size: 9, XHeight: 4.3,
			How: legible.Likened},
	}}
}

func (d *Desk) houseStateOf(ctx context.Context, next setting.Settings) (houseState, error) {
	house, err := d.Placing.House(ctx)
	if err != nil {
		return houseState{}, err
	}
	s := houseState{Settings: next, Thought: setting.Diff(setting.Default(), next), Changes: setting.Changes(house.Settings, next),
		House: words(setting.Default()), Words: words(next), Problems: map[setting.Key]string{}, Budget: house.Terms.Budget, Sites: house.Sites,
		Effects: []effect{}}
	s.Revision = house.Revision
	if s.Undo, s.Redo, err = d.Placing.WaysOfHouse(ctx, house); err != nil {
		return houseState{}, err
	}
	if s.Own = s.Thought.Keys(); s.Own == nil {
		s.Own = []setting.Key{}
	}
	follow, err := d.following(ctx)
	if err != nil {
		return houseState{}, err
	}
	s.Follow, s.Placements = follow.in, follow.all
	if change := setting.Diff(house.Settings, next); len(change) > 0 {
		reached, err := d.Placing.Reach(ctx, change)
		if err != nil {
			return houseState{}, err
		}
		s.Reached, s.Readers = reached.Drafts, reached.Readers
		if s.Effects, err = d.effects(ctx, house, change); err != nil {
			return houseState{}, err
		}
	}
	if s.Carry, err = d.carrying(ctx); err != nil {
		return houseState{}, err
	}
	for _, v := range proof.Look(a4(), next, proof.Terms{}, proof.Usual(house.Sites[0])) {
		s.Samples = append(s.Samples, draw(v, next))
	}
	// Units are changed from what they are on a tablet; tools are judged as in a
	// document of several pages.
	s.panelState = panelStateOf(next, toolbar.Holds{Pages: 12, Headings: 1, Layers: 2, Text: true}, s.Samples[1].Box, s.Samples[1].Screen)
	return s, nil
}

func (d *Desk) houseStyle(c *echo.Context) error {
	house, err := d.Placing.HouseStyle(c.Request().Context())
	if err != nil {
		return err
	}
	s, err := d.houseStateOf(c.Request().Context(), house)
	if err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "house", "House style", houseView{panelFor(0), s})
}

func (d *Desk) houseState(c *echo.Context) error {
	house, err := d.Placing.HouseStyle(c.Request().Context())
	if err != nil {
		return err
	}
	return d.answerHouse(c, house, "")
}

func (d *Desk) answerHouse(c *echo.Context, next setting.Settings, said string) error {
	s, err := d.houseStateOf(c.Request().Context(), next)
	if err != nil {
		return err
	}
	s.Said = said
	return c.JSON(http.StatusOK, s)
}

// thoughtOf reads a request and gives the house style it would make.
func (d *Desk) thoughtOf(c *echo.Context) (ch houseChanges, next setting.Settings, err error) {
	if err := json.NewDecoder(c.Request().Body).Decode(&ch); err != nil {
		return ch, next, echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	house, err := d.Placing.House(c.Request().Context())
	if err != nil {
		return ch, next, err
	}
	current := house.Settings
	if ch.Thought == nil {
		ch.Revision = house.Revision
	} else {
		if current, err = ch.Thought.Over(setting.Default()); err != nil {
			return ch, next, echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
		}
	}
	if next, err = ch.Wish.Over(current, setting.Default()); err != nil {
		return ch, next, echo.NewHTTPError(http.StatusBadRequest, "changes").Wrap(err)
	}
	return ch, next, nil
}

// thinkHouse tells what a change would do, and changes nothing.
func (d *Desk) thinkHouse(c *echo.Context) error {
	ch, next, err := d.thoughtOf(c)
	if err != nil {
		return err
	}
	next, err = d.Placing.Thought(c.Request().Context(), ch.Revision, next)
	if err != nil {
		return told(c, err, ofHouse.kept)
	}
	return d.answerHouse(c, next, "")
}

// changeHouse puts a change in force: for drafts, or for readers at once.
func (d *Desk) changeHouse(c *echo.Context) error {
	ch, next, err := d.thoughtOf(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	var atOnce *placing.AtOnce
	if ch.AtOnce {
		if asked, err := d.askedAtOnce(c, ch, next); err != nil || asked {
			return err
		}
		atOnce = &placing.AtOnce{By: d.Who(c).Account, Job: placing.CarryArgs{}}
	}
	others, err := d.Placing.ChangeSettings(ctx, ch.Revision, maker(c), next, atOnce)
	if err != nil {
		return toldOf(c, err, ofHouse, "")
	}
	said := "Drafts follow now; readers see the change when a placement is published."
	if ch.AtOnce {
		// Most houses are done with the first part; the job does the rest, and this, too,
		// where it fails here.
		if _, err := d.Placing.CarryOn(ctx); err != nil {
			d.Log.WarnContext(ctx, "a change of house style is left to its job", "error", err)
		}
		done, err := d.carrying(ctx)
		if err != nil {
			return err
		}
		said = done.words()
	}
	return d.answerHouseNow(c, said, beside(others, ofHouse))
}

// askedAtOnce asks, in one question, about all that would have to be fixed of what readers
// see then, and says whether it did: once, and not where house style is another by now.
func (d *Desk) askedAtOnce(c *echo.Context, ch houseChanges, next setting.Settings) (bool, error) {
	ctx := c.Request().Context()
	house, err := d.Placing.House(ctx)
	if err != nil || house.Revision != ch.Revision || c.QueryParam("anyway") != "" {
		return false, err
	}
	musts, err := d.Placing.MustsAfter(ctx, setting.Diff(house.Settings, next))
	if err != nil || musts.All == 0 {
		return false, err
	}
	return true, ask(c, musts)
}

// houseNamed says a part of house style in words.
func houseNamed(part string) string {
	if key := placing.SettingOf(part); key != "" {
		return setting.Named([]setting.Key{key})
	}
	return map[string]string{"budget": "the limit for page 1", "sites": "the websites"}[part]
}

// answerHouseNow answers with house style as it is in force.
func (d *Desk) answerHouseNow(c *echo.Context, said, notice string) error {
	house, err := d.Placing.HouseStyle(c.Request().Context())
	if err != nil {
		return err
	}
	s, err := d.houseStateOf(c.Request().Context(), house)
	if err != nil {
		return err
	}
	s.Said, s.Notice = said, notice
	return c.JSON(http.StatusOK, s)
}

// houseCarry tells how far a change has come that readers are given at once.
func (d *Desk) houseCarry(c *echo.Context) error {
	now, err := d.carrying(c.Request().Context())
	if err != nil {
		return err
	}
	if now == nil {
		return database.ErrNotFound
	}
	return c.JSON(http.StatusOK, carryState{*now, now.words()})
}

// carryState is how far a change has come, with words that say it.
type carryState struct {
	carry
	Said string `json:"said"`
}

func (d *Desk) undoHouse(c *echo.Context) error { return d.moveHouse(c, -1) }
func (d *Desk) redoHouse(c *echo.Context) error { return d.moveHouse(c, 1) }

// moveHouse goes back or forward in house style itself. Drafts follow.
func (d *Desk) moveHouse(c *echo.Context, way int) error {
	return d.moveInForce(c, way, ofHouse, d.Placing.MoveHouse, func() error {
		said := map[int]string{-1: "House style is as it was before; drafts follow.", 1: "House style is as it was again; drafts follow."}[way]
		return d.answerHouseNow(c, said, "")
	})
}

// terms is a request to change what the house asks, and its websites.
type terms struct {
	Revision int64        `json:"revision"` // that its maker saw
	Budget   int64        `json:"budget"`
	Sites    []proof.Site `json:"sites"`
}

func (d *Desk) changeTerms(c *echo.Context) error {
	var t terms
	if err := json.NewDecoder(c.Request().Body).Decode(&t); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "terms").Wrap(err)
	}
	others, err := d.Placing.ChangeTerms(c.Request().Context(), t.Revision, maker(c), proof.Terms{Budget: t.Budget}, t.Sites)
	if err != nil {
		return toldOf(c, err, ofHouse, "")
	}
	return d.answerHouseNow(c, "Kept. Proofs go by it from now on.", beside(others, ofHouse))
}
