package desk

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/database"
)

// comparison is the draft and what readers see, beside each other.
type comparison struct {
	Unseen    []setting.Change `json:"unseen"`
	Published frame.Box        `json:"published"` // at the stage's screen
	Draft     frame.Box        `json:"draft"`
	Edition   string           `json:"edition"` // a sentence where the editions differ, or ""
}

func (d *Desk) compare(c *echo.Context) error {
	ctx := c.Request().Context()
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	at, err := d.standsAt(c, v.House)
	if err != nil {
		return err
	}
	version := v.Version
	if version.Number == 0 {
		return database.ErrNotFound
	}
	seen, err := d.Library.Edition(ctx, version.EditionID)
	if err != nil {
		return err
	}
	draft, err := v.Whole.Settings()
	if err != nil {
		return err
	}
	out := comparison{Unseen: setting.Changes(version.Settings, draft),
		Published: frame.Layout(version.Settings, frame.PagesOf(seen.AllSheets()), at.screen.Column, at.screen.Height),
		Draft:     frame.Layout(draft, frame.PagesOf(v.Edition.AllSheets()), at.screen.Column, at.screen.Height)}
	if seen.ID != v.Edition.ID {
		out.Edition = "Readers see an earlier edition of the file."
	}
	return c.JSON(http.StatusOK, out)
}
