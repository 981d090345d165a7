package desk

import (
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/embed"
	"incipit/internal/placing"
)

// keysData is the data of the screen of signing keys. Secret is shown once,
// right after its key was made.
type keysData struct {
	Keys    []placing.SigningKey
	Secret  string
	New     int64
	Trouble string
	Public  string
}

const mostKeyName = 80

func (d *Desk) signingKeys(c *echo.Context) error { return d.sendKeys(c, http.StatusOK, keysData{}) }

func (d *Desk) sendKeys(c *echo.Context, status int, v keysData) error {
	var err error
	if v.Keys, err = d.Placing.SigningKeys(c.Request().Context()); err != nil {
		return err
	}
	v.Public = d.PublicURL
	return d.send(c, status, "keys", "Signing keys", v)
}

func (d *Desk) addSigningKey(c *echo.Context) error {
	name := strings.TrimSpace(c.FormValue("name"))
	if name == "" || len([]rune(name)) > mostKeyName {
		return d.sendKeys(c, http.StatusUnprocessableEntity, keysData{Trouble: "Name who signs with it, in at most 80 letters. No key was made."})
	}
	k, err := d.Placing.AddSigningKey(c.Request().Context(), name)
	if err != nil {
		return err
	}
	return d.sendKeys(c, http.StatusOK, keysData{Secret: base64.RawURLEncoding.EncodeToString(k.Secret), New: k.ID})
}

func (d *Desk) withdrawSigningKey(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Placing.WithdrawSigningKey(c.Request().Context(), id); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/signing-keys")
}

// setRecord gives a placement the record that it belongs to.
func (d *Desk) setRecord(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Record string `json:"record"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "record").Wrap(err)
	}
	sent.Record = strings.TrimSpace(sent.Record)
	if said := embed.CheckRecord(sent.Record); said != "" {
		return c.JSON(http.StatusUnprocessableEntity, problem{said + " The earlier one is kept."})
	}
	err = d.Placing.SetRecord(c.Request().Context(), id, sent.Record)
	if errors.Is(err, placing.ErrTaken) {
		return c.JSON(http.StatusUnprocessableEntity, problem{"Another placement belongs to that record. The earlier one is kept."})
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]string{"record": sent.Record})
}
