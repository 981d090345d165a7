package reader

import (
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/access"
	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/core/share"
	"incipit/internal/placing"
)

// mostWhereSeen bounds what a viewer may tell, in bytes.
const mostWhereSeen = 4 << 10

// mostTall is the tallest viewer that is believed, CSS px.
const mostTall = 100_000

// whereSeen counts where a viewer stands: "WIDTHxHEIGHT ADDRESS", its own size in CSS px
// and the page around it. It is told once a visit, by the reader's script. Pages
// are counted, people are not.
func (r *Reader) whereSeen(c *echo.Context, s shown) error {
	b, err := io.ReadAll(io.LimitReader(c.Request().Body, mostWhereSeen))
	if err != nil {
		return c.NoContent(http.StatusBadRequest)
	}
	size, from, _ := strings.Cut(string(b), " ")
	wide, high, _ := strings.Cut(size, "x")
	width, err := strconv.ParseFloat(wide, 64)
	height, _ := strconv.Atoi(high) // 0 is not known
	page, ok := embed.HostPage(from)
	if err != nil || !ok || !(width >= 1 && width <= proof.MaxColumn) || height < 0 || height > mostTall || r.ours(page) ||
		c.Request().Header.Get("Sec-Fetch-Site") != "same-origin" || !s.standing.Published || s.standing.Draft {
		return c.NoContent(http.StatusNoContent)
	}
	// What no viewer of ours tells that was opened there is somebody's invention.
	secrets, err := r.seals.known(c.Request().Context())
	if err != nil {
		return err
	}
	if !access.StoodAt(c.Request().URL.RawQuery, s.base, siteOf(page), time.Now(), secrets...) {
		return c.NoContent(http.StatusNoContent)
	}
	// What is beyond that is somebody's game: one origin counts a few times an hour, and
	// all of them together so many a second.
	if !r.tellers.allows(s.base+" "+share.Origin(c.Request().Context())) || !r.tells.allows(s.base) {
		// A viewer that is not counted is no failure: many readers may come from one origin.
		return c.NoContent(http.StatusNoContent)
	}
	if err := r.Placing.NoteSeen(c.Request().Context(), s.placement, page,
		placing.Room{Column: proof.Round(frame.Column(s.settings, width)), Width: int(width), Height: height}); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// stoodSeal gives the seal with which a viewer of a published placement may tell where it
// stands, or "".
func (r *Reader) stoodSeal(q *http.Request, s shown) string {
	from, err := url.Parse(q.Referer())
	if err != nil || from.Host == "" || !s.standing.Published || s.standing.Draft {
		return ""
	}
	secrets, err := r.seals.known(q.Context())
	if err != nil || len(secrets) == 0 {
		return "" // it is shown all the same
	}
	return access.Stood(secrets[0], s.base, origin(from), time.Now())
}

// siteOf gives the website of a page.
func siteOf(page string) string {
	u, err := url.Parse(page)
	if err != nil {
		return ""
	}
	return origin(u)
}

// ours says whether a page is one of our own that shows documents to editors
// alone, or frames them for others.
func (r *Reader) ours(page string) bool {
	u, err := url.Parse(page)
	if err != nil || origin(u) != r.Public {
		return false
	}
	return u.Path != "/pages" && !strings.HasPrefix(u.Path, "/pages/")
}
