package desk

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/placing"
)

// refusedBy answers for what was refused, in words; answered is false where nothing was.
func refusedBy(c *echo.Context, err error) (answered bool, _ error) {
	var refused draft.Refused
	if errors.As(err, &refused) {
		return true, c.JSON(http.StatusUnprocessableEntity, problem{string(refused)})
	}
	return false, err
}

// unable says why nothing was done: to a script, or as a screen of its own.
func (d *Desk) unable(c *echo.Context, title, said string) error {
	if wantsJSON(c.Request()) {
		return c.JSON(http.StatusUnprocessableEntity, problem{said})
	}
	return d.send(c, http.StatusUnprocessableEntity, "error", title, map[string]any{"Status": http.StatusUnprocessableEntity, "Message": said})
}

// bulk does something with many documents at once.
func (d *Desk) bulk(c *echo.Context) error {
	var asked placing.Bulk
	if err := json.NewDecoder(c.Request().Body).Decode(&asked); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "act").Wrap(err)
	}
	// What has to be fixed is asked about as it is where one is published: once, for all.
	if asked.Do == placing.PublishAll && c.QueryParam("anyway") == "" && len(asked.Documents) <= placing.MostAtOnce {
		musts, err := d.Placing.MustsOfDrafts(c.Request().Context(), asked.Documents)
		if err != nil {
			return err
		}
		if musts.All > 0 {
			return ask(c, musts)
		}
	}
	done, err := d.Placing.Bulk(c.Request().Context(), asked, d.Who(c).Account, maker(c))
	if answered, err := refusedBy(c, err); answered || err != nil {
		return err
	}
	return c.JSON(http.StatusOK, done)
}

// mustAsk is a refusal with what it is about, so that it can be asked.
type mustAsk struct {
	problem
	Asked placing.Asked `json:"asked"`
}

func ask(c *echo.Context, about placing.Asked) error {
	return c.JSON(http.StatusUnprocessableEntity, mustAsk{problem{"Something has to be fixed before readers are well served. Nothing was changed."}, about})
}

func (d *Desk) undoBulk(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	done, err := d.Placing.UndoBulk(c.Request().Context(), id, d.Who(c).Account, maker(c))
	if answered, err := refusedBy(c, err); answered || err != nil {
		return err
	}
	return c.JSON(http.StatusOK, done)
}

// mostUses bounds the places that are named before documents are removed.
const mostUses = 40

// usesOfMany says where some documents stand, so that nobody removes them unawares. More
// counts what is not named.
func (d *Desk) usesOfMany(c *echo.Context) error {
	var asked struct {
		Documents []int64 `json:"documents"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&asked); err != nil || len(asked.Documents) > placing.MostAtOnce {
		return echo.NewHTTPError(http.StatusBadRequest, "documents").Wrap(err)
	}
	out := struct {
		Uses []used `json:"uses"`
		More int    `json:"more"`
	}{Uses: []used{}}
	seen := map[string]bool{}
	for _, id := range asked.Documents {
		uses, err := d.usesOf(c.Request().Context(), id)
		if err != nil {
			return err
		}
		for _, u := range uses {
			switch {
			case seen[u.Address]:
				continue
			case len(out.Uses) >= mostUses:
				out.More++
			default:
				out.Uses = append(out.Uses, u)
			}
			seen[u.Address] = true
		}
	}
	return c.JSON(http.StatusOK, out)
}

// removedDocument is one that can be put back, and what would be if it were.
type removedDocument struct {
	library.Removed
	Left string
}

// removed shows what was removed and can be put back.
func (d *Desk) removed(c *echo.Context) error {
	return d.removedScreen(c, http.StatusOK, "")
}

func (d *Desk) removedScreen(c *echo.Context, status int, said string) error {
	gone, err := d.Library.RemovedDocuments(c.Request().Context())
	if err != nil {
		return err
	}
	v := struct {
		Documents []removedDocument
		Said      string
		Most      int // where more may have been removed than are listed
	}{Said: said}
	if len(gone) == library.MostRemoved {
		v.Most = library.MostRemoved
	}
	for _, r := range gone {
		v.Documents = append(v.Documents, removedDocument{r, daysLeft(time.Until(r.Until()))})
	}
	return d.send(c, status, "removed", "Removed documents", v)
}

func daysLeft(left time.Duration) string {
	days := int(left.Hours() / 24)
	switch {
	case days < 1:
		return "less than a day"
	case days == 1:
		return "1 day"
	}
	return fmt.Sprintf("%d days", days)
}

// putBack puts a removed document back.
func (d *Desk) putBack(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	lost, err := d.Library.RestoreDocument(c.Request().Context(), id)
	if err != nil {
		return err
	}
	if len(lost) > 0 {
		return d.removedScreen(c, http.StatusOK, fmt.Sprintf("The document is back. What it was attached to, “%s”, has another document by now and keeps it.", lost[0]))
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/documents/%d", id))
}
