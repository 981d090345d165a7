package reader_test

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/access"
	"incipit/internal/core/setting"
	"incipit/internal/core/share"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/placing"
	"incipit/internal/press"
	"incipit/internal/reader"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/web"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// published sets a demo document on a page with a changed setting.
func published(t *testing.T, h *testkit.House, file string, change func(*setting.Settings)) (placing.Placement, library.Edition) {
	t.Helper()
	return h.Published(t, file, change)
}

// routes lists every address of the reader of a placement.
func routes(base string, e library.Edition) map[string]string {
	mark := e.SHA256[:16]
	return map[string]string{
		"view": base, "image": base + "/page/" + mark + "/1/800", "layer": base + "/layer/" + mark + "/1",
		"file": base + "/file", "print": base + "/print", "cover": base + "/cover/1/480",
		"one page": base + "/leaf/" + mark + "/1", "links": base + "/links/" + mark + "/1",
	}
}

func TestAnOpenPlacementGivesEverything(t *testing.T) {
	h := testkit.Open(t)
	p, e := published(t, h, "tide-table.pdf", nil)
	v := h.Visitor(t)
	content, err := demo.PDF("tide-table.pdf")
	require.NoError(t, err)
	for name, address := range routes("/r/"+p.Key, e) {
		status, body, headers := v.Get(address)
		assert.Equal(t, http.StatusOK, status, name)
		assert.Empty(t, headers.Values("Set-Cookie"), "no cookie in the reader: %s", name)
		assert.NotEmpty(t, headers.Get("ETag"), name)
		if name == "file" {
			assert.True(t, string(content) == body, "the very bytes")
			assert.Equal(t, `attachment; filename="Tide and hide access table.pdf"`, headers.Get("Content-Disposition"))
		}
		if name == "view" || name == "print" {
			csp := headers.Get("Content-Security-Policy")
			assert.Contains(t, csp, "frame-ancestors *")
			assert.NotContains(t, csp, "unsafe")
			assert.Empty(t, headers.Get("X-Frame-Options"))
			assert.NotRegexp(t, regexp.MustCompile(`(src|href)="(https?:)?//`), strings.ReplaceAll(body, h.URL, ""), "no other host is asked")
		}
	}
	status, _, _ := v.Send("GET", "/r/"+p.Key+"/file", "", "")
	assert.Equal(t, http.StatusOK, status)
	r, err := http.NewRequest("GET", h.URL+"/r/"+p.Key+"/file", nil)
	require.NoError(t, err)
	r.Header.Set("Range", "bytes=0-4")
	answer, err := v.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	part, _ := io.ReadAll(answer.Body)
	assert.Equal(t, "%PDF-", string(part))
}

// With download off no route gives the file, whatever is asked and how.
func TestAClosedFileStaysClosed(t *testing.T) {
	h := testkit.Open(t)
	p, e := published(t, h, "tide-table.pdf", func(s *setting.Settings) { s.Download, s.Print = false, false })
	content, err := demo.PDF("tide-table.pdf")
	require.NoError(t, err)
	for who, client := range map[string]*testkit.Client{"a reader": h.Visitor(t), "an editor": h.Editor(t)} {
		for _, base := range []string{"/r/" + p.Key, fmt.Sprintf("/stage/%d", p.ID)} {
			for name, address := range routes(base, e) {
				for _, method := range []string{"GET", "HEAD", "POST", "PUT"} {
					_, body, headers := client.Send(method, address, "", "")
					assert.False(t, strings.Contains(body, string(content[100:200])), "%s, %s %s", who, method, name)
					assert.NotEqual(t, "application/pdf", headers.Get("Content-Type"), "%s, %s %s", who, method, name)
				}
			}
		}
		status, body, _ := client.Get("/r/" + p.Key + "/file")
		assert.Equal(t, http.StatusForbidden, status)
		assert.Contains(t, body, "for reading here")
		status, _, _ = client.Get("/r/" + p.Key + "/print")
		assert.Equal(t, http.StatusForbidden, status)
		for _, address := range []string{"/r/" + p.Key + "/file/", "/r/" + p.Key + "/../../" + e.BlobKey, "/" + e.BlobKey,
			"/blobs/" + e.BlobKey, "/r/" + p.Key + "/file?download=1", "/s/../" + e.BlobKey} {
			_, body, _ := client.Get(address)
			assert.False(t, strings.Contains(body, string(content[100:200])), address)
		}
	}
	_, body, _ := h.Visitor(t).Get("/r/" + p.Key)
	assert.NotContains(t, body, "/file")
	assert.NotContains(t, body, `data-do="print"`)
}

