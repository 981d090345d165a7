package app_test

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"io"
	"mime/multipart"
	"net/http"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"incipit/internal/core/address"
	"incipit/internal/core/collection"
	"incipit/internal/core/webpage"
	"incipit/internal/picture"
	"incipit/internal/testkit"
	"incipit/internal/testkit/pace"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// world is a house with something at every address.
type world struct {
	*testkit.House
	routes []echo.RouteInfo
	names  map[string]string // what stands for a parameter, by the start of a path and its name
}

func newWorld(t *testing.T) *world {
	t.Helper()
	w := &world{House: testkit.Open(t), names: map[string]string{}}
	ctx := t.Context()
	p, e := w.Published(t, "tide-table.pdf", nil)
	w.Indexed(t, e.ID)
	require.NoError(t, w.Placing.SetRecord(ctx, p.ID, "survey-1"))
	var img bytes.Buffer
	require.NoError(t, png.Encode(&img, image.NewGray(image.Rect(0, 0, 40, 30))))
	pic, err := picture.Take(ctx, w.Intake.Engine, w.Publishing, w.Blobs, "marsh.png", &img)
	require.NoError(t, err)
	c, err := w.Publishing.AddCollection(ctx, collection.Collection{Name: "All", Arrangement: collection.List, Order: collection.ByTitle,
		Height: 640,
		Items:  []collection.Item{{Placement: p.ID}}})
	require.NoError(t, err)
	page, err := w.Publishing.AddWebPage(ctx, "visiting", webpage.Page{Title: "Visiting"}, "Maren Oakes")
	require.NoError(t, err)
	key, err := w.Placing.AddSigningKey(ctx, "portal")
	require.NoError(t, err)
	var editor int64
	require.NoError(t, w.DB.Pool.QueryRow(ctx, "SELECT min(id) FROM accounts").Scan(&editor))
	upload, err := w.Intake.Expect(ctx, editor, "tides.pdf", 100)
	require.NoError(t, err)
	for name, value := range map[string]any{
		"/r :key": p.Key, "/c :key": c.Key, "/record :record": "survey-1", "/onpage :name": "0123456789abcdef.js", ":mark": e.SHA256[:16],
		":page": 1, ":number": 1, ":source": 1, ":from": 1, ":to": 1, ":n": 1, ":column": 0, ":row": 0,
		":width": 800, "/pictures :width": pic.Widths[0], ":kind": "placements", ":upload": upload.ID, "/pictures :mark": pic.SHA256[:12], "/pages :path": "visiting",
		":token": "none", "/s *": "x/desk/desk.css",
		"/documents :id": p.DocumentID, "/placements :id": p.ID, "/stage :id": p.ID, "/web-pages :id": page.ID, "/collections :id": c.ID,
		"/pictures :id": pic.ID, "/signing-keys :id": key.ID, "/account :id": 1,
	} {
		w.names[name] = fmt.Sprint(value)
	}
	for _, r := range w.Router.Router().Routes() {
		if r.Method != echo.RouteNotFound {
			w.routes = append(w.routes, r)
		}
	}
	require.Greater(t, len(w.routes), 80)
	return w
}

// address fills a route's parameters in; odd, if given, takes the place of the
// one of that number.
func (w *world) address(t *testing.T, route string, at int, odd string) string {
	t.Helper()
	parts := strings.Split(route, "/")
	n := 0
	for i, part := range parts {
		if !strings.HasPrefix(part, ":") && part != "*" {
			continue
		}
		value, ok := w.names["/"+parts[1]+" "+part]
		if !ok {
			value, ok = w.names[part]
		}
		require.True(t, ok, "%s: what is %s?", route, part)
		if strings.Contains(route, "/tile/") && part == ":width" {
			value = "4800"
		}
		if n == at {
			value = odd
		}
		n++
		parts[i] = value
	}
	return strings.Join(parts, "/")
}

func parameters(route string) int { return strings.Count(route, ":") + strings.Count(route, "*") }

