package desk

import (
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"unicode"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/share"
	"incipit/internal/database"
	"incipit/internal/people"
)

// entry is the sign-in and the set-up form.
type entry struct {
	Next, Name, Email, Problem, Token string
	Kept                              *keptForm // a form that was sent when the session had ended
	Ended                             bool      // it has just
}

func (d *Desk) signInForm(c *echo.Context) error {
	if d.Who(c).Editor() {
		return c.Redirect(http.StatusSeeOther, "/documents")
	}
	return d.send(c, http.StatusOK, "signin", "Sign in", entry{Next: inside(c.QueryParam("next"))})
}

// inside keeps an address on this website, and else gives the start. Browsers
// leave tabs and line ends out of addresses, and take a backslash for a slash.
func inside(address string) string {
	u, err := url.Parse(address)
	if err != nil || u.IsAbs() || u.Host != "" || !strings.HasPrefix(address, "/") || strings.HasPrefix(address, "//") ||
		len(address) > 2000 ||
		strings.Contains(address, "\\") || strings.ContainsFunc(address,
		func(r rune) bool { return unicode.IsControl(r) || unicode.IsSpace(r) }) ||
		strings.HasPrefix(u.Path, "//") || strings.ContainsFunc(u.Path, unicode.IsControl) || strings.Contains(u.Path, "\\") {
		return "/documents"
	}
	return address
}

// deviceCookie is what a device keeps on which somebody has signed in.
const deviceCookie = "incipit_device"

func (d *Desk) device(c *echo.Context) string {
	cookie, err := c.Cookie(deviceCookie)
	if err != nil || len(cookie.Value) > 100 {
		return ""
	}
	return cookie.Value
}

func (d *Desk) signIn(c *echo.Context) error {
	f := entry{Next: inside(c.FormValue("next")), Email: c.FormValue("email"), Kept: broughtAlong(c)}
	a, err := d.Accounts.SignIn(c.Request().Context(), f.Email, c.FormValue("password"), share.Origin(c.Request().Context()), d.device(c))
	switch {
	case errors.Is(err, people.ErrWrong):
		f.Problem = "This e-mail address and password do not go together. Please try again."
		return d.notIn(c, http.StatusUnprocessableEntity, f)
	case errors.Is(err, people.ErrSuspended):
		f.Problem = "This account is suspended: nothing of it is lost. Ask whoever runs this server to resume it."
		return d.notIn(c, http.StatusForbidden, f)
	case errors.Is(err, people.ErrPaused):
		f.Problem = "There were too many attempts. Sign-in pauses for 15 minutes; then try again. A device on which you have signed in before is not held up by what others try."
		c.Response().Header().Set("Retry-After", "900")
		return d.notIn(c, http.StatusTooManyRequests, f)
	case errors.Is(err, people.ErrBusy):
		f.Problem = "Very many people try to sign in at this moment. Nothing is wrong with what you typed; try again in a minute."
		c.Response().Header().Set("Retry-After", "60")
		return d.notIn(c, http.StatusTooManyRequests, f)
	case err != nil:
		return err
	}
	if err := d.entered(c, a); err != nil {
		return err
	}
	switch {
	case wantsJSON(c.Request()) && !c.Request().PostForm.Has("next"): // a script that stays where it is
		return c.JSON(http.StatusOK, map[string]string{"name": a.Name})
	case f.Kept != nil:
		return d.goOn(c, f.Kept, f.Next)
	}
	return c.Redirect(http.StatusSeeOther, f.Next)
}

// enter begins a session: under a new token, so that one planted before does
// not become an editor's. The device is known from then on.
func (d *Desk) enter(c *echo.Context, a people.Account, next string) error {
	if err := d.entered(c, a); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, next)
}

// entered notes that somebody has signed in.
func (d *Desk) entered(c *echo.Context, a people.Account) error {
	ctx := c.Request().Context()
	if err := d.Sessions.RenewToken(ctx); err != nil {
		return err
	}
	d.Sessions.Put(ctx, accountKey, a.ID)
	err := d.People.NoteSignIn(ctx, people.SignIn{AccountID: a.ID, Session: d.session(c), Agent: agent(c.Request().UserAgent())})
	if err != nil {
		return err
	}
	device := d.device(c)
	if device == "" {
		if device, err = people.Device(); err != nil {
			return err
		}
	}
	if err := d.People.KnowDevice(ctx, a.ID, device); err != nil {
		return err
	}
	c.SetCookie(&http.Cookie{Name: deviceCookie, Value: device, Path: "/sign-in", MaxAge: 365 * 24 * 3600, HttpOnly: true, Secure: d.Secure,
		SameSite: http.SameSiteLaxMode})
	return nil
}

// session gives the name under which this request's session is kept: a hash of
// what the browser holds.
func (d *Desk) session(c *echo.Context) string {
	token := d.Sessions.Token(c.Request().Context())
	if token == "" {
		return ""
	}
	sum := sha256.Sum256([]byte(token))
	return base64.RawURLEncoding.EncodeToString(sum[:]) // as scs does with HashTokenInStore
}

func (d *Desk) signOut(c *echo.Context) error {
	ctx := c.Request().Context()
	if session := d.session(c); session != "" {
		if err := d.People.EndSession(ctx, session); err != nil {
			return err
		}
	}
	if err := d.Sessions.Destroy(ctx); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/sign-in")
}

func (d *Desk) setUpForm(c *echo.Context) error {
	open, err := d.People.SetupOpen(c.Request().Context(), c.Param("token"))
	if err != nil {
		return err
	}
	if !open {
		return database.ErrNotFound
	}
	return d.send(c, http.StatusOK, "setup", "Set up Incipit", entry{Token: c.Param("token")})
}

func (d *Desk) setUp(c *echo.Context) error {
	f := entry{Token: c.Param("token"), Name: c.FormValue("name"), Email: c.FormValue("email")}
	if f.Problem = people.CheckNew(f.Name, f.Email, c.FormValue("password")); f.Problem != "" {
		return d.send(c, http.StatusUnprocessableEntity, "setup", "Set up Incipit", f)
	}
	a, err := d.Accounts.SetUp(c.Request().Context(), f.Token, f.Name, f.Email, c.FormValue("password"))
	if err != nil {
		return err
	}
	return d.enter(c, a, "/documents")
}

// newPasswordForm is the form behind a one-time address for a new password.
func (d *Desk) newPasswordForm(c *echo.Context) error {
	a, err := d.People.PasswordOffer(c.Request().Context(), c.Param("token"))
	if err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "newpassword", "Choose a password", entry{Token: c.Param("token"), Email: a.Email, Name: a.Name})
}

func (d *Desk) newPassword(c *echo.Context) error {
	ctx := c.Request().Context()
	a, err := d.People.PasswordOffer(ctx, c.Param("token"))
	if err != nil {
		return err
	}
	if said := people.CheckPassword(c.FormValue("password")); said != "" {
		return d.send(c, http.StatusUnprocessableEntity, "newpassword", "Choose a password",
			entry{Token: c.Param("token"), Email: a.Email, Name: a.Name, Problem: said})
	}
	if a, err = d.Accounts.UseOffer(ctx, c.Param("token"), c.FormValue("password")); err != nil {
		return err
	}
	return d.enter(c, a, "/documents")
}

// notIn says why somebody is not signed in; what they typed before comes along.
func (d *Desk) notIn(c *echo.Context, status int, f entry) error {
	if wantsJSON(c.Request()) {
		return c.JSON(status, problem{f.Problem})
	}
	return d.send(c, status, "signin", "Sign in", f)
}
