package desk

import (
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/people"
)

// accountData is the data of the screen of one's own account.
type accountData struct {
	SignIns []signedIn
	Others  int
	Problem string // with the password
	Said    string // what was done
}

// signedIn is where somebody is signed in.
type signedIn struct {
	people.SignIn
	Here bool
}

func (d *Desk) account(c *echo.Context) error {
	said := map[string]string{
		"password": "Your password is a new one. Everywhere else you are signed out.",
		"ended":    "That sign-in has ended.",
		"others":   "Everywhere else you are signed out.",
	}[c.QueryParam("done")]
	return d.sendAccount(c, http.StatusOK, accountData{Said: said})
}

func (d *Desk) sendAccount(c *echo.Context, status int, v accountData) error {
	all, err := d.People.SignIns(c.Request().Context(), d.Who(c).Account)
	if err != nil {
		return err
	}
	here := d.session(c)
	for _, in := range all {
		v.SignIns = append(v.SignIns, signedIn{in, in.Session == here})
		if in.Session != here {
			v.Others++
		}
	}
	return d.send(c, status, "account", "Your account", v)
}

func (d *Desk) changePassword(c *echo.Context) error {
	a, _ := c.Get(accountKey).(people.Account)
	said, err := d.Accounts.ChangePassword(c.Request().Context(), a, c.FormValue("present"), c.FormValue("password"), d.session(c))
	if err != nil {
		return err
	}
	if said != "" {
		return d.sendAccount(c, http.StatusUnprocessableEntity, accountData{Problem: said})
	}
	return c.Redirect(http.StatusSeeOther, "/account?done=password")
}

func (d *Desk) endSignIn(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if _, err := d.People.EndSignIns(c.Request().Context(), d.Who(c).Account, id, d.session(c)); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/account?done=ended")
}

func (d *Desk) endOtherSignIns(c *echo.Context) error {
	if _, err := d.People.EndSignIns(c.Request().Context(), d.Who(c).Account, 0, d.session(c)); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/account?done=others")
}

// agent names a browser and its system in a few words, as far as its own name for
// itself says.
func agent(said string) string {
	browser, system := "A browser", ""
	for _, b := range [][2]string{{"Firefox/", "Firefox"}, {"Edg/", "Edge"}, {"OPR/", "Opera"}, {"Chrome/", "Chrome"}, {"Safari/", "Safari"}} {
		if strings.Contains(said, b[0]) {
			browser = b[1]
			break
		}
	}
	for _, s := range [][2]string{{"iPhone", "iPhone"}, {"iPad", "iPad"}, {"Android", "Android"}, {"Windows", "Windows"},
		{"Mac OS X", "macOS"}, {"CrOS", "ChromeOS"}, {"Linux", "Linux"}} {
		if strings.Contains(said, s[0]) {
			system = " on " + s[1]
			break
		}
	}
	return browser + system
}
