package testkit

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/app"
	"incipit/internal/config"
	"incipit/internal/core/collection"
	"incipit/internal/core/setting"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/people"
	"incipit/internal/placing"
	"incipit/internal/standin"
	"incipit/internal/testkit/patience"
)

// House is the whole product on a loopback port, with another website beside
// it on another site.
type House struct {
	*app.App
	URL     string // http://127.0.0.1:…, or what readers are told
	Direct  string // http://127.0.0.1:…
	Website string // http://localhost:…
	Pages   *standin.Website
}

// Open starts a house with an empty database. It has the demo's editor.
func Open(t testing.TB) *House {
	t.Helper()
	return OpenWith(t, nil)
}

// OpenWith starts a house with some variables of its configuration set otherwise.
func OpenWith(t testing.TB, values map[string]string) *House {
	t.Helper()
	return openHouse(t, values, houseEngine(t), nil)
}

// Beside starts another server of the same house: same database, same store.
func (h *House) Beside(t testing.TB) *House {
	t.Helper()
	return OpenWith(t, map[string]string{"INCIPIT_DATABASE_URL": h.App.Config.DatabaseURL, "INCIPIT_BLOB_URL": h.App.Config.BlobURL})
}

// OpenReading starts a house that reads pictures of pages with somebody's program.
func OpenReading(t testing.TB, r intake.Recogniser) *House {
	t.Helper()
	return openHouse(t, nil, houseEngine(t), r)
}

// OpenOver starts a house whose engine is what a test makes of the real one.
func OpenOver(t testing.TB, over func(pdf.Engine) pdf.Engine) *House {
	t.Helper()
	return openHouse(t, nil, over(houseEngine(t)), nil)
}

func openHouse(t testing.TB, values map[string]string, engine pdf.Engine, r intake.Recogniser) *House {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	own, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	other, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	c := Config(t, own.Addr().String(), values)
	h := &House{URL: c.PublicURL, Direct: "http://" + own.Addr().String(),
		Website: fmt.Sprintf("http://localhost:%d", other.Addr().(*net.TCPAddr).Port)}
	h.App, err = app.New(ctx, app.Options{Config: c, Engine: engine, Log: slog.New(slog.NewTextHandler(testLog{t},
		&slog.HandlerOptions{Level: slog.LevelWarn})), StandIn: h.Website + "/visiting", Recogniser: r})
	require.NoError(t, err)
	h.Pages, err = standin.Open(t.TempDir())
	require.NoError(t, err)
	h.Pages.Files = standin.NewFiles(map[string][]byte{})
	h.Watch(ctx)
	require.NoError(t, h.Work(ctx))
	ended := make(chan error, 2)
	go func() { ended <- h.Serve(ctx, own) }()
	go func() { ended <- app.Serve(ctx, other, h.Pages.Handler()) }()
	t.Cleanup(func() {
		stop()
		require.NoError(t, <-ended)
		require.NoError(t, <-ended)
		rest, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		h.Rest(rest)
		h.Close()
	})
	there, err := h.People.HasAccounts(ctx)
	require.NoError(t, err)
	if there {
		return h
	}
	hash, err := people.Hash(demo.Password)
	require.NoError(t, err)
	require.NoError(t, h.People.AddAccount(ctx, &people.Account{Email: demo.Email, Name: "Maren Oakes", PasswordHash: hash, Owner: true}))
	return h
}

// Config makes a configuration with a database and storage of its own, but for
// what more says.
func Config(t testing.TB, address string, more map[string]string) config.Config {
	t.Helper()
	values := map[string]string{"INCIPIT_ADDRESS": address, "INCIPIT_LINKS_EVERY_DAYS": "0"} // a test asks nobody outside
	for name, value := range more {
		values[name] = value
	}
	if values["INCIPIT_DATABASE_URL"] == "" {
		values["INCIPIT_DATABASE_URL"] = Database(t)
	}
	if values["INCIPIT_BLOB_URL"] == "" {
		values["INCIPIT_BLOB_URL"] = (&url.URL{Scheme: "file", Path: t.TempDir()}).String()
	}
	c, err := config.Read(func(name string) (string, bool) { v, ok := values[name]; return v, ok })
	require.NoError(t, err)
	return c
}

// testLog sends what a server logs to the test.
type testLog struct{ t testing.TB }

func (l testLog) Write(p []byte) (int, error) {
	// A server may say a last word after its test.
	fmt.Fprint(os.Stderr, l.t.Name(), ": ", string(p))
	return len(p), nil
}

// Add adds a demo document and waits until it is examined.
func (h *House) Add(t testing.TB, file string) library.Listed {
	t.Helper()
	ctx := context.Background()
	for _, d := range demo.Documents() {
		if d.File == file {
			require.NoError(t, demo.Add(ctx, h.App, d))
			return h.Examined(t, d.Title)
		}
	}
	t.Fatalf("there is no demo document %s", file)
	return library.Listed{}
}

