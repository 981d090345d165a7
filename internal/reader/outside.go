package reader

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"math"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/access"
	"incipit/internal/core/frame"
	"incipit/internal/core/share"
	"incipit/internal/deliver"
	"incipit/internal/press"
	"incipit/internal/store"
)

// What other websites ask for: a page as a picture under an address that stays
// when the file is replaced, and oEmbed 1.0 (https://oembed.com).

// cover answers with a page of what readers see now, as a picture.
func (r *Reader) cover(c *echo.Context, s shown) error {
	page, err := strconv.Atoi(c.Param("page"))
	if err != nil || page < 1 || page > s.edition.Pages {
		return errNoSuchPage
	}
	if s.edition.Locked {
		return errLocked
	}
	asked, err := strconv.Atoi(c.Param("width"))
	if err != nil || asked < 1 {
		return errNoSuchPage
	}
	ladder := press.Ladder()
	width := ladder[len(ladder)-1]
	for i := len(ladder) - 1; i >= 0 && ladder[i] >= asked; i-- {
		width = ladder[i]
	}
	made, err := r.Press.Image(c.Request().Context(), s.file(), page, width)
	if err != nil {
		return err
	}
	if !s.standing.Draft && !s.settings.Guarded {
		// It is for other websites' pages: those that may show it (see stranger).
		c.Response().Header().Set("Cross-Origin-Resource-Policy", "cross-origin")
	}
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{MediaType: made.MediaType, ETag: made.ETag, Private: true, Secret: s.secret(), Content: bytes.NewReader(made.Bytes)})
	return nil
}

// rich is an oEmbed 1.0 answer of the type "rich".
type rich struct {
	XMLName         xml.Name `json:"-" xml:"oembed"`
	Version         string   `json:"version" xml:"version"`
	Type            string   `json:"type" xml:"type"`
	Title           string   `json:"title" xml:"title"`
	ProviderName    string   `json:"provider_name" xml:"provider_name"`
	ProviderURL     string   `json:"provider_url" xml:"provider_url"`
	CacheAge        int      `json:"cache_age" xml:"cache_age"`
	ThumbnailURL    string   `json:"thumbnail_url,omitempty" xml:"thumbnail_url,omitempty"`
	ThumbnailWidth  int      `json:"thumbnail_width,omitempty" xml:"thumbnail_width,omitempty"`
	ThumbnailHeight int      `json:"thumbnail_height,omitempty" xml:"thumbnail_height,omitempty"`
	HTML            string   `json:"html" xml:"html"`
	Width           int      `json:"width" xml:"width"`
	Height          int      `json:"height" xml:"height"`
}

const (
	richWidth = 640  // CSS px, where the consumer names none
	widest    = 1200 // CSS px of what is answered, however much there is
	richRoom  = 800  // CSS px of the window that heights in vh go by
	richAge   = 3600 // seconds
	thumbWide = 480  // px of the picture
	leastSide = 100  // CSS px
	mostSide  = 4000 // CSS px
)

var richHTML = template.Must(template.New("rich").Parse(
	`<iframe src="{{.Address}}" title="{{.Title}}" width="{{.Width}}" height="{{.Height}}" style="border:0;max-width:100%" loading="lazy" allow="fullscreen" referrerpolicy="no-referrer-when-downgrade"></iframe>`))

var readerPath = regexp.MustCompile(`^/r/([a-z0-9]{20})(/|$)`)