func TestADraftIsForEditors(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "tide-table.pdf")
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	e, err := h.Library.CurrentEdition(t.Context(), d.ID)
	require.NoError(t, err)
	stage := fmt.Sprintf("/stage/%d", p.ID)
	for name, address := range routes(stage, e) {
		status, body, _ := h.Visitor(t).Get(address)
		assert.Equal(t, http.StatusNotFound, status, name)
		assert.NotContains(t, body, d.Title, name)
		status, _, headers := h.Editor(t).Get(address)
		assert.Equal(t, http.StatusOK, status, name)
		assert.Contains(t, headers.Get("Cache-Control"), "private", name)
	}
	_, _, headers := h.Editor(t).Get(stage)
	assert.Contains(t, headers.Get("Content-Security-Policy"), "frame-ancestors 'self'")
}

func TestWhatIsNotThereIsSaidPolitely(t *testing.T) {
	h := testkit.Open(t)
	p, e := published(t, h, "tide-table.pdf", nil)
	v := h.Visitor(t)
	mark := e.SHA256[:16]
	for _, address := range []string{
		"/r/unknown", "/r/" + p.Key + "/page/" + mark + "/3/800", "/r/" + p.Key + "/page/" + mark + "/0/800", "/r/" + p.Key + "/page/" + mark +
			"/x/800",
		"/r/" + p.Key + "/page/" + mark + "/1/801", "/r/" + p.Key + "/page/0000000000000000/1/800", "/r/" + p.Key + "/layer/" + mark + "/99",
		"/stage/notanumber",
	} {
		status, body, headers := v.Get(address)
		assert.Equal(t, http.StatusNotFound, status, address)
		assert.Contains(t, body, "<h1>", address)
		assert.Contains(t, headers.Get("Content-Security-Policy"), "default-src 'none'", address)
	}
	h.Withdraw(t, p.ID)
	for name, address := range routes("/r/"+p.Key, e) {
		status, body, _ := v.Get(address)
		assert.Equal(t, http.StatusNotFound, status, name)
		assert.Contains(t, body, "not here at the moment", name)
	}
}

func TestImagesAreKeptForEver(t *testing.T) {
	h := testkit.Open(t)
	p, e := published(t, h, "tide-table.pdf", nil)
	address := routes("/r/"+p.Key, e)["image"]
	_, _, headers := h.Visitor(t).Get(address)
	assert.Equal(t, "private, max-age=31536000, immutable", headers.Get("Cache-Control"))
	r, err := http.NewRequest("GET", h.URL+address, nil)
	require.NoError(t, err)
	r.Header.Set("If-None-Match", headers.Get("ETag"))
	answer, err := h.Visitor(t).Do(r)
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, http.StatusNotModified, answer.StatusCode)
}

