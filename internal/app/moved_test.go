package app_test

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/app"
	"incipit/internal/database"
	"incipit/internal/testkit"
)

// answered is what the earlier program answered: how many bytes of what, and the beginning
// of their SHA-256.
type answered struct {
	Status int    `json:"status"`
	Type   string `json:"type"`
	Bytes  int    `json:"bytes"`
	Hash   string `json:"hash"`
}

var (
	// scriptsOf finds where scripts and styles lie, which is another place with every program.
	scriptsOf = regexp.MustCompile(`/s/[0-9a-f]+/`)
	// fileID finds a file's identifier (ISO 32000-2, 14.4): of pages that were taken by
	// themselves it was another one each time, and is the same now.
	fileID = regexp.MustCompile(`/ID\s*\[\s*<[0-9A-Fa-f]*>\s*<[0-9A-Fa-f]*>\s*\]`)
)

// sinceThen is what was added to answers on purpose since they were taken.
var sinceThen = []string{
	";white-space:nowrap;line-height:20px", // the zoom keeps its place in whatever font
	"auto;min-width:",                      // and grows where text is set apart
	` class="of-site"`,                     // a page's own styles do not wait for its first child
}

// An installation of the program before drafts had one log (schema 11: its database, its
// folder of blobs, and what it answered, in testdata/schema011) moves over: readers get the
// same bytes on every route, but for the addresses of scripts and identifiers of single pages.
func TestReadersGetTheBytesOfBefore(t *testing.T) {
	const from = "testdata/schema011/"
	blobs := t.TempDir()
	require.NoError(t, os.CopyFS(blobs, os.DirFS(from+"blobs")))
	packed, err := os.Open(from + "dump.sql.gz")
	require.NoError(t, err)
	defer packed.Close()
	unpacked, err := gzip.NewReader(packed)
	require.NoError(t, err)
	dump, err := io.ReadAll(unpacked)
	require.NoError(t, err)
	address := testkit.EmptyDatabase(t)
	conn, err := pgx.Connect(t.Context(), address)
	require.NoError(t, err)
	_, err = conn.PgConn().Exec(t.Context(), string(dump)).ReadAll()
	require.NoError(t, err)
	require.NoError(t, conn.Close(t.Context()))
	require.NoError(t, database.Migrate(t.Context(), address))

	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	c := testkit.Config(t, l.Addr().String(), map[string]string{"INCIPIT_DATABASE_URL": address, "INCIPIT_BLOB_URL": "file://" + blobs})
	a, err := app.New(t.Context(), app.Options{Config: c, Engine: testkit.Engine(t), Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	defer a.Close()
	served := make(chan error, 1)
	ctx, stop := context.WithCancel(context.WithoutCancel(t.Context()))
	go func() { served <- a.Serve(ctx, l) }()
	defer func() {
		stop()
		require.NoError(t, <-served)
	}()

	kept, err := os.ReadFile(from + "answers.json")
	require.NoError(t, err)
	var answers map[string]answered
	require.NoError(t, json.Unmarshal(kept, &answers))
	require.Greater(t, len(answers), 100)
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for path, want := range answers {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, c.PublicURL+strings.ReplaceAll(path, "PUBLIC", c.PublicURL), nil)
		require.NoError(t, err)
		r.Header.Set("Accept-Encoding", "identity")
		answer, err := client.Do(r)
		require.NoError(t, err)
		body, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		answer.Body.Close()
		body = bytes.ReplaceAll(body, []byte(c.PublicURL), []byte("PUBLIC"))
		body = bytes.ReplaceAll(body, []byte(url.QueryEscape(c.PublicURL)), []byte("ESCAPED"))
		if strings.Contains(path, "/leaf/") {
			body = fileID.ReplaceAll(body, []byte("/ID[]"))
		}
		for _, added := range sinceThen {
			body = bytes.ReplaceAll(body, []byte(added), nil)
		}
		body = scriptsOf.ReplaceAll(body, []byte("/s/X/"))
		sum := sha256.Sum256(body)
		got := answered{answer.StatusCode, answer.Header.Get("Content-Type"), len(body), hex.EncodeToString(sum[:12])}
		if !assert.Equal(t, want, got, path) && os.Getenv("INCIPIT_TEST_BODIES") != "" {
			require.NoError(t, os.WriteFile(os.Getenv("INCIPIT_TEST_BODIES")+strings.NewReplacer("/", "_", "?", "_").Replace(path), body, 0o600))
		}
	}
}