// Oembed answers what a website that was given a bare address asks about it.
func (r *Reader) Oembed(c *echo.Context) error {
	c.Response().Header().Set("Access-Control-Allow-Origin", "*")
	format := c.QueryParam("format")
	if format != "" && format != "json" && format != "xml" {
		return c.String(http.StatusNotImplemented, "The formats are json and xml.\n")
	}
	address, err := url.Parse(c.QueryParam("url"))
	if err != nil || origin(address) != r.Public {
		return c.String(http.StatusNotFound, "There is no document of ours at this address.\n")
	}
	key := readerPath.FindStringSubmatch(address.Path)
	if key == nil {
		return c.String(http.StatusNotFound, "There is no document of ours at this address.\n")
	}
	s, err := r.known.of(key[1], func() (shown, error) { return r.readPublished(c.Request().Context(), key[1]) })
	if errors.Is(err, store.ErrNotFound) || err == nil && !s.allows(access.Look) {
		return c.String(http.StatusNotFound, "There is no document of ours at this address.\n")
	}
	if err != nil {
		return err
	}
	most := func(name string) float64 {
		n, err := strconv.Atoi(c.QueryParam(name))
		if err != nil || n < 1 {
			return mostSide
		}
		return float64(max(min(n, mostSide), leastSide))
	}
	pages := frame.PagesOf(s.edition.AllSheets())
	width := float64(richWidth)
	if c.QueryParam("maxwidth") != "" {
		width = math.Min(most("maxwidth"), widest)
	}
	box := frame.Layout(s.settings, pages, width, richRoom)
	out := rich{
		Version: "1.0", Type: "rich", Title: s.title, ProviderName: "Incipit", ProviderURL: r.Public, CacheAge: richAge,
		Width: int(math.Floor(math.Min(box.Width, width))), Height: int(math.Ceil(math.Min(box.Height, most("maxheight")))),
	}
	place := ""
	if address.Fragment != "" {
		place = "#" + address.EscapedFragment()
	}
	var html strings.Builder
	if err := richHTML.Execute(&html, map[string]any{"Address": r.Public + s.base + place, "Title": s.title, "Width": out.Width, "Height": out.Height}); err != nil {
		return fmt.Errorf("write the frame for oEmbed: %w", err)
	}
	out.HTML = html.String()
	if !s.edition.Locked {
		first := pages.Sheets[0]
		out.ThumbnailURL = fmt.Sprintf("%s%s/cover/1/%d", r.Public, s.base, thumbWide)
		out.ThumbnailWidth, out.ThumbnailHeight = thumbWide, int(math.Round(thumbWide*first.Height/first.Width))
	}
	if format == "xml" {
		b, err := xml.Marshal(out)
		if err != nil {
			return fmt.Errorf("write oEmbed: %w", err)
		}
		return c.Blob(http.StatusOK, "text/xml; charset=utf-8", append([]byte(xml.Header), b...))
	}
	return c.JSON(http.StatusOK, out)
}

func origin(u *url.URL) string { return u.Scheme + "://" + u.Host }

// Outside is what the reader's page tells websites that are given its address.
type Outside struct {
	Address string // of the reader
	JSON    string // of its oEmbed answers
	XML     string
	Cover   string
}

// outside gives it for a published placement, or nil.
func (r *Reader) outside(s shown) *Outside {
	if s.private() {
		return nil
	}
	o := &Outside{Address: r.Public + s.base}
	o.JSON = r.Public + "/oembed?format=json&url=" + url.QueryEscape(o.Address)
	o.XML = r.Public + "/oembed?format=xml&url=" + url.QueryEscape(o.Address)
	if !s.edition.Locked {
		o.Cover = o.Address + "/cover/1/800"
	}
	return o
}

// stranger says whether a website asks for a placement without being allowed to
// show it, and which, as far as it says.
func (r *Reader) stranger(q *http.Request, s shown) (site string, is bool) {
	if s.standing.Draft {
		return "", false
	}
	return access.Stranger(s.settings.Sites, r.Public, access.Heard(q.Header.Get))
}

// refuse notes a website that was refused, for the editor.
//
// Anybody can name any website: one origin adds few, and what is named most often
// stays (see store.NoteRefused).
func (r *Reader) refuse(ctx context.Context, s shown, site string) {
	if site == "" || len(site) > 200 || !r.refusals.allows(fmt.Sprint(s.placement, " ", share.Origin(ctx))) {
		return
	}
	if err := r.Store.NoteRefused(ctx, s.placement, site); err != nil {
		slog.WarnContext(ctx, "a refused website was not noted", "error", err)
	}
}
