package desk_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
)

func TestMain(m *testing.M) { testkit.Main(m) }

const form = "application/x-www-form-urlencoded"

// Every route of the desk, so that none is forgotten.
var routes = []struct{ method, path string }{
	{"GET", "/"}, {"GET", "/documents"}, {"GET", "/documents/rows"}, {"POST", "/documents"}, {"GET", "/documents/1/cover"},
	{"POST", "/documents/1/title"}, {"POST", "/documents/1/remove"}, {"POST", "/documents/1/place"},
	{"GET", "/placements"}, {"GET", "/placements/1"}, {"GET", "/placements/1/state"}, {"PATCH", "/placements/1/draft"},
	{"POST", "/placements/1/undo"}, {"POST", "/placements/1/redo"}, {"POST", "/placements/1/publish"}, {"POST", "/placements/1/withdraw"},
	{"POST", "/placements/1/pull"}, {"GET", "/placements/1/compare"}, {"GET", "/placements/1/starters"}, {"POST", "/placements/1/starter"},
	{"GET", "/house-style"}, {"GET", "/house-style/state"}, {"PATCH", "/house-style"}, {"POST", "/house-style/thought"}, {"PUT",
		"/house-style/terms"}, {"POST", "/sign-out"},
}

func TestNothingWithoutSigningIn(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "leaflet-welcome.pdf")
	_, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	for _, r := range routes {
		status, body, _ := h.Visitor(t).Send(r.method, r.path, "", "")
		assert.Equal(t, http.StatusUnauthorized, status, "%s %s", r.method, r.path)
		assert.NotContains(t, body, d.Title)
	}
	// The same routes from a browser's address line lead to the sign-in.
	request, err := http.NewRequest("GET", h.URL+"/documents?find=x", nil)
	require.NoError(t, err)
	answer, err := h.Visitor(t).Do(request)
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, "/sign-in?next=%2Fdocuments%3Ffind%3Dx", answer.Header.Get("Location"))
}

func TestForgedRequestsAreRefused(t *testing.T) {
	h := testkit.Open(t)
	editor := h.Editor(t)
	for _, r := range routes {
		if r.method == "GET" {
			continue
		}
		for name, site := range map[string]string{"another site": "cross-site", "no word of where from, and no token": ""} {
			request, err := http.NewRequest(r.method, h.URL+r.path, strings.NewReader("csrf=guess"))
			require.NoError(t, err)
			request.Header.Set("Content-Type", form)
			if site != "" {
				request.Header.Set("Sec-Fetch-Site", site)
			}
			answer, err := editor.Do(request)
			require.NoError(t, err)
			answer.Body.Close()
			assert.Contains(t, []int{http.StatusForbidden, http.StatusBadRequest}, answer.StatusCode, "%s %s from %s", r.method, r.path, name)
		}
	}
	status, _, _ := editor.Get("/documents")
	assert.Equal(t, http.StatusOK, status, "still signed in: sign-out was refused too")
}

