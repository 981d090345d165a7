package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/blob"
	"incipit/internal/config"
	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/people"
	"incipit/internal/testkit"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
	"incipit/internal/testkit/patience"
)

// server is the program serving, in a process that can be killed.
type server struct {
	t      testing.TB
	config config.Config
	cmd    *exec.Cmd
	output *said
	errors *said
	more   []string // of its environment
	before []string // the words that go before the program's own
	args   []string // its own, or those of a server
	quiet  bool     // it answers nobody
	client *http.Client
}

func freeAddress(t testing.TB) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}

func newServer(t testing.TB) *server {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	s := &server{t: t, config: testkit.Config(t, freeAddress(t), nil), client: &http.Client{Jar: jar, Timeout: time.Minute}}
	t.Cleanup(s.kill)
	return s
}

func (s *server) start() {
	s.t.Helper()
	if s.args == nil {
		s.args = []string{"serve"}
	}
	s.cmd, s.output = program(s.t, s.args...), &said{}
	if len(s.before) > 0 {
		environment := s.cmd.Env
		s.cmd = exec.Command(s.before[0], append(s.before[1:len(s.before):len(s.before)], s.cmd.Args...)...)
		s.cmd.Env = environment
	}
	s.cmd.Env = append(s.cmd.Env, "INCIPIT_ADDRESS="+s.config.Address, "INCIPIT_DATABASE_URL="+s.config.DatabaseURL,
		"INCIPIT_BLOB_URL="+s.config.BlobURL, "INCIPIT_SWEEP_AFTER=0s")
	s.cmd.Env = append(s.cmd.Env, s.more...)
	s.errors = &said{}
	s.cmd.Stdout, s.cmd.Stderr = s.output, io.MultiWriter(s.errors, os.Stderr)
	require.NoError(s.t, s.cmd.Start())
	if s.quiet {
		patience.Until(s.t, func() bool { return strings.Contains(s.output.String(), "works the jobs") }, "it works")
		return
	}
	s.answers()
}

// answers waits until the server is ready.
func (s *server) answers() {
	s.t.Helper()
	patience.Until(s.t, func() bool {
		answer, err := http.Get(s.config.PublicURL + "/health")
		if err != nil {
			return false
		}
		answer.Body.Close()
		return answer.StatusCode == http.StatusOK
	}, "the server answers")
}

// keeps has a server leave bytes without an owner alone for a while, as one in earnest
// does: those of an upload that is under way are no one's yet.
var keeps = []string{"INCIPIT_SWEEP_AFTER=1h"}

// kill is SIGKILL: nothing of the server gets to clean up.
func (s *server) kill() {
	if s.cmd == nil {
		return
	}
	_ = s.cmd.Process.Kill()
	_ = s.cmd.Wait()
	s.cmd = nil
}

// owned opens the server's rows and adds who owns them.
func (s *server) owned() nouns.All {
	s.t.Helper()
	rows, err := nouns.Open(s.t.Context(), s.config.DatabaseURL, database.Share(0))
	require.NoError(s.t, err)
	s.t.Cleanup(rows.DB.Close)
	hash, err := people.Hash(demo.Password)
	require.NoError(s.t, err)
	require.NoError(s.t, rows.People.AddAccount(s.t.Context(), &people.Account{Email: demo.Email, Name: "Maren", PasswordHash: hash}))
	return rows
}

