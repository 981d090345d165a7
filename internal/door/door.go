// Package door is what a request meets before anybody reads it.
//
// Whoever comes is a stranger, perhaps a hostile one, and others want in too.
// So the door bounds, before a route is looked for: connections of one origin,
// the bytes of a body and the pace at which they come, the pace at which an
// answer is taken, the length of an address, and that an address is text. Where
// a request comes from is its connection's other end, or what a proxy says that
// the operator trusts; addresses of one IPv6 network (/64) are one origin.
package door

import (
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/share"
)

// Options say what is let in.
type Options struct {
	Proxies   []netip.Prefix // trusted to say who asks
	PerOrigin int            // connections and requests under way of one origin
	Secure    bool           // readers come by https, and shall
	// Limit gives the bytes that a request's body may have, and whether its route
	// answers for a longer one itself: nothing beyond is read in any case.
	Limit func(*http.Request) (bytes int64, hears bool)
	// Pace bounds how slowly bytes may come and go; the zero value is usual.
	Pace Pace
}

// Pace is how slowly somebody may send or take.
type Pace struct {
	Grace time.Duration // before anything has to have come
	Rate  float64       // bytes a second, on average, from then on
	Stall time.Duration // without any byte
}

// usual lets the slowest honest line in: two kilobytes a second.
var usual = Pace{Grace: 15 * time.Second, Rate: 2 << 10, Stall: time.Minute}

// Door lets requests in.
type Door struct {
	options Options
	gate    *gate
	warned  sync.Once

	mu    sync.Mutex
	under map[*Underway]bool
}

// New makes a door.
func New(o Options) *Door {
	if o.Pace == (Pace{}) {
		o.Pace = usual
	}
	if o.PerOrigin <= 0 {
		o.PerOrigin = 512
	}
	return &Door{options: o, gate: &gate{most: o.PerOrigin, by: map[string]int{}}, under: map[*Underway]bool{}}
}

// mostQuery bounds what stands behind the question mark, in bytes; a path has as
// many.
const mostQuery = 8 << 10

// Middleware goes before the choice of a route.
func (d *Door) Middleware(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		h := c.Response().Header()
		// What needs more says so; what is opened by itself does nothing.
		h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		if d.options.Secure {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		origin := d.Origin(r)
		if d.proxied(r) {
			// Connections are the proxy's; what counts is who it speaks for.
			if !d.gate.enter("r " + origin) {
				h.Set("Retry-After", "5")
				return echo.NewHTTPError(http.StatusTooManyRequests, "too many at once")
			}
			defer d.gate.leave("r " + origin)
		}
		switch {
		case !text(r.URL.Path) || !textQuery(r.URL.RawQuery):
			// The query goes, so that nobody behind reads it.
			r.URL.RawQuery = ""
			return echo.ErrBadRequest
		case len(r.URL.RawQuery) > mostQuery || len(r.URL.Path) > mostQuery:
			r.URL.RawQuery = ""
			return echo.NewHTTPError(http.StatusRequestURITooLong, "too long")
		}
		limit, hears := d.options.Limit(r)
		if r.ContentLength > limit && !hears {
			return echo.ErrStatusRequestEntityTooLarge
		}
		r = r.WithContext(share.From(r.Context(), origin))
		if r.Body != nil && r.Body != http.NoBody {
			u := &Underway{Method: r.Method, Path: r.URL.Path, Begun: time.Now(), Bytes: r.ContentLength}
			d.note(u, true)
			defer d.note(u, false)
			r.Body = d.paced(c.Response(), r.Body, limit, u)
		}
		if r.Method == http.MethodHead {
			// The answer is that of GET; the server leaves its body out.
			r.Method = http.MethodGet
		}
		c.SetRequest(r)
		defer func() {
			if form := c.Request().MultipartForm; form != nil {
				_ = form.RemoveAll()
			}
		}()
		return next(c)
	}
}

// text says whether a text can stand in a row and on a page.
func text(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }

// textQuery looks at a query as it was sent.
func textQuery(raw string) bool {
	if !strings.Contains(raw, "%") {
		return text(raw)
	}
	b := make([]byte, 0, len(raw))
	for i := 0; i < len(raw); i++ {
		if raw[i] == '%' && i+2 < len(raw) {
			if hi, lo := hex(raw[i+1]), hex(raw[i+2]); hi < 16 && lo < 16 {
				b = append(b, hi<<4|lo)
				i += 2
				continue
			}
		}
		b = append(b, raw[i])
	}
	return text(string(b))
}

func hex(c byte) byte {
	switch {
	case c >= '0' && c <= '9':
		return c - '0'
	case c >= 'a' && c <= 'f':
		return c - 'a' + 10
	case c >= 'A' && c <= 'F':
		return c - 'A' + 10
	}
	return 255
}

// Underway is a request whose body is still coming, or being worked on.
type Underway struct {
	Method, Path string
	Begun        time.Time
	Bytes        int64 // that are to come, -1 if that is not known
	mu           sync.Mutex
	came         int64
}

// Came is how many bytes have come.
func (u *Underway) Came() int64 {
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.came
}

func (d *Door) note(u *Underway, is bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if is {
		d.under[u] = true
	} else {
		delete(d.under, u)
	}
}

// Underway lists the requests with a body that have not been answered, the
// oldest first.
func (d *Door) Underway() []*Underway {
	d.mu.Lock()
	defer d.mu.Unlock()
	var out []*Underway
	for u := range d.under {
		out = append(out, u)
	}
	slices.SortFunc(out, func(a, b *Underway) int { return a.Begun.Compare(b.Begun) })
	return out
}