// Links that mean harm are not in the layer, the harmless one leads out
// safely, and the layer is well-formed.
func TestLayerIsSafe(t *testing.T) {
	h := testkit.Open(t)
	_, e, err := h.Intake.Receive(t.Context(), "<script>alert(1)</script>../x.pdf", bytes.NewReader(hostile.Linked()), 0)
	require.NoError(t, err)
	require.NoError(t, h.Library.Retitle(t.Context(), e.DocumentID, `"><script>alert(1)</script>`))
	p, err := h.Placing.Place(t.Context(), e.DocumentID, placing.Start{})
	require.NoError(t, err)
	a, err := h.People.AccountByEmail(t.Context(), demo.Email)
	require.NoError(t, err)
	require.NoError(t, h.Placing.Publish(t.Context(), p.ID, e.ID, a.ID, setting.Default()))
	_, svg, headers := h.Visitor(t).Get(routes("/r/"+p.Key, e)["layer"])
	assert.Equal(t, "image/svg+xml; charset=utf-8", headers.Get("Content-Type"))
	decoder := xml.NewDecoder(strings.NewReader(svg))
	var hrefs []string
	for {
		token, err := decoder.Token()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		if e, ok := token.(xml.StartElement); ok {
			assert.NotEqual(t, "script", e.Name.Local)
			for _, a := range e.Attr {
				if a.Name.Local == "href" && a.Value == "#" { // says that it leads nowhere here
					assert.Contains(t, []string{"file", "none"}, e.Attr[1].Value)
				} else if a.Name.Local == "href" {
					hrefs = append(hrefs, a.Value)
				}
				if a.Name.Local == "rel" {
					assert.Equal(t, "noopener noreferrer", a.Value)
				}
			}
		}
	}
	assert.Equal(t, []string{`https://harrowmere.example/?a=1&b="x"`}, hrefs)
	_, page, _ := h.Visitor(t).Get("/r/" + p.Key)
	assert.NotContains(t, page, "<script>alert")
	_, _, headers = h.Visitor(t).Get("/r/" + p.Key + "/file")
	assert.NotContains(t, headers.Get("Content-Disposition"), "<")
}

func TestToolsFollowThePlacement(t *testing.T) {
	h := testkit.Open(t)
	p, _ := published(t, h, "leaflet-welcome.pdf", nil)
	_, body, _ := h.Visitor(t).Get("/r/" + p.Key)
	assert.NotContains(t, body, `data-do="on"`, "one page is not turned")
	assert.NotContains(t, body, `id="edge"`)
	q, _ := published(t, h, "tide-table.pdf", func(s *setting.Settings) { s.Toolbar = false })
	_, body, _ = h.Visitor(t).Get("/r/" + q.Key)
	assert.NotContains(t, body, `role="toolbar"`)
	assert.Contains(t, body, `id="edge"`)
}

func TestALongDocumentStaysSmall(t *testing.T) {
	h := testkit.Open(t)
	_, e, err := h.Intake.Receive(t.Context(), "long.pdf", bytes.NewReader(hostile.ManyPages(1300)), 0)
	require.NoError(t, err)
	h.Examined(t, "Long")
	p, err := h.Placing.Place(t.Context(), e.DocumentID, placing.Start{})
	require.NoError(t, err)
	status, body, _ := h.Editor(t).Get(fmt.Sprintf("/stage/%d", p.ID))
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, 1300, strings.Count(body, `class="sheet `))
	assert.LessOrEqual(t, strings.Count(body, "<line"), 80, "chapters alone are elements")
	ticks := strings.Count(body, "M15 ")
	assert.True(t, ticks > 80 && ticks <= 130, "%d ticks: pages are bundled", ticks)
	assert.Equal(t, 3, strings.Count(body, "srcset="), "images of near pages alone")
}

// A press that can take no more is said to be busy, with a time to come back.
func TestAFullPressSaysWhenToComeBack(t *testing.T) {
	h := testkit.Open(t)
	p, e := published(t, h, "tide-table.pdf", nil)
	gate := &gated{Engine: testkit.Engine(t)}
	gate.full.Store(1 << 20)
	router := routed(t, h, press.New(gate, h.Blobs, plenty))
	w := httptest.NewRecorder()
	router.ServeHTTP(w, httptest.NewRequest("GET", "/r/"+p.Key+"/page/"+e.SHA256[:16]+"/2/3200", nil))
	assert.Equal(t, http.StatusServiceUnavailable, w.Code)
	assert.Equal(t, "2", w.Header().Get("Retry-After"))
	assert.Contains(t, w.Body.String(), "try again in a few seconds")
}

