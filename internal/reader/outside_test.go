package reader_test

import (
	"encoding/json"
	"encoding/xml"
	"html"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/testkit"
)

// asked sends a request with headers.
func asked(t *testing.T, address string, headers map[string]string) (int, string, http.Header) {
	t.Helper()
	q, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address, nil)
	require.NoError(t, err)
	for name, value := range headers {
		q.Header.Set(name, value)
	}
	answer, err := http.DefaultClient.Do(q)
	require.NoError(t, err)
	defer answer.Body.Close()
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer.StatusCode, string(b), answer.Header
}

// A website that is not allowed gets nothing but the note, from any route; the
// editor sees that it asked.
func TestForbiddenWebsitesGetTheNote(t *testing.T) {
	h := testkit.Open(t)
	p, e := published(t, h, "tide-table.pdf", func(s *setting.Settings) { s.Sites = setting.SiteList{"https://www.harrowmere.example"} })
	for name, address := range routes(h.URL+"/r/"+p.Key, e) {
		status, body, headers := asked(t, address,
			map[string]string{"Referer": "https://stranger.example/page?who=maren", "Sec-Fetch-Dest": "iframe"})
		assert.Equal(t, http.StatusForbidden, status, name)
		assert.Contains(t, body, "Not on this website", name)
		assert.NotContains(t, body, "Tide", name)
		assert.Contains(t, headers.Get("Content-Security-Policy"), "frame-ancestors *", "the note can be seen")
	}
	base := h.URL + "/r/" + p.Key
	for name, headers := range map[string]map[string]string{
		"the website":             {"Referer": "https://www.harrowmere.example/", "Sec-Fetch-Dest": "iframe"},
		"our own":                 {"Referer": h.URL + "/placements/1", "Sec-Fetch-Dest": "iframe"},
		"nobody in particular":    {},
		"somebody follows a link": {"Referer": "https://stranger.example/", "Sec-Fetch-Dest": "document"},
	} {
		status, _, got := asked(t, base, headers)
		assert.Equal(t, http.StatusOK, status, name)
		// Who does not name itself is kept out by the browser.
		assert.Contains(t, got.Get("Content-Security-Policy"), "frame-ancestors 'self' https://www.harrowmere.example", name)
	}
	status, _, _ := asked(t, base, map[string]string{"Origin": "https://stranger.example"})
	assert.Equal(t, http.StatusForbidden, status, "by its origin, too")
	refused, err := h.Placing.RefusedSites(t.Context(), p.ID)
	require.NoError(t, err)
	require.Len(t, refused, 1)
	assert.Equal(t, "https://stranger.example", refused[0].Origin, "the website alone, not the page, not the reader")
	assert.EqualValues(t, 3, refused[0].Times, "one origin is heard a few times an hour: anybody can name anybody")
}

