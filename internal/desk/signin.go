package desk

import (
	"errors"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/account"
	"incipit/internal/store"
)

// entry is the sign-in and the set-up form.
type entry struct {
	Next, Name, Email, Problem, Token string
}

func (d *Desk) signInForm(c *echo.Context) error {
	if d.Who(c).Editor() {
		return c.Redirect(http.StatusSeeOther, "/documents")
	}
	return d.send(c, http.StatusOK, "signin", "Sign in", entry{Next: inside(c.QueryParam("next"))})
}

// inside keeps an address on this website, and else gives the start.
func inside(address string) string {
	if !strings.HasPrefix(address, "/") || strings.HasPrefix(address, "//") || strings.ContainsAny(address, "\\\r\n") {
		return "/documents"
	}
	return address
}

func (d *Desk) signIn(c *echo.Context) error {
	f := entry{Next: inside(c.FormValue("next")), Email: c.FormValue("email")}
	a, err := d.Accounts.SignIn(c.Request().Context(), f.Email, c.FormValue("password"), c.RealIP())
	switch {
	case errors.Is(err, account.ErrWrong):
		f.Problem = "This e-mail address and password do not go together. Please try again."
		return d.send(c, http.StatusUnprocessableEntity, "signin", "Sign in", f)
	case errors.Is(err, account.ErrPaused):
		f.Problem = "There were too many attempts. Sign-in pauses for 15 minutes; then try again."
		c.Response().Header().Set("Retry-After", "900")
		return d.send(c, http.StatusTooManyRequests, "signin", "Sign in", f)
	case err != nil:
		return err
	}
	return d.enter(c, a, f.Next)
}

// enter begins a session: under a new token, so that one planted before does
// not become an editor's.
func (d *Desk) enter(c *echo.Context, a store.Account, next string) error {
	ctx := c.Request().Context()
	if err := d.Sessions.RenewToken(ctx); err != nil {
		return err
	}
	d.Sessions.Put(ctx, accountKey, a.ID)
	return c.Redirect(http.StatusSeeOther, next)
}

func (d *Desk) signOut(c *echo.Context) error {
	if err := d.Sessions.Destroy(c.Request().Context()); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sign-in")
}

func (d *Desk) setUpForm(c *echo.Context) error {
	open, err := d.Store.SetupOpen(c.Request().Context(), c.Param("token"))
	if err != nil {
		return err
	}
	if !open {
		return store.ErrNotFound
	}
	return d.send(c, http.StatusOK, "setup", "Set up Incipit", entry{Token: c.Param("token")})
}

func (d *Desk) setUp(c *echo.Context) error {
	f := entry{Token: c.Param("token"), Name: c.FormValue("name"), Email: c.FormValue("email")}
	if f.Problem = account.CheckNew(f.Name, f.Email, c.FormValue("password")); f.Problem != "" {
		return d.send(c, http.StatusUnprocessableEntity, "setup", "Set up Incipit", f)
	}
	a, err := d.Accounts.SetUp(c.Request().Context(), f.Token, f.Name, f.Email, c.FormValue("password"))
	if err != nil {
		return err
	}
	return d.enter(c, a, "/documents")
}