// Withdraw takes a placement from its readers.
func (h *House) Withdraw(t testing.TB, placement int64) {
	t.Helper()
	p, err := h.Placing.Placement(t.Context(), placement)
	require.NoError(t, err)
	if p.Published != nil {
		require.NoError(t, h.Placing.Withdraw(t.Context(), placement, *p.Published))
	}
}

// Gather gives a collection another content.
func (h *House) Gather(t testing.TB, id int64, content collection.Collection) {
	t.Helper()
	c, err := h.Publishing.Collection(t.Context(), id)
	require.NoError(t, err)
	_, err = h.Publishing.ChangeCollection(t.Context(), id, c.Revision, "Maren Oakes", content)
	require.NoError(t, err)
}

// Published adds a demo document and publishes it with the default settings, as
// change changes them; nil leaves them.
func (h *House) Published(t testing.TB, file string, change func(*setting.Settings)) (placing.Placement, library.Edition) {
	t.Helper()
	ctx := context.Background()
	d := h.Add(t, file)
	p, err := h.Placing.Place(ctx, d.ID, placing.Start{})
	require.NoError(t, err)
	s := setting.Default()
	if change != nil {
		change(&s)
	}
	h.Publish(t, p.ID, s)
	e, err := h.Library.CurrentEdition(ctx, d.ID)
	require.NoError(t, err)
	return p, e
}

// Publish publishes a placement with settings.
func (h *House) Publish(t testing.TB, placement int64, s setting.Settings) {
	t.Helper()
	ctx := context.Background()
	p, err := h.Placing.Placement(ctx, placement)
	require.NoError(t, err)
	e, err := h.Library.CurrentEdition(ctx, p.DocumentID)
	require.NoError(t, err)
	a, err := h.People.AccountByEmail(ctx, demo.Email)
	require.NoError(t, err)
	require.NoError(t, h.Placing.Redraft(ctx, p.ID, p.Step, setting.Diff(setting.Default(), s)))
	require.NoError(t, h.Placing.Publish(ctx, p.ID, e.ID, a.ID, s))
}

// Examined waits until a document of a title is examined, for better or worse.
func (h *House) Examined(t testing.TB, title string) library.Listed {
	t.Helper()
	var last library.Listed
	patience.Until(t, func() bool {
		all, err := h.Library.Documents(context.Background(), title)
		if err != nil || len(all) == 0 {
			return false
		}
		last = all[0]
		return last.State != library.Examining
	}, "%s is examined", title)
	return last
}

// Measured waits until the type of a document's newest edition is measured, and
// nothing more is made of it.
func (h *House) Measured(t testing.TB, document int64) library.Edition {
	t.Helper()
	var e library.Edition
	patience.Until(t, func() bool {
		var err error
		e, err = h.Library.CurrentEdition(context.Background(), document)
		return err == nil && e.Measured
	}, "the type of document %d is measured", document)
	return e
}

// Indexed waits until the text of an edition has been read.
func (h *House) Indexed(t testing.TB, edition int64) library.Edition {
	t.Helper()
	var e library.Edition
	patience.Until(t, func() bool {
		var err error
		e, err = h.Library.Edition(context.Background(), edition)
		return err == nil && (!e.HasText || e.Indexed >= e.Pages) && e.State != library.Examining
	}, "the text of edition %d is read", edition)
	return e
}

// Client is a browserless visitor that keeps cookies.
type Client struct {
	*http.Client
	t   testing.TB
	url string
}

// Visitor makes a client that follows no redirects.
func (h *House) Visitor(t testing.TB) *Client {
	t.Helper()
	return &Client{&http.Client{Jar: newJar(t), Timeout: 60 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}, t, h.URL}
}

// AnotherEditor adds an account with the demo's password.
func (h *House) AnotherEditor(t testing.TB, email, name string) {
	t.Helper()
	hash, err := people.Hash(demo.Password)
	require.NoError(t, err)
	require.NoError(t, h.People.AddAccount(t.Context(), &people.Account{Email: email, Name: name, PasswordHash: hash}))
}

// Editor makes a client that has signed in.
func (h *House) Editor(t testing.TB) *Client {
	c := h.Visitor(t)
	status, _, _ := c.Send("POST", "/sign-in", "application/x-www-form-urlencoded",
		url.Values{"email": {demo.Email}, "password": {demo.Password}}.Encode())
	require.Equal(t, http.StatusOK, status)
	return c
}

// Get asks and gives status, body and headers.
func (c *Client) Get(path string) (int, string, http.Header) { return c.Send("GET", path, "", "") }

// Send asks like the desk's own pages do.
func (c *Client) Send(method, path, mediaType, body string) (int, string, http.Header) {
	c.t.Helper()
	r, err := http.NewRequest(method, c.url+path, strings.NewReader(body))
	require.NoError(c.t, err)
	if mediaType != "" {
		r.Header.Set("Content-Type", mediaType)
	}
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	r.Header.Set("Accept", "application/json")
	answer, err := c.Do(r)
	require.NoError(c.t, err)
	defer answer.Body.Close()
	b, err := io.ReadAll(answer.Body)
	require.NoError(c.t, err)
	return answer.StatusCode, string(b), answer.Header
}