func TestSignIn(t *testing.T) {
	h := testkit.Open(t)
	try := func(c *testkit.Client, email, password, next string) (int, string, http.Header) {
		return c.Send("POST", "/sign-in", form, url.Values{"email": {email}, "password": {password}, "next": {next}}.Encode())
	}
	c := h.Visitor(t)
	status, body, _ := try(c, demo.Email, "wrong", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "do not go together")
	status, body2, _ := try(c, "nobody@harrowmere.example", "wrong", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Equal(t, strings.Count(body, "do not go together"), strings.Count(body2, "do not go together"), "an unknown address looks the same")
	for next, want := range map[string]string{"/placements": "/placements", "//evil.example": "/documents",
		"https://evil.example": "/documents", `/\evil.example`: "/documents", "": "/documents"} {
		status, _, headers := try(h.Visitor(t), " Maren@HARROWMERE.example ", demo.Password, next)
		assert.Equal(t, http.StatusSeeOther, status)
		assert.Equal(t, want, headers.Get("Location"), next)
		assert.Contains(t, strings.Join(headers.Values("Set-Cookie"), "\n"), "HttpOnly")
	}
	for range 8 {
		try(c, demo.Email, "guess", "")
	}
	status, body, headers := try(c, demo.Email, demo.Password, "")
	assert.Equal(t, http.StatusTooManyRequests, status, "even with the right password")
	assert.Contains(t, body, "15 minutes")
	assert.NotEmpty(t, headers.Get("Retry-After"))
}

// A thousand at once, each from an address of its own, get no more guesses looked
// at than the limit; who owns the account gets in meanwhile, on a device that is
// known.
func TestAThousandStrangersGuess(t *testing.T) {
	h := testkit.Open(t)
	owner := h.Editor(t)
	status, _, _ := owner.Send("POST", "/sign-out", form, "")
	require.Equal(t, http.StatusSeeOther, status)
	strangers := testkit.Many()
	guess := func(n int) (int, error) {
		r, err := http.NewRequest("POST", h.URL+"/sign-in",
			strings.NewReader(url.Values{"email": {demo.Email}, "password": {fmt.Sprint("guess number ", n)}}.Encode()))
		if err != nil {
			return 0, err
		}
		r.Header.Set("Content-Type", form)
		r.Header.Set("Sec-Fetch-Site", "same-origin") // whoever attacks says what they like
		answer, err := strangers.RoundTrip(r)
		if err != nil {
			return 0, err
		}
		return answer.StatusCode, answer.Body.Close()
	}
	status, err := guess(0)
	require.NoError(t, err)
	require.Equal(t, http.StatusUnprocessableEntity, status)
	var looked, paused, other atomic.Int64
	looked.Add(1)
	var guessing sync.WaitGroup
	for i := range 999 {
		guessing.Go(func() {
			switch status, err := guess(i + 1); {
			case err == nil && status == http.StatusUnprocessableEntity:
				looked.Add(1)
			case err == nil && (status == http.StatusTooManyRequests || status == http.StatusServiceUnavailable):
				paused.Add(1) // neither is looked at
			default:
				other.Add(1)
			}
		})
	}
	// Once: the owner is not held up by what others try, however busy the machine is.
	status, _, _ = owner.Send("POST", "/sign-in", form, url.Values{"email": {demo.Email}, "password": {demo.Password}}.Encode())
	assert.Equal(t, http.StatusOK, status, "in the midst of it")
	guessing.Wait()
	assert.LessOrEqual(t, looked.Load(), int64(people.MaxPerAddress))
	assert.EqualValues(t, 1000, looked.Load()+paused.Load(), "%d had another answer", other.Load())
}

func TestSignOutEndsTheSession(t *testing.T) {
	h := testkit.Open(t)
	c := h.Editor(t)
	jar := c.Jar
	u, err := url.Parse(h.URL)
	require.NoError(t, err)
	before := jar.Cookies(u)
	status, _, _ := c.Send("POST", "/sign-out", form, "")
	require.Equal(t, http.StatusSeeOther, status)
	jar.SetCookies(u, before) // somebody kept the cookie
	status, _, _ = c.Get("/documents")
	assert.Equal(t, http.StatusUnauthorized, status)
}

func TestSetUp(t *testing.T) {
	h := testkit.Open(t)
	_, err := h.DB.Pool.Exec(t.Context(), "DELETE FROM accounts")
	require.NoError(t, err)
	token, err := h.Accounts.OfferSetup(t.Context())
	require.NoError(t, err)
	c := h.Visitor(t)
	status, _, _ := c.Get("/set-up/guess")
	assert.Equal(t, http.StatusNotFound, status)
	status, body, _ := c.Get("/set-up/" + token)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "owner")
	status, body, _ = c.Send("POST", "/set-up/"+token, form,
		url.Values{"name": {"Tom"}, "email": {"tom@harrowmere.example"}, "password": {"short"}}.Encode())
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "12 to 200 characters")
	status, _, _ = c.Send("POST", "/set-up/"+token, form,
		url.Values{"name": {"Tom"}, "email": {"tom@harrowmere.example"}, "password": {"avocet in the barley"}}.Encode())
	assert.Equal(t, http.StatusSeeOther, status)
	status, _, _ = c.Get("/documents")
	assert.Equal(t, http.StatusOK, status)
	status, _, _ = h.Visitor(t).Get("/set-up/" + token)
	assert.Equal(t, http.StatusNotFound, status, "it works once")
	token, err = h.Accounts.OfferSetup(t.Context())
	require.NoError(t, err)
	assert.Empty(t, token, "and is not offered again")
}

func upload(t *testing.T, c *testkit.Client, name string, content []byte) (int, string) {
	t.Helper()
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	part, err := w.CreateFormFile("file", name)
	require.NoError(t, err)
	_, err = part.Write(content)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	status, body, _ := c.Send("POST", "/documents", w.FormDataContentType(), b.String())
	return status, body
}

