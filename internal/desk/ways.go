package desk

import (
	"bytes"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strconv"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/address"
	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/database"
	"incipit/internal/site"
)

// How a placement stands on a web page: the ways, each with its settings, its
// code, and a page on which it stands.

// waysView is the data of the screen.
type waysView struct {
	benchView
	Ways        []wayChoice
	Pictures    []pictureChoice
	AllPictures int   // of which these are the latest
	Picture     int64 // the one on the cover; 0 is a page
	Choice      embed.Choice
	Live        bool // readers see the placement
	Guarded     bool
	Pinned      string // the script's element, at an address that stays as it is
}

// wayChoice is a way as it is offered.
type wayChoice struct {
	Way   embed.Way
	Title string
	Text  string
}

var wayChoices = []wayChoice{
	{embed.Inline, "Inline frame", "Plain HTML. Stands in the page, its space kept free. Works where scripts are taken out."},
	{embed.Element, "Element with script", "Starts when readers come near, can wait for a press, and speaks with your page."},
	{embed.Link, "Text link", "A line of text that opens the document over the page, here, or in a new window."},
	{embed.Button, "Button", "The same, looking like a button."},
	{embed.Cover, "Cover picture", "A page of the document as a picture that opens it. Follows when the file is replaced."},
	{embed.Bare, "Address alone", "For editors that take no code: paste the address on a line of its own. Websites that know oEmbed show the document."},
	{embed.Upgrade, "Link that becomes a viewer", "A plain link with one attribute, and the script once on the page."},
}

// wayOf reads a choice from the query.
func wayOf(q url.Values, pages int) (embed.Choice, string) {
	number := func(name string) int {
		n, err := strconv.Atoi(q.Get(name))
		if err != nil && q.Get(name) != "" {
			return -1
		}
		return n
	}
	c := embed.Choice{Way: embed.Way(q.Get("way")), Starts: q.Get("starts"), Follow: q.Get("follow") == "1", Opens: q.Get("opens"),
		Words: q.Get("words"),
		Page:  number("page"), Zoom: number("zoom"), Search: q.Get("search"), Cover: number("cover"), Alt: q.Get("alt")}
	if c.Way == "" {
		c.Way = embed.Inline
	}
	return c, c.Check(pages)
}

func (d *Desk) ways(c *echo.Context) error {
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	out := waysView{benchView: v, Ways: wayChoices, Live: v.Placement.Published != nil}
	settings, err := v.Whole.Settings()
	if err != nil {
		return err
	}
	out.Guarded = settings.Guarded
	out.Pinned = embed.Pinned(d.PublicURL, d.Script.Name, d.Script.Integrity)
	pictures, all, err := d.Publishing.OfferedPictures(c.Request().Context())
	if err != nil {
		return err
	}
	for _, p := range pictures {
		out.Pictures = append(out.Pictures, pictureOf(p))
	}
	out.AllPictures = all
	out.Picture, _ = strconv.ParseInt(c.QueryParam("picture"), 10, 64)
	out.Choice, _ = wayOf(c.Request().URL.Query(), v.Edition.Pages)
	return d.send(c, http.StatusOK, "ways", "On a web page", out)
}

// wayCode gives the code of a choice.
func (d *Desk) wayCode(c *echo.Context) error {
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	_, code, problem, err := d.written(c, v)
	if err != nil {
		return err
	}
	if problem != "" {
		return c.JSON(http.StatusUnprocessableEntity, map[string]string{"message": problem + " The code is for the earlier choice."})
	}
	return c.JSON(http.StatusOK, map[string]string{"code": code})
}

// written writes the code that a request asks for, or says in a sentence why
// there is none. Like the bench's, it keeps room for the draft.
func (d *Desk) written(c *echo.Context, v benchView) (embed.Choice, string, string, error) {
	ctx := c.Request().Context()
	choice, problem := wayOf(c.Request().URL.Query(), v.Edition.Pages)
	if problem != "" {
		return choice, "", problem, nil
	}
	if id := c.QueryParam("picture"); choice.Way == embed.Cover && id != "" {
		n, _ := strconv.ParseInt(id, 10, 64) // no number is no picture
		p, err := d.Publishing.Picture(ctx, n)
		if errors.Is(err, database.ErrNotFound) {
			return choice, "", "That picture is not here any more. Choose another one.", nil
		}
		if err != nil {
			return choice, "", "", err
		}
		if err := d.Publishing.GiveOut(ctx, p.ID); err != nil {
			return choice, "", "", err
		}
		choice.Own = &embed.OwnPicture{Address: d.PublicURL + site.PictureAt(p, p.Widths[0]), Width: p.Width, Height: p.Height}
	}
	settings, err := v.Whole.Settings()
	if err != nil {
		return choice, "", "", err
	}
	code, err := choice.Written(settings, embed.Subject{Address: d.PublicURL + address.Reader(v.Placement.Key),
		Title: v.Document.Title, Pages: frame.PagesOf(v.Edition.AllSheets()), Edition: v.Edition.Mark()})
	return choice, code, "", err
}

// tryPage is somebody's web page with a document on it. The code goes in as it
// is pasted: it was written and escaped by core/embed.
var tryPage = template.Must(template.New("try").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>A web page</title>
<style>body{margin:0 auto;max-width:900px;padding:24px;font:17px/1.5 sans-serif;color:#23222b;background:#fff}h1{font-size:26px;margin:0 0 8px}</style></head>
<body><h1>Visiting the observatory</h1><p>The hides are open from sunrise. What you need before you set out stands here.</p>
{{.Code}}
{{if .Bare}}<p>Where a website knows oEmbed, the address becomes:</p>{{.Inline}}{{end}}
<p>Ask at the desk for the key of the north hide.</p></body></html>
`))

func (d *Desk) tryWay(c *echo.Context) error {
	v, err := d.asked(c)
	if err != nil {
		return err
	}
	choice, code, problem, err := d.written(c, v)
	if err != nil {
		return err
	}
	if problem != "" {
		return c.String(http.StatusUnprocessableEntity, problem+"\n")
	}
	data := map[string]any{"Code": template.HTML(code), "Bare": choice.Way == embed.Bare} //nolint:gosec // written by core/embed
	if choice.Way == embed.Bare {
		inline := choice
		inline.Way = embed.Inline
		settings, err := v.Whole.Settings()
		if err != nil {
			return err
		}
		same, err := inline.Written(settings, embed.Subject{Address: d.PublicURL + address.Reader(v.Placement.Key),
			Title: v.Document.Title, Pages: frame.PagesOf(v.Edition.AllSheets()), Edition: v.Edition.Mark()})
		if err != nil {
			return err
		}
		data["Code"], data["Inline"] = template.HTML("<p>"+template.HTMLEscapeString(code)+"</p>"), template.HTML(same) //nolint:gosec // as above
	}
	var b bytes.Buffer
	if err := tryPage.Execute(&b, data); err != nil {
		return fmt.Errorf("write the page to try a way on: %w", err)
	}
	h := c.Response().Header()
	h.Set("Content-Security-Policy", fmt.Sprintf("default-src 'none'; style-src 'unsafe-inline'; img-src 'self' %[1]s; frame-src 'self' %[1]s; script-src 'self' %[1]s; base-uri 'none'; form-action 'none'; frame-ancestors 'self'", d.PublicURL))
	return c.HTMLBlob(http.StatusOK, b.Bytes())
}