// gated is an engine whose line is full for a while, and which makes the images
// of one page never.
type gated struct {
	pdf.Engine
	broken int
	full   atomic.Int32 // for so many requests
}

const plenty = 1 << 30

func (g *gated) Image(ctx context.Context, src pdf.Source, page, width int) (pdf.PageImage, error) {
	if g.full.Add(-1) >= 0 {
		return pdf.PageImage{}, share.ErrFull
	}
	if page == g.broken {
		return pdf.PageImage{}, &pdf.Problem{Kind: pdf.Damaged, Message: "for a test"}
	}
	return g.Engine.Image(ctx, src, page, width)
}

// A bundle waits its turn where a reader would be told to come back: half of one
// is worth nothing.
func TestABundleWaitsItsTurn(t *testing.T) {
	h := testkit.Open(t)
	p, e := published(t, h, "tide-table.pdf", func(s *setting.Settings) { s.TextView, s.Download = setting.Closed, false })
	gate := &gated{Engine: testkit.Engine(t)}
	gate.full.Store(4)
	router := routed(t, h, press.New(gate, h.Blobs, plenty))
	full := httptest.NewRecorder()
	router.ServeHTTP(full, httptest.NewRequest("GET", "/r/"+p.Key+"/page/"+e.SHA256[:16]+"/2/1600", nil))
	require.Equal(t, http.StatusServiceUnavailable, full.Code)
	whole := bundleOf(t, router, p)
	assert.Len(t, whole, 3, "two pages and their list")
}

// A page that cannot be shown has its place in a bundle, and the others stand.
func TestABundleWithADamagedPage(t *testing.T) {
	h := testkit.Open(t)
	p, _ := published(t, h, "tide-table.pdf", func(s *setting.Settings) { s.TextView, s.Download = setting.Closed, false })
	files := bundleOf(t, routed(t, h, press.New(&gated{Engine: testkit.Engine(t), broken: 2}, h.Blobs, plenty)), p)
	assert.Len(t, files, 2)
	assert.Contains(t, files["index.html"], `<figure id="page=1"><img src="pages/0001.`)
	assert.Contains(t, files["index.html"], `<figure id="page=2"><p>Page 2 of 2. This page cannot be shown</p>`)
}

// routed is a reader with a press of its own, for readers and a signed-in editor.
func routed(t *testing.T, h *testkit.House, p *press.Press) *echo.Echo {
	t.Helper()
	files, err := web.Load()
	require.NoError(t, err)
	r, err := reader.New(h.All, h.Blobs, p, files, h.URL, h.DB.SealSecrets)
	require.NoError(t, err)
	router := echo.New()
	r.Mount(router.Group("/r/:key"))
	r.MountStage(router.Group("/stage/:id"), func(*echo.Context) access.Who { return access.Who{Account: 1} })
	return router
}

// bundleOf gives the files of a placement's bundle.
func bundleOf(t *testing.T, router *echo.Echo, p placing.Placement) map[string]string {
	t.Helper()
	w := httptest.NewRecorder()
	router.ServeHTTP(w, httptest.NewRequest("GET", fmt.Sprintf("/stage/%d/bundle", p.ID), nil))
	require.Equal(t, http.StatusOK, w.Code)
	files, err := zip.NewReader(bytes.NewReader(w.Body.Bytes()), int64(w.Body.Len()))
	require.NoError(t, err)
	out := map[string]string{}
	for _, f := range files.File {
		r, err := f.Open()
		require.NoError(t, err)
		b, err := io.ReadAll(r)
		require.NoError(t, err)
		out[f.Name] = string(b)
	}
	return out
}