func TestAddingFiles(t *testing.T) {
	h := testkit.Open(t)
	c := h.Editor(t)
	for name, content := range map[string][]byte{
		"tides.pdf": hostile.HTML(), "empty.pdf": nil, "locked.pdf": hostile.Locked(), "cut.pdf": []byte("%PDF-1.4 and no more"),
	} {
		status, body := upload(t, c, name, content)
		assert.Equal(t, http.StatusUnprocessableEntity, status, name)
		var said struct{ Message string }
		require.NoError(t, json.Unmarshal([]byte(body), &said))
		assert.Contains(t, said.Message, "Nothing was kept.", name)
	}
	status, _ := upload(t, c, `<img src=x onerror=alert(1)>.pdf`, hostile.ThinPage())
	require.Equal(t, http.StatusCreated, status)
	_, page, _ := c.Get("/documents")
	assert.NotContains(t, page, "<img src=x")
	assert.Contains(t, page, "&lt;img src=x")
	status, _, _ = c.Send("POST", "/documents", "text/plain", "hello")
	assert.Equal(t, http.StatusBadRequest, status)
}

func TestBenchAnswersChanges(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "tide-table.pdf")
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	c := h.Editor(t)
	base := fmt.Sprintf("/placements/%d", p.ID)
	type answer struct {
		Revision  int
		Notice    string
		Version   int
		Undo      bool
		Own       []string
		Unseen    []struct{ Key string }
		Published bool
		Problems  map[string]string
		Settings  struct {
			Width  struct{ Value float64 }
			OpenAt int `json:"open_at"`
		}
		View struct {
			Box struct{ Width, Height, Scale float64 }
		}
		Code string
	}
	send := func(method, path, body string, want int) (a answer) {
		t.Helper()
		status, text, _ := c.Send(method, base+path, "application/json", body)
		require.Equal(t, want, status, text)
		require.NoError(t, json.Unmarshal([]byte(text), &a))
		return a
	}
	a := send("PATCH", "/draft?column=328&window=800", `{"revision":0,"set":{"width":{"value":80,"unit":"%"}}}`, 200)
	assert.Equal(t, 1, a.Revision)
	assert.Equal(t, []string{"width"}, a.Own)
	assert.InDelta(t, 262, a.View.Box.Width, 1e-6)
	assert.Contains(t, a.Code, "width:80%")
	a = send("PATCH", "/draft", `{"revision":1,"set":{"open_at":3}}`, 422)
	assert.Contains(t, a.Problems["open_at"], "2 pages")
	send("PATCH", "/draft", `{"revision":0,"set":{"width":{"value":70,"unit":"%"}}}`, 409)
	send("PATCH", "/draft", `{"revision":1,"set":{"colour":"red"}}`, 400)
	send("PATCH", "/draft", `{"revision":1,"set":`, 400)
	a = send("PATCH", "/draft", `{"revision":0,"set":{"open_at":2}}`, 200)
	assert.Contains(t, a.Notice, "changed “Width” at")
	a = send("PATCH", "/draft", `{"revision":2,"set":{},"follow":["width"]}`, 200)
	assert.Equal(t, []string{"open_at"}, a.Own)
	assert.Empty(t, a.Notice)
	send("POST", "/undo", `{"revision":2}`, 409)
	a = send("POST", "/undo", `{"revision":3}`, 200)
	assert.InDelta(t, 80, a.Settings.Width.Value, 1e-9)
	assert.Equal(t, 4, a.Revision)
	send("POST", "/publish?anyway=1", `{"revision":3}`, 409)
	a = send("POST", "/publish?anyway=1", `{"revision":4}`, 200)
	assert.True(t, a.Published)
	assert.Empty(t, a.Unseen)
	a = send("POST", "/undo", `{"revision":4}`, 200)
	require.Len(t, a.Unseen, 1)
	assert.Equal(t, "open_at", a.Unseen[0].Key)
	send("POST", "/withdraw", `{"version":0}`, 409)
	a = send("POST", "/withdraw", `{"version":1}`, 200)
	assert.False(t, a.Published)
	status, _, _ := c.Get("/placements/99")
	assert.Equal(t, http.StatusNotFound, status)
}

