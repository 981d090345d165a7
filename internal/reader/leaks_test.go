package reader_test

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/access"
	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/cache"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
)

// everything lists every address at which a reader can get something of a
// document, by name.
func everything(base string, e library.Edition) map[string]string {
	mark := e.SHA256[:16]
	out := map[string]string{"view": base, "plain": base + "/plain", "edition": base + "/edition", "text": base + "/text",
		"print": base + "/print", "file": base + "/file"}
	for _, what := range []string{"page/%s/1/360", "page/%s/1/2400", "tile/%s/1/4800/0/0", "layer/%s/1", "taken/%s/1/2", "links/%s/1",
		"find/%s?q=tern", "hits/%s/9?q=tern", "layers/%s", "about/%s", "flow/%s/1", "leaf/%s/1", "contents/%s", "place/%s?name=x"} {
		name, _, _ := strings.Cut(what, "/%s")
		if strings.HasSuffix(what, "/2400") {
			name = "large page"
		}
		out[name] = base + "/" + fmt.Sprintf(what, mark)
	}
	out["cover"] = base + "/cover/1/480"
	return out
}

// person is somebody who asks, by what their browser says of them.
type person struct {
	name    string
	at      string // server or cache
	headers map[string]string
}

// many are readers each of whom asks once.
var many = testkit.Many()

func read(t *testing.T, address string, headers map[string]string) (int, string, http.Header) {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), "GET", address, nil)
	require.NoError(t, err)
	for name, value := range headers {
		r.Header.Set(name, value)
	}
	answer, err := many.RoundTrip(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	b, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	return answer.StatusCode, string(b), answer.Header
}

// Whatever a switch denies comes out of no address, to nobody, also when a cache
// in front saw it while it was allowed; and all else still comes.
func TestASwitchThatSaysNo(t *testing.T) {
	pace.Unraced(t)
	h := testkit.Open(t)
	open := setting.Default()
	open.Tools = toolbar.All()
	p, e := h.Published(t, "volunteer-handbook.pdf", nil)
	e = h.Indexed(t, e.ID)
	front := cache.Open(t, h.URL, many)
	all := everything("/r/"+p.Key, e)
	require.NoError(t, h.Placing.SetRecord(t.Context(), p.ID, "HBO-1953"))
	all["record"] = "/record/HBO-1953"
	var every []string
	for name := range all {
		every = append(every, name)
	}
	without := func(gone ...toolbar.Tool) func(*setting.Settings) {
		return func(s *setting.Settings) {
			s.Tools = slices.DeleteFunc(toolbar.All(), func(t toolbar.Tool) bool { return slices.Contains(gone, t) })
		}
	}
	people := []person{
		{"a reader", h.URL, nil},
		{"a reader behind a cache", front.URL, nil},
		{"a frame on a website", front.URL, map[string]string{"Sec-Fetch-Dest": "iframe", "Sec-Fetch-Site": "cross-site",
			"Referer": "https://www.harrowmere.example/"}},
		{"an editor", h.URL, map[string]string{"Sec-Fetch-Site": "same-origin"}},
	}
	outside := []person{
		{"a stranger's frame", front.URL, map[string]string{"Sec-Fetch-Dest": "iframe", "Sec-Fetch-Site": "cross-site",
			"Referer": "https://stranger.example/"}},
		{"a stranger's picture", front.URL, map[string]string{"Sec-Fetch-Dest": "image", "Sec-Fetch-Site": "cross-site"}},
		{"a stranger's script", h.URL, map[string]string{"Sec-Fetch-Dest": "empty", "Sec-Fetch-Site": "cross-site",
			"Origin": "https://stranger.example"}},
		{"a stranger's sandbox", h.URL, map[string]string{"Sec-Fetch-Dest": "image", "Sec-Fetch-Site": "cross-site", "Origin": "null",
			"Referer": "https://stranger.example/"}},
	}
	for _, x := range []struct {
		name   string
		no     func(*setting.Settings)
		denied []string
		people []person
	}{
		{"download", func(s *setting.Settings) { s.Download = false }, []string{"file", "leaf"}, people},
		{"printing", func(s *setting.Settings) { s.Print = false }, []string{"print"}, people},
		{"copying", func(s *setting.Settings) { s.Copying = false }, []string{"layer", "taken"}, people},
		{"the text view", func(s *setting.Settings) { s.TextView = setting.Closed }, []string{"text", "flow"}, people},
		{"finding", without(toolbar.Find), []string{"find", "hits"}, people},
		{"contents", without(toolbar.Contents), []string{"contents"}, people},
		{"facts", without(toolbar.About), []string{"about"}, people},
		{"invitations alone", func(s *setting.Settings) { s.Guarded = true }, every, people},
		{"some websites alone", func(s *setting.Settings) { s.Sites = setting.SiteList{"https://www.harrowmere.example"} }, every, outside},
		{"withdrawal", nil, every, people},
	} {
		t.Run(x.name, func(t *testing.T) {
			h.Publish(t, p.ID, open)
			allowed := map[string]string{}
			for name, address := range all {
				for range 2 { // the second one may come out of the cache
					status, body, _ := read(t, front.URL+address, nil)
					if name != "layers" && name != "place" { // it has none
						require.Equal(t, http.StatusOK, status, name)
					}
					allowed[name] = body
				}
			}
			if x.no == nil {
				h.Withdraw(t, p.ID)
			} else {
				closed := open
				closed.Tools = toolbar.All()
				x.no(&closed)
				h.Publish(t, p.ID, closed)
			}
			for _, who := range x.people {
				for name, address := range all {
					status, body, _ := read(t, who.at+address, who.headers)
					if !slices.Contains(x.denied, name) {
						if name != "layers" && name != "place" {
							assert.Equal(t, http.StatusOK, status, "%s to %s", name, who.name)
						}
						continue
					}
					// A frame that names its website no further is kept out by the browser.
					assert.GreaterOrEqual(t, status, 400, "%s to %s", name, who.name)
					assert.False(t, allowed[name] == body || strings.Contains(body, "Volunteer handbook"), "%s to %s", name, who.name)
					calm := name == "cover" && who.headers["Sec-Fetch-Dest"] == "image" && strings.HasPrefix(body, "<svg") // a sheet that says nothing
					assert.True(t, calm || strings.Contains(body, `class="note"`), "%s to %s: a note and nothing else", name, who.name)
				}
			}
		})
	}
}