func TestOembed(t *testing.T) {
	h := testkit.Open(t)
	p, _ := published(t, h, "tide-table.pdf", nil)
	base := h.URL + "/r/" + p.Key
	ask := func(query string) (int, string) {
		status, body, _ := asked(t, h.URL+"/oembed?"+query, nil)
		return status, body
	}
	status, body := ask("url=" + url.QueryEscape(base+"#page=2") + "&maxwidth=500&maxheight=300")
	require.Equal(t, http.StatusOK, status, body)
	var got struct {
		Version, Type, Title, HTML string
		Width, Height              int
		ThumbnailURL               string `json:"thumbnail_url"`
		ThumbnailWidth             int    `json:"thumbnail_width"`
		ThumbnailHeight            int    `json:"thumbnail_height"`
	}
	require.NoError(t, json.Unmarshal([]byte(body), &got))
	assert.Equal(t, "1.0", got.Version)
	assert.LessOrEqual(t, got.ThumbnailWidth, 480)
	assert.LessOrEqual(t, got.ThumbnailHeight, 300)
	c := collection.New("Tides and hides")
	kept, err := h.Publishing.AddCollection(t.Context(), c)
	require.NoError(t, err)
	status, body = ask("maxwidth=300&url=" + url.QueryEscape(h.URL+"/c/"+kept.Key))
	require.Equal(t, http.StatusOK, status, body)
	assert.Contains(t, body, `"title":"Tides and hides"`)
	assert.Contains(t, body, `"width":300`)
	assert.Equal(t, "rich", got.Type)
	assert.Equal(t, "Tide and hide access table", got.Title)
	assert.LessOrEqual(t, got.Width, 500)
	assert.Equal(t, 300, got.Height)
	assert.Contains(t, got.HTML, `src="`+base+`#page=2"`)
	picture, _, headers := asked(t, got.ThumbnailURL, nil)
	assert.Equal(t, http.StatusOK, picture)
	assert.Contains(t, headers.Get("Content-Type"), "image/")
	assert.Contains(t, headers.Get("Cache-Control"), "no-cache", "the cover follows the file")

	status, body = ask("format=xml&url=" + url.QueryEscape(base))
	require.Equal(t, http.StatusOK, status)
	var asXML struct {
		XMLName xml.Name `xml:"oembed"`
		HTML    string   `xml:"html"`
		Height  int      `xml:"height"`
	}
	require.NoError(t, xml.Unmarshal([]byte(body), &asXML))
	assert.Contains(t, asXML.HTML, "<iframe")
	assert.Greater(t, asXML.Height, 300)

	for query, want := range map[string]int{
		"url=" + url.QueryEscape("https://elsewhere.example/r/"+p.Key): http.StatusNotFound,
		"url=" + url.QueryEscape(h.URL+"/r/nobodynobodynobodyno"):      http.StatusNotFound,
		"url=" + url.QueryEscape(h.URL+"/documents"):                   http.StatusNotFound,
		"url=": http.StatusNotFound,
		"maxwidth=wide&url=" + url.QueryEscape(base):              http.StatusBadRequest,
		"maxheight=0&url=" + url.QueryEscape(base):                http.StatusBadRequest,
		"url=" + url.QueryEscape(h.URL+"/c/nobodynobodynobodyno"): http.StatusNotFound,
		"format=yaml&url=" + url.QueryEscape(base):                http.StatusNotImplemented,
	} {
		status, _ := ask(query)
		assert.Equal(t, want, status, query)
	}
	h.Withdraw(t, p.ID)
	status, _ = ask("url=" + url.QueryEscape(base))
	assert.Equal(t, http.StatusNotFound, status, "withdrawn")
}

// What other programs show of an address: title, description, and a picture of page 1
// with its size and what it is.
func TestWhatOthersShowOfAnAddress(t *testing.T) {
	h := testkit.Open(t)
	p, e := h.Published(t, "trail-map.pdf", nil)
	h.Measured(t, e.DocumentID)
	_, body, _ := read(t, h.URL+"/r/"+p.Key, nil)
	address := html.EscapeString(h.URL + "/r/" + p.Key)
	for property, want := range map[string]string{"og:type": "article", "og:title": "Trail map", "og:url": address, "og:description": ".+",
		"og:image": address + "/cover/1/\\d+", "og:image:width": "\\d+", "og:image:height": "\\d+", "og:image:alt": "Page 1 of 1"} {
		assert.Regexp(t, `<meta property="`+property+`" content="`+want+`">`, body)
	}
	picture := regexp.MustCompile(`og:image" content="([^"]+)"`).FindStringSubmatch(body)
	require.NotNil(t, picture)
	status, _, header := read(t, html.UnescapeString(picture[1]), nil)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, header.Get("Content-Type"), "image/")

	closed, _ := h.Published(t, "tide-table.pdf", func(s *setting.Settings) { s.Guarded = true })
	_, body, _ = read(t, h.URL+"/r/"+closed.Key, nil)
	assert.NotContains(t, body, "og:title", "what is for the invited is named to nobody else")
}