func (w *world) ask(t *testing.T, c *testkit.Client, method, address string) (*http.Response, string) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), method, w.URL+address, nil)
	require.NoError(t, err, address)
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	r.Header.Set("Accept-Encoding", "identity") // else a client asks for HEAD otherwise
	answer, err := c.Do(r)
	require.NoError(t, err, "%s %.200s", method, address)
	defer answer.Body.Close()
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer, string(b)
}

// HEAD is GET without a body, on every route.
func TestHeadIsGet(t *testing.T) {
	w := newWorld(t)
	editor := w.Editor(t)
	for _, r := range w.routes {
		if r.Method != http.MethodGet {
			continue
		}
		address := w.address(t, r.Path, -1, "")
		get, _ := w.ask(t, editor, "GET", address)
		head, body := w.ask(t, editor, "HEAD", address)
		assert.Equal(t, get.StatusCode, head.StatusCode, address)
		assert.Empty(t, body, address)
		for name := range get.Header {
			// A length is known only where the whole answer is at hand.
			if slices.Contains([]string{"Date", "Set-Cookie", "Content-Length", "Content-Encoding", "Retry-After", "X-Request-Id"}, name) {
				continue
			}
			assert.Equal(t, get.Header[name][0], head.Header[name][0], "%s of %s", name, address)
		}
		assert.Less(t, get.StatusCode, 500, address)
	}
}

// Who answers at a path is known of every route there is, also to the check of pages.
func TestEveryRouteHasItsPart(t *testing.T) {
	w := newWorld(t)
	for _, r := range w.routes {
		path := w.address(t, r.Path, -1, "")
		part := address.PartOf(path)
		assert.NotEqual(t, address.Nowhere, part, r.Path)
		asked, _ := w.ask(t, w.Visitor(t), "GET", path)
		if part == address.Desk && r.Method == http.MethodGet && !slices.Contains([]string{"sign-in", "set-up", "new-password"},
			strings.Split(path, "/")[1]) {
			assert.Equal(t, http.StatusSeeOther, asked.StatusCode, r.Path)
		}
	}
}

// Every route of the desk asks who is there first: the list is the router's own.
func TestTheDeskIsForEditors(t *testing.T) {
	w := newWorld(t)
	stranger := w.Visitor(t)
	open := []string{"r", "record", "c", "pages", "s", "onpage.js", "onpage.d.ts", "onpage", "oembed", "favicon.ico", "health",
		"ready", "live", ".well-known", "sign-in", "set-up", "new-password"}
	asked := 0
	for _, r := range w.routes {
		first := strings.Split(r.Path, "/")[1]
		if slices.Contains(open, first) || strings.HasPrefix(r.Path, "/pictures/") {
			continue
		}
		asked++
		answer, body := w.ask(t, stranger, r.Method, w.address(t, r.Path, -1, ""))
		switch {
		case first == "stage":
			assert.Equal(t, http.StatusNotFound, answer.StatusCode, r.Path)
		case r.Method == http.MethodGet:
			assert.Equal(t, http.StatusSeeOther, answer.StatusCode, r.Path)
			assert.True(t, strings.HasPrefix(answer.Header.Get("Location"), "/sign-in?next="), r.Path)
		default:
			assert.Equal(t, http.StatusUnauthorized, answer.StatusCode, "%s %s: %.100s", r.Method, r.Path, body)
		}
	}
	assert.Greater(t, asked, 60)
}

