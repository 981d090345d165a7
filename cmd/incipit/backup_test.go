package main

import (
	"bytes"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/blob"
	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/nouns"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// A backup of a running installation, made into an empty one, gives the same addresses,
// bytes and settings; one that is damaged or whose end is missing changes nothing.
func TestBackupIntoAnEmptyInstallation(t *testing.T) {
	if testing.Short() {
		t.Skip("starts the program many times")
	}
	s := newServer(t)
	s.more = keeps
	s.start()
	ctx := t.Context()
	rows := s.owned()
	s.signIn()
	for _, name := range []string{"tide-table.pdf", "trail-map.pdf"} {
		b, err := demo.PDF(name)
		require.NoError(t, err)
		status, err := s.upload(name, bytes.NewReader(b))
		require.NoError(t, err)
		require.Equal(t, http.StatusCreated, status)
	}
	patience.Until(t, func() bool {
		all, err := rows.Library.Documents(ctx, "")
		return err == nil && len(all) == 2 && all[0].Reading() == "" && all[1].Reading() == ""
	})
	e, err := rows.Library.CurrentEdition(ctx, 1)
	require.NoError(t, err)
	p, err := rows.Placing.Place(ctx, 1, placing.Start{})
	require.NoError(t, err)
	published := setting.Default()
	published.Padding = 7
	published.Download = true
	require.NoError(t, rows.Placing.Publish(ctx, p.ID, e.ID, 1, published))
	require.NoError(t, rows.Library.RemoveDocument(ctx, 2, "Maren"))

	run := func(on *server, args ...string) (string, error) {
		cmd := program(t, args...)
		cmd.Env = append(cmd.Env, "INCIPIT_ADDRESS="+on.config.Address, "INCIPIT_DATABASE_URL="+on.config.DatabaseURL, "INCIPIT_BLOB_URL="+on.config.BlobURL)
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	file := filepath.Join(t.TempDir(), "harrowmere.tar")
	// A script for pages of an earlier program, which code that was pasted then names.
	store, err := blob.Open(ctx, s.config.BlobURL)
	require.NoError(t, err)
	t.Cleanup(func() { store.Close() })
	const earlier = "onpage/0123456789abcdef.js"
	_, err = store.Write(ctx, earlier, strings.NewReader("export {};"))
	require.NoError(t, err)
	said, err := run(s, "backup", file)
	require.NoError(t, err, said)
	assert.Contains(t, said, "files")
	_, err = run(s, "backup", file)
	require.Error(t, err, "it is not written over")

	// Damaged, it changes nothing.
	other := newServer(t)
	other.config.DatabaseURL = testkit.EmptyDatabase(t)
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	for name, b := range map[string][]byte{
		"damaged": append(append(bytes.Clone(whole[:len(whole)/2]), whole[len(whole)/2]^1), whole[len(whole)/2+1:]...),
		"cut off": whole[:len(whole)/3], "nothing": nil, "something else": []byte("%PDF-1.7"),
	} {
		bad := filepath.Join(t.TempDir(), "bad.tar")
		require.NoError(t, os.WriteFile(bad, b, 0o600))
		said, err := run(other, "restore", bad)
		require.Error(t, err, name)
		assert.Contains(t, said, "Nothing was restored", name)
	}
	said, err = run(s, "restore", file)
	require.Error(t, err)
	assert.Contains(t, said, "not empty")
	said, err = run(other, "restore", file)
	require.NoError(t, err, said)
	other.more = keeps
	other.start()
	there, err := nouns.Open(ctx, other.config.DatabaseURL, database.Share(0))
	require.NoError(t, err)
	t.Cleanup(there.DB.Close)
	again, err := there.Placing.PlacementByKey(ctx, p.Key)
	require.NoError(t, err)
	v, err := there.Placing.PublishedVersion(ctx, again)
	require.NoError(t, err)
	assert.Equal(t, published, v.Settings)
	get := func(on *server, path string) (int, string) {
		answer, err := on.client.Get(on.config.PublicURL + path)
		require.NoError(t, err)
		defer answer.Body.Close()
		b, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer.StatusCode, strings.ReplaceAll(string(b), on.config.PublicURL, "")
	}
	status, bytesThere := get(other, "/r/"+p.Key+"/file")
	require.Equal(t, http.StatusOK, status)
	_, bytesHere := get(s, "/r/"+p.Key+"/file")
	assert.Equal(t, bytesHere, bytesThere)
	_, kept := get(other, "/"+earlier)
	assert.Equal(t, "export {};", kept)
	found, err := there.Library.Find(ctx, library.Wanted{Words: "tide"})
	require.NoError(t, err)
	assert.Equal(t, 1, found.All, "it is found by its words")
	// What was removed can be put back there, too, and what is added counts on.
	_, err = there.Library.RestoreDocument(ctx, 2)
	require.NoError(t, err)
	other.signIn()
	status, err = other.upload("trail-map.pdf", bytes.NewReader([]byte(bytesHere)))
	require.NoError(t, err)
	assert.Equal(t, http.StatusCreated, status)
	all, err := there.Library.Documents(ctx, "")
	require.NoError(t, err)
	assert.Equal(t, int64(3), all[0].ID)

	// In a folder of backups the newest is taken, and what no other needs goes.
	many := filepath.Join(t.TempDir(), "many")
	for n, adds := range []string{" files were new", " 0 files were new"} {
		said, err = run(s, "backup", "--into", many)
		require.NoError(t, err, said)
		assert.Contains(t, said, adds, n)
	}
	said, err = run(s, "backup", "check", many)
	require.NoError(t, err, said)
	assert.Equal(t, 2, strings.Count(said, "is whole"))
	said, err = run(s, "backup", "prune", many, "--keep", "1")
	require.NoError(t, err, said)
	assert.Contains(t, said, "Removed 1 backups and 0 files")
	fourth := newServer(t)
	fourth.config.DatabaseURL = testkit.EmptyDatabase(t)
	said, err = run(fourth, "restore", many, "2020-01-01T000000.000Z")
	require.Error(t, err)
	assert.Contains(t, said, "Nothing was restored")
	said, err = run(fourth, "restore", many)
	require.NoError(t, err, said)
	fourth.start()
	_, bytesFourth := get(fourth, "/r/"+p.Key+"/file")
	assert.Equal(t, bytesHere, bytesFourth)

	// As a folder that people can read it is taken in elsewhere under the same address.
	folder := filepath.Join(t.TempDir(), "out")
	said, err = run(s, "export", folder)
	require.NoError(t, err, said)
	assert.Contains(t, said, "1 documents, 1 editions, 1 placements")
	said, err = run(s, "export", folder)
	require.Error(t, err)
	assert.Contains(t, said, "is not empty")
	third := newServer(t)
	said, err = run(third, "import", folder)
	require.NoError(t, err, said)
	third.start()
	_, bytesThird := get(third, "/r/"+p.Key+"/file")
	assert.Equal(t, bytesHere, bytesThird)
	said, err = run(third, "import", t.TempDir())
	require.Error(t, err)
	assert.Contains(t, said, "holds no export")
}