// A file inside the file goes where the file goes.
func TestAFileInsideTheFile(t *testing.T) {
	h := testkit.Open(t)
	by, err := h.People.AccountByEmail(t.Context(), demo.Email)
	require.NoError(t, err)
	doc, _, err := h.Intake.Receive(t.Context(), "Count sheets.pdf", bytes.NewReader(hostile.LongTexts(1, 40)), by.ID)
	require.NoError(t, err)
	h.Examined(t, doc.Title)
	p, err := h.Placing.Place(t.Context(), doc.ID, placing.Start{})
	require.NoError(t, err)
	front := cache.Open(t, h.URL, many)
	e, err := h.Library.CurrentEdition(t.Context(), doc.ID)
	require.NoError(t, err)
	require.NotEmpty(t, e.Facts.Attached)
	address := fmt.Sprintf("%s/r/%s/attached/%s/%d", front.URL, p.Key, e.SHA256[:16], e.Facts.Attached[0].Number)
	for name, no := range map[string]func(*setting.Settings){
		"download":          func(s *setting.Settings) { s.Download = false },
		"invitations alone": func(s *setting.Settings) { s.Guarded = true },
		"withdrawal":        nil,
	} {
		s := setting.Default()
		s.Download = true
		h.Publish(t, p.ID, s)
		var allowed string
		for range 2 {
			status, body, header := read(t, address, nil)
			require.Equal(t, http.StatusOK, status, name)
			assert.Contains(t, header.Get("Content-Disposition"), "attachment")
			allowed = body
		}
		if no == nil {
			h.Withdraw(t, p.ID)
		} else {
			no(&s)
			h.Publish(t, p.ID, s)
		}
		status, body, _ := read(t, address, nil)
		assert.GreaterOrEqual(t, status, 400, name)
		assert.NotEqual(t, allowed, body, name)
	}
}

// A collection names what everybody may see, also to who comes through a cache.
func TestACollectionNamesNothingDenied(t *testing.T) {
	h := testkit.Open(t)
	p, _ := h.Published(t, "volunteer-handbook.pdf", nil)
	other, _ := h.Published(t, "tide-table.pdf", nil)
	content := collection.New("For the hides")
	content.Search, content.Sorting, content.Facts = true, true, true
	content.Items = []collection.Item{{Placement: p.ID}, {Placement: other.ID}}
	c, err := h.Publishing.AddCollection(t.Context(), content)
	require.NoError(t, err)
	front := cache.Open(t, h.URL, many)
	for name, no := range map[string]func(*setting.Settings){"invitations alone": func(s *setting.Settings) { s.Guarded = true },
		"withdrawal": nil} {
		s := setting.Default()
		h.Publish(t, p.ID, s)
		for range 2 {
			_, body, _ := read(t, front.URL+"/c/"+c.Key, nil)
			require.True(t, strings.Contains(body, "Volunteer handbook"), name)
		}
		if no == nil {
			h.Withdraw(t, p.ID)
		} else {
			no(&s)
			h.Publish(t, p.ID, s)
		}
		for _, at := range []string{h.URL, front.URL} {
			status, body, _ := read(t, at+"/c/"+c.Key, nil)
			assert.Equal(t, http.StatusOK, status)
			assert.False(t, strings.Contains(body, "Volunteer handbook") || strings.Contains(body, p.Key), name)
			assert.True(t, strings.Contains(body, other.Key), "%s: the others stay", name)
		}
	}
}

