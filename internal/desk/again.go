package desk

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"
)

// A form that is sent when the session has ended is not lost: it comes along through
// signing in, and is there to be sent then. Nothing of it is kept on the server.

// keptForm is such a form.
type keptForm struct {
	Path   string
	Fields []keptField
	// Parts says that it came with a file, which only the browser has.
	Parts bool
	// Back is the page that it stands on.
	Back string
}

type keptField struct{ Name, Value string }

// Long says whether a field is more than a line.
func (f keptField) Long() bool { return len(f.Value) > 60 || strings.Contains(f.Value, "\n") }

// unsaid are fields that say what was on the screen, or are numbers of ours: they go along
// out of sight.
var unsaid = []string{"seen", "revision", "house", "step", "against", "minutes", "next", "document", "id", "of"}

// Typed says whether a field is one that somebody filled in.
func (f keptField) Typed() bool { return f.Value != "" && !slices.Contains(unsaid, f.Name) }

const (
	// mostKept bounds the bytes of a form that comes along, mostFields its fields.
	mostKept   = 128 << 10
	mostFields = 400
	// keptPrefix begins the names of its fields while it comes along.
	keptPrefix = "kept."
	keptPath   = "kept_path"
)

// keeps gives the form of a request that came when nobody was signed in, or nil: one that
// this website's own page sent, since what strangers put together is nobody's to go on with.
func (d *Desk) keeps(c *echo.Context) *keptForm {
	r := c.Request()
	if r.Method != http.MethodPost || r.Header.Get("Sec-Fetch-Site") != "same-origin" {
		return nil
	}
	k := &keptForm{Path: r.URL.RequestURI()}
	if inside(k.Path) != k.Path {
		return nil
	}
	if inParts(r) {
		k.Parts = true
		return k
	}
	if r.ContentLength < 0 || r.ContentLength > mostKept || r.ParseForm() != nil {
		return nil
	}
	return k.with(r.PostForm, "")
}

// with takes fields in whose names begin with a prefix, in an order that stays.
func (k *keptForm) with(values map[string][]string, prefix string) *keptForm {
	var names []string
	all := 0
	for name, of := range values {
		if strings.HasPrefix(name, prefix) && strings.TrimPrefix(name, prefix) != "csrf" {
			names = append(names, name)
			all += len(of)
		}
	}
	if all > mostFields {
		return nil
	}
	slices.Sort(names)
	for _, name := range names {
		for _, value := range values[name] {
			k.Fields = append(k.Fields, keptField{strings.TrimPrefix(name, prefix), value})
		}
	}
	return k
}

// broughtAlong gives the form that came along with a sign-in, or nil.
func broughtAlong(c *echo.Context) *keptForm {
	path := c.FormValue(keptPath)
	if path == "" || inside(path) != path {
		return nil
	}
	k := &keptForm{Path: path, Parts: c.FormValue("kept_parts") != ""}
	return k.with(c.Request().PostForm, keptPrefix)
}

// ended answers a request that came when nobody was signed in any more.
func (d *Desk) ended(c *echo.Context) error {
	if m := c.Request().Method; wantsJSON(c.Request()) || m != http.MethodGet && m != http.MethodPost {
		return c.JSON(http.StatusUnauthorized, problem{"Your session has ended. What you typed is still here: sign in, and it goes on."})
	}
	if c.Request().Method == http.MethodGet {
		return c.Redirect(http.StatusSeeOther, "/sign-in?next="+url.QueryEscape(c.Request().URL.RequestURI()))
	}
	f := entry{Next: refererInside(c.Request()), Kept: d.keeps(c), Ended: true}
	return d.send(c, http.StatusUnauthorized, "signin", "Sign in", f)
}

// goOn shows, after a sign-in, the form that came along: to be read, and sent.
func (d *Desk) goOn(c *echo.Context, k *keptForm, back string) error {
	k.Back = back
	return d.send(c, http.StatusOK, "again", "Send it now", k)
}

// Said says what the fields are called on the screen.
func (f keptField) Said() string {
	words := strings.ReplaceAll(strings.ReplaceAll(f.Name, "_", " "), ".", " ")
	if words == "" {
		return "Field"
	}
	return fmt.Sprintf("%s%s", strings.ToUpper(words[:1]), words[1:])
}

// refererInside gives the page of ours that a request came from, or the start.
func refererInside(r *http.Request) string {
	u, err := url.Parse(r.Referer())
	if err != nil || u.Host != r.Host {
		return inside("")
	}
	return inside(u.RequestURI())
}
