package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
	"incipit/internal/testkit/patience"
)

// ask asks a server as a browser's script does.
func (s *server) ask(method, path, body string, headers ...string) (int, string) {
	s.t.Helper()
	r, err := http.NewRequest(method, s.config.PublicURL+path, strings.NewReader(body))
	require.NoError(s.t, err)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Accept", "application/json")
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	answer, err := s.client.Do(r)
	require.NoError(s.t, err)
	defer answer.Body.Close()
	b, err := io.ReadAll(answer.Body)
	require.NoError(s.t, err)
	return answer.StatusCode, string(b)
}

// Two servers that work no jobs and a process that works them, on one database and one
// S3-compatible store: what one opens the other reads, what one forbids both refuse at
// once, jobs run once, limits count together, and whoever is killed loses nothing.
func TestSeveralServers(t *testing.T) {
	pace.Long(t)
	address := testkit.Bucket(t, nil)
	first := newServer(t)
	first.config.BlobURL, first.args, first.more = address, []string{"serve", "--no-jobs"}, keeps
	second := newServer(t)
	second.config.DatabaseURL, second.config.BlobURL, second.args, second.more = first.config.DatabaseURL, address, first.args, keeps
	rows := withOwner(t, first)
	first.start()
	second.start()
	first.signIn()
	second.signIn()

	// A file comes in by one server; nobody examines it until there is who works jobs.
	status, err := first.upload("register.pdf", bytes.NewReader(hostile.ManyPages(700)))
	require.NoError(t, err)
	require.Equal(t, http.StatusCreated, status)
	jobs := func(state string) (n int) {
		require.NoError(t, rows.DB.Pool.QueryRow(t.Context(),
			"SELECT count(*) FROM river_job WHERE kind IN ('examine', 'measure', 'index') AND state::text = $1", state).Scan(&n))
		return n
	}
	assert.Equal(t, 1, jobs("available"))
	work := &server{t: t, config: first.config, args: []string{"work"}, quiet: true, more: keeps}
	again := &server{t: t, config: first.config, args: []string{"work"}, quiet: true, more: keeps}
	t.Cleanup(work.kill)
	t.Cleanup(again.kill)
	work.start()
	patience.Until(t, func() bool {
		all, err := rows.Library.Documents(t.Context(), "")
		return err == nil && len(all) == 1 && all[0].PagesKnown > 1
	})
	// The one that works is killed, and another one takes it up; a second one beside it
	// finds nothing that is not done.
	work.kill()
	again.start()
	work.start()
	var doc library.Listed
	patience.Until(t, func() bool {
		all, err := rows.Library.Documents(t.Context(), "")
		require.NoError(t, err)
		doc = all[0]
		return doc.State == library.Ready && doc.Measured
	}, "it goes on")
	assert.Equal(t, 700, doc.Pages)

	// A password that opens a document at one server opens it at the other.
	require.NoError(t, lockedUpload(first))
	listed, err := rows.Library.Documents(t.Context(), "Locked")
	require.NoError(t, err)
	require.Len(t, listed, 1)
	locked := listed[0].ID
	p, err := rows.Placing.Place(t.Context(), locked, placing.Start{})
	require.NoError(t, err)
	status, body := first.ask("POST", fmt.Sprintf("/placements/%d/publish?anyway=1", p.ID), `{"revision":0,"house":0}`)
	require.Equal(t, http.StatusOK, status, body)
	e, err := rows.Library.CurrentEdition(t.Context(), locked)
	require.NoError(t, err)
	open := func(s *server) string {
		status, body := s.ask("POST", "/r/"+p.Key+"/open", fmt.Sprintf(`{"password":%q}`, hostile.Password))
		require.Equal(t, http.StatusOK, status, body)
		var sealed struct{ Seal string }
		require.NoError(t, json.Unmarshal([]byte(body), &sealed))
		return sealed.Seal
	}
	image := fmt.Sprintf("/r/%s/page/%s/1/800", p.Key, e.SHA256[:16])
	for from, to := range map[*server]*server{first: second, second: first} {
		status, _ := to.ask("GET", image, "", "Incipit-Opened", open(from))
		assert.Equal(t, http.StatusOK, status)
	}
	// Also past a change of the secret, and with a secret that only the other has seen.
	before := open(first)
	require.NoError(t, rows.DB.NewSealSecret(t.Context()))
	status, _ = second.ask("GET", image, "", "Incipit-Opened", before)
	assert.Equal(t, http.StatusOK, status, "what was sealed before still opens")
	second.kill()
	second.start() // it seals with the new one
	status, _ = first.ask("GET", image, "", "Incipit-Opened", open(second))
	assert.Equal(t, http.StatusOK, status, "the other one learns of the new secret")

	// Guesses count together.
	refused := 0
	for range 40 {
		for _, s := range []*server{first, second} {
			if status, _ := s.ask("POST", "/r/"+p.Key+"/open", `{"password":"guess"}`); status == http.StatusTooManyRequests {
				refused++
			}
		}
	}
	assert.GreaterOrEqual(t, refused, 80-12, "both together let through what one may")
	var tries int
	require.NoError(t, rows.DB.Pool.QueryRow(t.Context(), "SELECT max(tries) FROM sign_in_tries").Scan(&tries))
	assert.Positive(t, tries)

	// What is withdrawn at one is refused by both, with the answer.
	for _, s := range []*server{first, second} {
		status, _ = s.ask("GET", "/r/"+p.Key, "")
		require.Equal(t, http.StatusOK, status)
	}
	status, body = second.ask("POST", fmt.Sprintf("/placements/%d/withdraw", p.ID), `{"version":1}`)
	require.Equal(t, http.StatusOK, status, body)
	status, _ = second.ask("GET", "/r/"+p.Key, "")
	assert.Equal(t, http.StatusNotFound, status)
	status, _ = first.ask("GET", "/r/"+p.Key, "")
	assert.Equal(t, http.StatusNotFound, status, "the other server, at once")

	// One server goes; the other has all.
	second.kill()
	status, body = first.ask("GET", "/documents", "")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "Register")
}

// lockedUpload adds a file that asks for a password.
func lockedUpload(s *server) error {
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	if err := form.WriteField("password", hostile.Password); err != nil {
		return err
	}
	part, err := form.CreateFormFile("file", "locked.pdf")
	if err != nil {
		return err
	}
	if _, err := part.Write(hostile.Locked()); err != nil {
		return err
	}
	if err := form.Close(); err != nil {
		return err
	}
	status, body := s.ask("POST", "/documents", b.String(), "Content-Type", form.FormDataContentType())
	if status != http.StatusCreated {
		return fmt.Errorf("answered %d: %s", status, body)
	}
	return nil
}