func (s *server) signIn() {
	s.t.Helper()
	r, err := http.NewRequest("POST", s.config.PublicURL+"/sign-in",
		strings.NewReader(url.Values{"email": {demo.Email}, "password": {demo.Password}}.Encode()))
	require.NoError(s.t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	answer, err := s.client.Do(r)
	require.NoError(s.t, err)
	answer.Body.Close()
	require.Equal(s.t, http.StatusOK, answer.StatusCode)
}

// upload sends a file whose bytes come from body.
func (s *server) upload(name string, body io.Reader) (int, error) {
	reader, writer := io.Pipe()
	form := multipart.NewWriter(writer)
	go func() {
		part, err := form.CreateFormFile("file", name)
		if err == nil {
			_, err = io.Copy(part, body)
		}
		if err == nil {
			err = form.Close()
		}
		writer.CloseWithError(err)
	}()
	r, err := http.NewRequest("POST", s.config.PublicURL+"/documents", reader)
	if err != nil {
		return 0, err
	}
	r.Header.Set("Content-Type", form.FormDataContentType())
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	r.Header.Set("Accept", "application/json")
	answer, err := s.client.Do(r)
	if err != nil {
		return 0, err
	}
	answer.Body.Close()
	return answer.StatusCode, nil
}

// stuck gives what it has and then nothing more, until it is let go.
type stuck struct {
	b   []byte
	end chan struct{}
}

func (s *stuck) Read(p []byte) (int, error) {
	if len(s.b) == 0 {
		<-s.end
		return 0, io.ErrUnexpectedEOF
	}
	n := copy(p, s.b)
	s.b = s.b[n:]
	return n, nil
}

func TestKilledDuringUploadAndExamination(t *testing.T) {
	pace.Long(t)
	s := newServer(t)
	rows, err := nouns.Open(t.Context(), s.config.DatabaseURL, database.Share(0))
	require.NoError(t, err)
	t.Cleanup(rows.DB.Close)
	bytesOf, err := blob.Open(t.Context(), s.config.BlobURL)
	require.NoError(t, err)
	t.Cleanup(func() { bytesOf.Close() })
	hash, err := people.Hash(demo.Password)
	require.NoError(t, err)
	require.NoError(t, rows.People.AddAccount(t.Context(), &people.Account{Email: demo.Email, Name: "Maren", PasswordHash: hash}))
	blobs := func() int {
		n, _, err := bytesOf.Usage(t.Context(), intake.FilesPrefix)
		require.NoError(t, err)
		return n
	}

	// Killed while a file comes in: nothing was acknowledged, nothing stays.
	s.start()
	s.signIn()
	logbook, err := demo.PDF("logbook-1953.pdf")
	require.NoError(t, err)
	half := &stuck{b: logbook[:len(logbook)/2], end: make(chan struct{})}
	sent := make(chan error, 1)
	go func() {
		_, err := s.upload("logbook.pdf", half)
		sent <- err
	}()
	patience.Until(t, func() bool { return blobs() == 1 }, "the file is on its way")
	s.kill()
	close(half.end)
	require.Error(t, <-sent)
	assert.Equal(t, 1, blobs(), "the kill left bytes behind")
	s.start()
	patience.Until(t, func() bool { return blobs() == 0 }, "the sweep removes them")
	listed, err := rows.Library.Documents(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, listed)

	// Killed while a document is examined: it was acknowledged, so it stays,
	// and its examination goes on.
	const pages = 9000
	status, err := s.upload("minutes-of-ninety-years.pdf", bytes.NewReader(hostile.ManyPages(pages)))
	require.NoError(t, err)
	require.Equal(t, http.StatusCreated, status)
	var doc library.Listed
	patience.Until(t, func() bool {
		listed, err := rows.Library.Documents(t.Context(), "")
		require.NoError(t, err)
		if len(listed) == 1 {
			doc = listed[0]
		}
		return len(listed) == 1 && doc.PagesKnown > 1
	}, "the examination has begun")
	s.kill()
	e, err := rows.Library.Edition(t.Context(), doc.EditionID)
	require.NoError(t, err)
	require.Equal(t, library.Examining, e.State, "killed in the midst: %d of %d pages", e.PagesKnown, e.Pages)
	s.start()
	patience.Until(t, func() bool {
		e, err = rows.Library.Edition(t.Context(), doc.EditionID)
		require.NoError(t, err)
		return e.State == library.Ready && e.Measured
	}, "the examination goes on, and the measuring after it")
	assert.Len(t, e.Sheets, pages)
	assert.Len(t, e.Type.Pages, intake.MostMeasured, "a fair sample")
	kept, err := bytesOf.Read(t.Context(), e.BlobKey)
	require.NoError(t, err)
	assert.Equal(t, int64(len(kept)), e.Bytes)
	assert.Equal(t, 1, blobs())
}

func TestFirstStartOffersASetupAddress(t *testing.T) {
	s := newServer(t)
	s.start()
	patience.Until(t, func() bool { return strings.Contains(s.output.String(), "/set-up/") })
	line := s.output.String()[strings.Index(s.output.String(), s.config.PublicURL+"/set-up/"):]
	answer, err := http.Get(strings.TrimSpace(line))
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, http.StatusOK, answer.StatusCode, fmt.Sprint(line))
}

// Killed while a change of house style is given to readers: it goes on where it was, and
// each of them gets it once.
func TestKilledWhileHouseStyleIsCarried(t *testing.T) {
	pace.Long(t)
	s := newServer(t)
	s.more = keeps
	rows := withOwner(t, s)
	s.start()
	s.signIn()
	status, err := s.upload("marsh.pdf", bytes.NewReader(hostile.ThinPage()))
	require.NoError(t, err)
	require.Equal(t, http.StatusCreated, status)
	const many = 3000
	settings, err := json.Marshal(setting.Default())
	require.NoError(t, err)
	for _, sql := range []string{
		fmt.Sprintf(`INSERT INTO placements (key, document_id, published) SELECT lpad(n::text, 20, 'a'), d.id, 1 FROM documents d, generate_series(1, %d) n`, many),
		`INSERT INTO draft_steps (kind, subject, revision, content) SELECT 'placement', id, 0, '{"settings":{}}' FROM placements`,
	} {
		_, err := rows.DB.Pool.Exec(t.Context(), sql)
		require.NoError(t, err)
	}
	_, err = rows.DB.Pool.Exec(t.Context(), `INSERT INTO placement_versions (placement_id, number, settings, edition_id) SELECT p.id, 1, $1, e.id FROM placements p, editions e`, string(settings))
	require.NoError(t, err)

	r, err := http.NewRequest("PATCH", s.config.PublicURL+"/house-style",
		strings.NewReader(`{"revision":0,"set":{"padding":7},"at_once":true}`))
	require.NoError(t, err)
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Sec-Fetch-Site", "same-origin")
	answer, err := s.client.Do(r)
	require.NoError(t, err)
	answer.Body.Close()
	require.Equal(t, http.StatusOK, answer.StatusCode)
	s.kill()
	last, _, err := rows.Placing.LastCarry(t.Context())
	require.NoError(t, err)
	require.Nil(t, last.EndedAt, "killed in the midst: %d of %d", last.Seen, many)
	require.Positive(t, last.Seen)

	s.start()
	patience.Until(t, func() bool {
		last, _, err = rows.Placing.LastCarry(t.Context())
		return err == nil && last.EndedAt != nil
	}, "it goes on")
	assert.Equal(t, []int{many, many}, []int{last.Seen, last.Published})
	var right int
	require.NoError(t, rows.DB.Pool.QueryRow(t.Context(), `SELECT count(*) FROM placements p JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		WHERE p.published = 2 AND (v.settings->>'padding')::float8 = 7`).Scan(&right))
	assert.Equal(t, many, right, "each of them once")
}
