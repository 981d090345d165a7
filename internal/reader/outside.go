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
	"incipit/internal/database"
	"incipit/internal/deliver"
	"incipit/internal/press"
)

// What other websites ask for: a page as a picture under an address that stays
// when the file is replaced, and oEmbed 1.0 (https://oembed.com).

// cover answers with a page of what readers see now, as a picture.
func (r *Reader) cover(c *echo.Context, s shown) error {
	page, err := strconv.Atoi(c.Param("page"))
	if err != nil || page < 1 {
		return errNoSuchPage
	}
	// A picture on somebody's page goes on showing what it showed.
	if of := c.QueryParam("of"); of != "" && of != s.mark() {
		if page, err = r.Library.PageNow(c.Request().Context(), s.edition, of, page); err != nil {
			return err
		}
	}
	if page > s.edition.Pages {
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
	deliver.Send(c.Response(), c.Request(), deliver.Parcel{MediaType: made.MediaType, ETag: made.ETag, Private: true, Secret: s.secret(),
		Content: bytes.NewReader(made.Bytes)})
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
	cardWide  = 800  // px of the picture on a card (Open Graph)
	leastSide = 100  // CSS px
	mostSide  = 4000 // CSS px
)

var richHTML = template.Must(template.New("rich").Parse(
	`<iframe src="{{.Address}}" title="{{.Title}}" width="{{.Width}}" height="{{.Height}}" style="border:0;max-width:100%" loading="lazy" allow="fullscreen" referrerpolicy="no-referrer-when-downgrade"></iframe>`))

var (
	readerPath     = regexp.MustCompile(`^/r/([a-z0-9]{20})(/|$)`)
	collectionPath = regexp.MustCompile(`^/c/([a-z0-9]{20})/?$`)
)

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
	wide, high, problem := asksFor(c)
	if problem != "" {
		return c.String(http.StatusBadRequest, problem+"\n")
	}
	if key := collectionPath.FindStringSubmatch(address.Path); key != nil {
		return r.oembedCollection(c, key[1], address, wide, high)
	}
	key := readerPath.FindStringSubmatch(address.Path)
	if key == nil {
		return c.String(http.StatusNotFound, "There is no document of ours at this address.\n")
	}
	s, err := r.keptOf(c.Request().Context(), key[1])
	if errors.Is(err, database.ErrNotFound) || err == nil && !s.allows(access.Look) {
		return c.String(http.StatusNotFound, "There is no document of ours at this address.\n")
	}
	if err != nil {
		return err
	}
	pages := frame.PagesOf(s.edition.AllSheets())
	width := float64(richWidth)
	if wide > 0 {
		width = math.Min(wide, widest)
	}
	box := frame.Layout(s.settings, pages, width, richRoom)
	out := rich{
		Title: s.title, Width: int(math.Floor(math.Min(box.Width, width))), Height: int(math.Ceil(math.Min(box.Height, orMost(high)))),
	}
	if !s.edition.Locked {
		first := pages.Sheets[0]
		out.ThumbnailWidth, out.ThumbnailHeight = thumbnail(first.Height/first.Width, orMost(wide), orMost(high))
		out.ThumbnailURL = fmt.Sprintf("%s%s/cover/1/%d", r.Public, s.base, thumbWide)
	}
	return r.answerRich(c, out, s.base, address)
}

// asksFor gives the room that a website has at most, in CSS px; 0 is not said.
func asksFor(c *echo.Context) (wide, high float64, problem string) {
	most := func(name string) float64 {
		text := c.QueryParam(name)
		n, err := strconv.Atoi(text)
		if text == "" {
			return 0
		}
		if err != nil || n < 1 {
			problem = name + " is a whole number of pixels."
		}
		return float64(max(min(n, mostSide), leastSide))
	}
	return most("maxwidth"), most("maxheight"), problem
}

func orMost(side float64) float64 {
	if side == 0 {
		return mostSide
	}
	return side
}

// thumbnail is the size that a picture is told to have: within the room.
func thumbnail(shape, wide, high float64) (w, h int) {
	width := math.Min(math.Min(thumbWide, wide), high/shape)
	return int(width), int(math.Floor(width * shape))
}

// oembedCollection answers for a collection, which is as tall as it was set.
func (r *Reader) oembedCollection(c *echo.Context, key string, address *url.URL, wide, high float64) error {
	kept, err := r.Publishing.CollectionByKey(c.Request().Context(), key)
	if errors.Is(err, database.ErrNotFound) {
		return c.String(http.StatusNotFound, "There is no document of ours at this address.\n")
	}
	if err != nil {
		return err
	}
	if wide == 0 {
		wide = richWidth
	}
	return r.answerRich(c, rich{Title: kept.Content.Name, Width: int(math.Min(wide, widest)),
		Height: int(math.Min(float64(kept.Content.Height), orMost(high)))}, "/c/"+key, address)
}

// answerRich writes an answer whose title, sizes and thumbnail are known.
func (r *Reader) answerRich(c *echo.Context, out rich, base string, address *url.URL) error {
	out.Version, out.Type, out.ProviderName, out.ProviderURL, out.CacheAge = "1.0", "rich", "Incipit", r.Public, richAge
	place := ""
	if address.Fragment != "" {
		place = "#" + address.EscapedFragment()
	}
	var html strings.Builder
	if err := richHTML.Execute(&html, map[string]any{"Address": r.Public + base + place, "Title": out.Title, "Width": out.Width,
		"Height": out.Height}); err != nil {
		return fmt.Errorf("write the frame for oEmbed: %w", err)
	}
	out.HTML = html.String()
	if c.QueryParam("format") == "xml" {
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
	// What a card of it shows: how many pages it has, and how large its picture is, px.
	Pages, CoverWidth, CoverHeight int
}

// outside gives it for a published placement, or nil.
func (r *Reader) outside(s shown) *Outside {
	if s.private() {
		return nil
	}
	o := &Outside{Address: r.Public + s.base, Pages: s.edition.Pages}
	o.JSON = r.Public + "/oembed?format=json&url=" + url.QueryEscape(o.Address)
	o.XML = r.Public + "/oembed?format=xml&url=" + url.QueryEscape(o.Address)
	if !s.edition.Locked {
		first := s.edition.AllSheets()[0]
		o.Cover, o.CoverWidth, o.CoverHeight = o.Address+"/cover/1/800", cardWide, int(math.Round(cardWide*first.Height/first.Width))
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
// stays (see placing.Placer.NoteRefused).
func (r *Reader) refuse(ctx context.Context, s shown, site string) {
	if site == "" || len(site) > 200 || !r.refusals.allows(fmt.Sprint(s.placement, " ", share.Origin(ctx))) {
		return
	}
	if err := r.Placing.NoteRefused(ctx, s.placement, site); err != nil {
		slog.WarnContext(ctx, "a refused website was not noted", "error", err)
	}
}