// Nothing that readers get may be kept on the way, and what only some may see may
// not even be shown by others' pages.
func TestWhatMayBeKept(t *testing.T) {
	h := testkit.Open(t)
	p, e := h.Published(t, "volunteer-handbook.pdf", func(s *setting.Settings) { s.Tools = toolbar.All() })
	h.Indexed(t, e.ID)
	for name, address := range everything(h.URL+"/r/"+p.Key, e) {
		_, _, header := read(t, address, nil)
		assert.Contains(t, header.Get("Cache-Control"), "private", name)
		if name != "view" && name != "plain" && name != "text" && name != "print" && name != "cover" && name != "layers" {
			assert.Equal(t, "same-origin", header.Get("Cross-Origin-Resource-Policy"), name)
		}
	}
	// To who was invited, too.
	h.Publish(t, p.ID, func() setting.Settings { s := setting.Default(); s.Guarded, s.Tools = true, toolbar.All(); return s }())
	key, err := h.Placing.AddSigningKey(t.Context(), "portal")
	require.NoError(t, err)
	token := jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.MapClaims{"doc": p.Key, "exp": time.Now().Add(time.Minute).Unix()})
	token.Header["kid"] = fmt.Sprint(key.ID)
	signed, err := token.SignedString(key.Secret)
	require.NoError(t, err)
	got, err := access.Read(signed, time.Now(), func(int64) ([]byte, error) { return key.Secret, nil })
	require.NoError(t, err)
	for name, address := range everything(h.URL+"/r/"+p.Key+"~"+access.Grant(got, p.Key, key.Secret), e) {
		status, _, header := read(t, address, nil)
		if name != "layers" && name != "place" {
			assert.Equal(t, http.StatusOK, status, name)
		}
		assert.Equal(t, "private, no-store", header.Get("Cache-Control"), name)
	}
	token.Header["crit"] = []string{"b64"}
	signed, err = token.SignedString(key.Secret)
	require.NoError(t, err)
	_, err = access.Read(signed, time.Now(), func(int64) ([]byte, error) { return key.Secret, nil })
	require.ErrorIs(t, err, access.ErrToken, "what it calls critical is not understood")
}

// Where a text may neither be taken nor read, hits do not give it away letter by
// letter, and nobody asks without end.
func TestHitsDoNotSpell(t *testing.T) {
	pace.Unraced(t)
	h := testkit.Open(t)
	p, e := h.Published(t, "tide-table.pdf", func(s *setting.Settings) {
		s.Copying, s.TextView, s.Tools = false, setting.Closed, toolbar.All()
	})
	e = h.Indexed(t, e.ID)
	base := h.URL + "/r/" + p.Key
	for _, part := range []string{"t", "i", "ide", "Tid"} {
		status, body, _ := read(t, base+"/hits/"+e.SHA256[:16]+"/1?q="+part, nil)
		require.Equal(t, http.StatusOK, status)
		assert.Equal(t, "[]\n", body, part)
	}
	_, body, _ := read(t, base+"/find/"+e.SHA256[:16]+"?q=tide", nil)
	assert.Contains(t, body, `"words":true`, "a whole word is found, and the reader says that only such are")
	assert.NotContains(t, body, "quote")
	refused := 0
	for i := range 100 {
		answer, err := http.Get(fmt.Sprintf("%s/hits/%s/1?q=word%d", base, e.SHA256[:16], i))
		require.NoError(t, err)
		answer.Body.Close()
		status, header := answer.StatusCode, answer.Header
		if status == http.StatusTooManyRequests {
			refused++
			assert.NotEmpty(t, header.Get("Retry-After"))
		}
	}
	assert.Greater(t, refused, 40)
}

// Every page that is asked for has an answer, also one without text: who copies all
// of a scan does not wait for what never comes.
func TestPagesWithoutTextAreTaken(t *testing.T) {
	h := testkit.Open(t)
	p, e := h.Published(t, "logbook-1953.pdf", nil)
	require.False(t, e.HasText)
	status, body, _ := read(t, fmt.Sprintf("%s/r/%s/taken/%s/1/2", h.URL, p.Key, e.SHA256[:16]), nil)
	assert.Equal(t, http.StatusOK, status)
	assert.JSONEq(t, `[{"page":1,"text":""},{"page":2,"text":""}]`, body)
	for _, odd := range []string{"0/1", "2/1", "1/9999", "x/2"} {
		status, _, _ = read(t, fmt.Sprintf("%s/r/%s/taken/%s/%s", h.URL, p.Key, e.SHA256[:16], odd), nil)
		assert.Equal(t, http.StatusNotFound, status, odd)
	}
}