func TestHouseStyle(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "leaflet-welcome.pdf")
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	c := h.Editor(t)
	status, body, _ := c.Send("PATCH", "/house-style", "application/json", `{"set":{"download":false,"width":{"value":90,"unit":"%"}}}`)
	require.Equal(t, http.StatusOK, status, body)
	_, body, _ = c.Get(fmt.Sprintf("/placements/%d/state", p.ID))
	assert.Contains(t, body, `"download":false`)
	assert.Contains(t, body, `"own":[]`)
	status, body, _ = c.Send("PATCH", "/house-style", "application/json", `{"set":{"open_at":2}}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "page 1")
}

// The bench's other requests: a pull that is only looked at, a starter, the
// comparison.
func TestBenchPullsAndStarts(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "survey-form.pdf")
	c := h.Editor(t)
	status, _, headers := c.Send("POST", fmt.Sprintf("/documents/%d/place", d.ID), form, "")
	require.Equal(t, http.StatusSeeOther, status)
	base := headers.Get("Location")
	type answer struct {
		Revision int
		Pulled   string
		Settings struct {
			Width struct{ Value float64 }
			Flow  string
		}
		Starter struct{ Name, Reason string }
		View    struct {
			Box     struct{ Width float64 }
			Glosses []struct{ Kind string }
		}
		Screens []struct{ Drawn []struct{ Page int } }
		Curve   []struct{ Column float64 }
	}
	send := func(method, path, body string, want int) (a answer) {
		t.Helper()
		status, text, _ := c.Send(method, base+path, "application/json", body)
		require.Equal(t, want, status, text)
		if want == http.StatusOK {
			require.NoError(t, json.Unmarshal([]byte(text), &a))
		}
		return a
	}
	a := send("GET", "/state?page=820", "", 200)
	assert.Equal(t, "form", a.Starter.Name)
	assert.Contains(t, a.Starter.Reason, "to fill in")
	assert.Len(t, a.Screens, 4)
	assert.NotEmpty(t, a.Screens[0].Drawn)
	a = send("POST", "/pull?page=820", `{"revision":0,"width":394,"within":4}`, 200)
	assert.Zero(t, a.Revision)
	assert.InDelta(t, 394, a.View.Box.Width, 0)
	assert.InDelta(t, 100, send("GET", "/state", "", 200).Settings.Width.Value, 0, "nothing was kept")
	a = send("POST", "/pull?page=820", `{"revision":0,"width":394,"keep":true}`, 200)
	assert.Equal(t, 1, a.Revision)
	assert.InDelta(t, 50, a.Settings.Width.Value, 0)
	assert.Equal(t, "full column", send("POST", "/pull?page=820", `{"width":790,"within":4}`, 200).Pulled)
	send("POST", "/pull", `{"width":-1}`, 400)
	send("POST", "/pull", `{"width":1e9}`, 400)
	send("POST", "/pull", `{`, 400)
	send("POST", "/pull?page=820", `{"revision":0,"width":300,"keep":true}`, 409)
	a = send("POST", "/starter", `{"revision":1,"starter":"leaflet"}`, 200)
	assert.Equal(t, []string{"leaflet", "Chosen by hand.", "turn"}, []string{a.Starter.Name, a.Starter.Reason, a.Settings.Flow})
	send("POST", "/starter", `{"revision":2,"starter":"poster"}`, 400)
	send("GET", "/compare", "", 404)
	send("POST", "/publish?anyway=1", `{"revision":2}`, 200)
	send("POST", "/undo", `{"revision":2}`, 200)
	status, text, _ := c.Get(base + "/compare?column=400")
	require.Equal(t, 200, status)
	assert.Contains(t, text, "turned one by one")
	// What a request names out of bounds is left at what it was.
	for _, odd := range []string{"page=1e9", "column=NaN", "window=-4", "site=9", "column=12"} {
		assert.InDelta(t, 480, send("GET", "/state?"+odd, "", 200).View.Box.Width, 0, odd)
	}
}

func TestHouseStyleIsThoughtOfFirst(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "tide-table.pdf")
	p, err := h.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	c := h.Editor(t)
	type answer struct {
		Settings struct{ Flow string }
		Changes  []struct{ Key string }
		Effects  []struct {
			ID      int64
			Screens []struct {
				Screen, Title string
				Better        bool
			}
		}
		Readers int
		Said    string
	}
	send := func(method, path, body string, want int) (a answer) {
		t.Helper()
		status, text, _ := c.Send(method, path, "application/json", body)
		require.Equal(t, want, status, text)
		require.NoError(t, json.Unmarshal([]byte(text), &a))
		return a
	}
	a := send("POST", "/house-style/thought", `{"set":{"flow":"turn"}}`, 200)
	require.Len(t, a.Effects, 1)
	assert.Equal(t, p.ID, a.Effects[0].ID)
	require.NotEmpty(t, a.Effects[0].Screens)
	assert.Equal(t, "phone", a.Effects[0].Screens[0].Screen)
	assert.True(t, a.Effects[0].Screens[0].Better)
	assert.Zero(t, a.Readers)
	a = send("POST", "/house-style/thought", `{"thought":{"flow":"turn"},"set":{"padding":9}}`, 200)
	assert.Len(t, a.Changes, 2)
	assert.Equal(t, "down", send("GET", "/house-style/state", "", 200).Settings.Flow, "a thought changes nothing")
	send("POST", "/house-style/thought", `{"set":{"padding":900}}`, 422)
	a = send("PATCH", "/house-style", `{"thought":{"flow":"turn"},"set":{},"at_once":true}`, 200)
	assert.Contains(t, a.Said, "0 placements were published")
	// Readers who already see what is thought of are not counted: the draft was
	// set back since, what they see was not.
	status, text, _ := c.Send("POST", fmt.Sprintf("/placements/%d/publish?anyway=1", p.ID), "application/json", `{"revision":0,"house":1}`)
	require.Equal(t, 200, status, text)
	send("PATCH", "/house-style", `{"set":{"flow":"down"}}`, 200)
	a = send("POST", "/house-style/thought", `{"set":{"flow":"turn"}}`, 200)
	assert.Len(t, a.Effects, 1)
	assert.Zero(t, a.Readers)
	assert.Equal(t, 1, send("POST", "/house-style/thought", `{"set":{"flow":"across"}}`, 200).Readers)
	send("PATCH", "/house-style", `{"set":{"flow":"turn"}}`, 200)
	send("PUT", "/house-style/terms", `{"budget":1000,"sites":[]}`, 422)
	send("PUT", "/house-style/terms", `{"budget":1000,"sites":[{"name":"Harrowmere","column":704,"margin":20}]}`, 200)
}

func TestTitlesAndRemoval(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "leaflet-welcome.pdf")
	c := h.Editor(t)
	rename := func(title string) int {
		status, _, _ := c.Send("POST", fmt.Sprintf("/documents/%d/title", d.ID), form, url.Values{"title": {title}}.Encode())
		return status
	}
	assert.Equal(t, http.StatusOK, rename(`  Welcome <b>  you `))
	assert.Equal(t, http.StatusUnprocessableEntity, rename("  "))
	assert.Equal(t, http.StatusUnprocessableEntity, rename(strings.Repeat("x", 201)))
	_, page, _ := c.Get("/documents?find=welcome")
	assert.Contains(t, page, "Welcome &lt;b&gt; you")
	status, _, headers := c.Get(fmt.Sprintf("/documents/%d/cover", d.ID))
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, "image/png", headers.Get("Content-Type"))
	status, _, _ = c.Send("POST", fmt.Sprintf("/documents/%d/remove", d.ID), form, "")
	assert.Equal(t, http.StatusNoContent, status)
	status, _, _ = c.Send("POST", fmt.Sprintf("/documents/%d/remove", d.ID), form, "")
	assert.Equal(t, http.StatusNotFound, status)
	_, page, _ = c.Get("/documents")
	assert.Contains(t, page, "No documents yet")
}

// A document that could not be used is examined again when an editor asks for it.
func TestExamineAgain(t *testing.T) {
	h := testkit.Open(t)
	d := h.Add(t, "tide-table.pdf")
	require.NoError(t, h.Library.ExaminationFailed(t.Context(), d.EditionID, pdf.Problemf(pdf.Damaged, "It stopped the engine.")))
	status, _, _ := h.Visitor(t).Send("POST", fmt.Sprintf("/documents/%d/examine", d.ID), "", "")
	assert.Equal(t, http.StatusUnauthorized, status)
	status, body, _ := h.Editor(t).Send("POST", fmt.Sprintf("/documents/%d/examine", d.ID), "", "")
	require.Equal(t, http.StatusNoContent, status, body)
	assert.Equal(t, library.Ready, h.Examined(t, d.Title).State)
}

// A file that forbids its readers to print and to copy begins with both off, and the
// bench says why.
func TestAFileThatForbids(t *testing.T) {
	h := testkit.Open(t)
	by, err := h.People.AccountByEmail(t.Context(), demo.Email)
	require.NoError(t, err)
	d, _, err := h.Intake.Receive(t.Context(), "Ringing permits.pdf", bytes.NewReader(hostile.Forbids()), by.ID)
	require.NoError(t, err)
	h.Examined(t, d.Title)
	editor := h.Editor(t)
	status, _, headers := editor.Send("POST", fmt.Sprintf("/documents/%d/place", d.ID), form, "")
	require.Equal(t, http.StatusSeeOther, status)
	status, body, _ := editor.Get(headers.Get("Location") + "/state")
	require.Equal(t, http.StatusOK, status)
	var state struct {
		Settings struct{ Print, Copying bool }
	}
	require.NoError(t, json.Unmarshal([]byte(body), &state))
	assert.False(t, state.Settings.Print || state.Settings.Copying)
	assert.True(t, strings.Contains(body, "forbids its readers to print and to copy"), "the bench says so")
}
