package desk

import (
	"cmp"
	"encoding/json"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/starter"
	"incipit/internal/placing"
)

// startersView is the data of the starters screen of one placement.
type startersView struct {
	benchView
	Chosen starter.Choice // what Incipit would choose
	Cards  []starterCard
	Scene  scene
}

// scene is what the page's script draws.
type scene struct {
	ID       int64      `json:"id"`
	Revision int64      `json:"revision"`
	Images   string     `json:"images"`
	Ladder   []int      `json:"ladder"`
	Cards    [][2]drawn `json:"cards"` // phone and laptop
}

// starterCard is one starter, proofed with this document.
type starterCard struct {
	starter.Starter
	Changes []setting.Change // against the draft, in words
	Phone   drawn
	Laptop  drawn
}

func (d *Desk) starters(c *echo.Context) error {
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	out := startersView{benchView: v, Chosen: starter.Choose(v.Edition.StarterFacts())}
	if out.State, err = d.stateOf(c, v, nil); err != nil {
		return err
	}
	at, err := d.standsAt(c, v.House)
	if err != nil {
		return err
	}
	for _, s := range starter.All() {
		settings, err := s.Set.Over(at.house.Settings)
		if err != nil {
			return err
		}
		f, err := d.factsFor(v.Whole, settings)
		if err != nil {
			return err
		}
		screens := proof.Usual(at.house.Sites[at.site])
		views := proof.Look(f, settings, at.house.Terms, []proof.Screen{screens[0], screens[2]})
		out.Cards = append(out.Cards, starterCard{Starter: s, Changes: setting.Changes(out.State.Settings, settings),
			Phone: draw(views[0], settings), Laptop: draw(views[1], settings)})
	}
	// The one that Incipit would choose stands first.
	slices.SortStableFunc(out.Cards, func(a, b starterCard) int {
		first := func(c starterCard) int {
			if c.Name == out.Chosen.Name {
				return 0
			}
			return 1
		}
		return cmp.Compare(first(a), first(b))
	})
	out.Scene = scene{ID: v.Placement.ID, Revision: out.State.Revision, Images: out.State.Images, Ladder: out.State.Ladder}
	for _, card := range out.Cards {
		out.Scene.Cards = append(out.Scene.Cards, [2]drawn{card.Phone, card.Laptop})
	}
	return d.send(c, http.StatusOK, "starters", "Starters for "+v.Document.Title, out)
}

// start sets a draft anew from a starter: house style with the starter over it.
func (d *Desk) start(c *echo.Context) error {
	var asked struct {
		Revision int64  `json:"revision"`
		Starter  string `json:"starter"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&asked); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "starter").Wrap(err)
	}
	begun, ok := starter.Named(asked.Starter)
	if !ok {
		return echo.NewHTTPError(http.StatusBadRequest, "starter")
	}
	start := placing.Start{Starter: begun.Name, Reason: "Chosen by hand."}
	return d.redraft(c, asked.Revision, func(v benchView, current, house setting.Settings) (placing.Made, error) {
		if chosen := starter.Choose(v.Edition.StarterFacts()); chosen.Name == begun.Name {
			start.Reason = chosen.Reason
		}
		next, err := begun.Set.Over(house)
		next.OpenAt = current.OpenAt // a place in this document, not a purpose
		return placing.Made{Settings: next, Start: &start}, err
	})
}