// Whatever stands in an address: the answer is no failure of ours, it has a
// policy, and readers are shown nothing of the desk.
func TestOddAddresses(t *testing.T) {
	pace.Long(t)
	w := newWorld(t)
	editor, stranger := w.Editor(t), w.Visitor(t)
	long := strings.Repeat("x", 300)
	check := func(c *testkit.Client, method, address string, mustFail bool) {
		t.Helper()
		answer, body := w.ask(t, c, method, address)
		shown := fmt.Sprintf("%s %.120s", method, address)
		assert.Less(t, answer.StatusCode, 500, shown)
		if mustFail {
			assert.GreaterOrEqual(t, answer.StatusCode, 400, shown)
		}
		if answer.StatusCode < 400 {
			return
		}
		assert.NotEmpty(t, answer.Header.Get("Content-Security-Policy"), shown)
		first := strings.Split(address, "/")[1]
		if slices.Contains([]string{"r", "record", "stage", "c", "pages"}, first) {
			assert.NotContains(t, body, `class="ways"`, shown)
			if strings.HasPrefix(answer.Header.Get("Content-Type"), "text/html") {
				assert.Contains(t, body, "<h1>", shown)
			}
		}
	}
	several := errgroup.Group{}
	several.SetLimit(6)
	for _, r := range w.routes {
		several.Go(func() error {
			for at := range parameters(r.Path) {
				for _, odd := range []string{"%00", "a%00b", "%ff", "%c3%28"} {
					check(editor, r.Method, w.address(t, r.Path, at, odd), true)
				}
				for _, odd := range []string{"-1", "0", "9223372036854775807", "99999999999999999999999", "1e9", "NaN", "..%2f..%2fetc", long,
					"%F0%9F%90%A6", "'%22%3C%3E"} {
					check(editor, r.Method, w.address(t, r.Path, at, odd), false)
				}
			}
			plain := w.address(t, r.Path, -1, "")
			for _, query := range []string{"?q=%00", "?q=%ff", "?%00=1", "?q=" + strings.Repeat("y", 100<<10)} {
				check(editor, r.Method, plain+query, true)
			}
			if r.Method == http.MethodGet {
				for _, query := range []string{"?q=tide&skip=-99999999999999999999&page=-1&from=-7&width=1e99&pages=9-1&layers=-1&sort=x&show=x",
					"?q=a;b&q=%25&pages=1-99999999999", "?name=" + long + long} {
					check(editor, r.Method, plain+query, false)
				}
			}
			for _, wrong := range []string{"DELETE", "PROPFIND", "OPTIONS"} {
				if !slices.ContainsFunc(w.routes, func(o echo.RouteInfo) bool { return o.Path == r.Path && o.Method == wrong }) {
					check(stranger, wrong, plain, wrong != "OPTIONS")
				}
			}
			return nil
		})
	}
	require.NoError(t, several.Wait())
	check(stranger, "POST", "/nowhere", true)
	check(stranger, "GET", "/nowhere/at/all?q=%00", true)
}

// Strangers' bodies are not read, whatever they are and wherever they go; nothing
// of them is left in the temporary folder.
func TestNothingOfStrangersIsSpooled(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("TMPDIR", dir)
	h := testkit.Open(t)
	for _, path := range []string{"/documents", "/pictures", "/check", "/sign-in", "/nowhere", "/web-pages/1/act", "/r/nobody/enter"} {
		read, write := io.Pipe()
		form := multipart.NewWriter(write)
		var sent atomic.Int64
		go func() {
			part, err := form.CreateFormFile("file", "large.pdf")
			chunk := bytes.Repeat([]byte("%PDF-"), 13_000)
			for err == nil && sent.Load() < 300<<20 {
				var n int
				n, err = part.Write(chunk)
				sent.Add(int64(n))
			}
			write.CloseWithError(io.ErrUnexpectedEOF)
		}()
		r, err := http.NewRequestWithContext(t.Context(), "POST", h.URL+path, read)
		require.NoError(t, err)
		r.Header.Set("Content-Type", form.FormDataContentType())
		answer, err := http.DefaultClient.Do(r)
		if err == nil { // else the connection was cut, which is as well
			answer.Body.Close()
			assert.GreaterOrEqual(t, answer.StatusCode, 400, path)
		}
		read.Close()
		assert.Less(t, sent.Load(), int64(20<<20), "%s: what is in the pipes, and no more", path)
		entries, err := filesIn(dir)
		require.NoError(t, err)
		assert.Empty(t, entries, path)
	}
}
