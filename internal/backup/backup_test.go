package backup_test

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/backup"
	"incipit/internal/blob"
	"incipit/internal/database"
	"incipit/internal/nouns"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// place is an installation without servers: a database, and a folder of bytes.
type place struct {
	address string
	blobs   *blob.Store
	dir     string
}

func at(t *testing.T, address string) place {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "store")
	blobs, err := blob.Open(t.Context(), "file://"+dir)
	require.NoError(t, err)
	t.Cleanup(func() { blobs.Close() })
	return place{address, blobs, dir}
}

// installation has documents with the bytes that are given, by their titles.
func installation(t *testing.T, files map[string]string) (place, func(title, body string)) {
	t.Helper()
	p := at(t, testkit.Database(t))
	s, err := nouns.Open(t.Context(), p.address, database.Share(0))
	require.NoError(t, err)
	t.Cleanup(s.DB.Close)
	add := func(title, body string) {
		testkit.Added(t, s, title)
		_, err := p.blobs.Write(t.Context(), "files/"+title, strings.NewReader(body))
		require.NoError(t, err)
	}
	for title, body := range files {
		add(title, body)
	}
	return p, add
}

// kept gives all bytes of a store by their keys.
func (p place) kept(t *testing.T) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, p.blobs.Each(t.Context(), "", func(e blob.Entry) error {
		b, err := p.blobs.Read(t.Context(), e.Key)
		out[e.Key] = string(b)
		return err
	}))
	return out
}

// titles are those of a restored database; nil where it has no tables or no documents.
func titles(t *testing.T, address string) []string {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), address)
	require.NoError(t, err)
	defer conn.Close(context.Background())
	rows, err := conn.Query(t.Context(), "SELECT title FROM all_documents ORDER BY title")
	if err != nil {
		return nil
	}
	out, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return nil
	}
	return out
}

func open(t *testing.T, dir string, how int) *backup.Folder {
	t.Helper()
	f, err := backup.OpenFolder(dir, how)
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	return f
}

// restored makes an installation out of one of a folder's backups.
func restored(t *testing.T, f *backup.Folder, name string) place {
	t.Helper()
	b, closed, err := f.Backup(name)
	require.NoError(t, err)
	defer closed()
	p := at(t, testkit.EmptyDatabase(t))
	require.NoError(t, b.Check())
	require.NoError(t, b.Restore(t.Context(), p.address, p.blobs, nil))
	return p
}

// inside lists the bytes of a folder of backups.
func inside(t *testing.T, dir string) []string {
	t.Helper()
	found, err := filepath.Glob(filepath.Join(dir, "bytes", "*", "*"))
	require.NoError(t, err)
	return found
}

// Equal bytes lie in a folder once, however many keys and backups name them; each backup is
// restored as it was; pruning takes what no other needs.
func TestAFolderKeepsBytesOnce(t *testing.T) {
	p, add := installation(t, map[string]string{"Tides": "table", "Tides again": "table", "Trail": "map"})
	dir := filepath.Join(t.TempDir(), "kept")
	require.NoError(t, backup.MakeFolder(dir))
	f := open(t, dir, backup.Alone)
	var names []string
	for _, step := range []struct {
		then   func()
		files  int
		adds   int
		titles []string
	}{
		{func() {}, 3, 2, []string{"Tides", "Tides again", "Trail"}},
		{func() {}, 3, 0, []string{"Tides", "Tides again", "Trail"}},
		{func() { add("Birds", "seen") }, 4, 1, []string{"Birds", "Tides", "Tides again", "Trail"}},
		{func() {
			conn, err := pgx.Connect(t.Context(), p.address)
			require.NoError(t, err)
			defer conn.Close(context.Background())
			_, err = conn.Exec(t.Context(), "DELETE FROM editions WHERE blob_key = 'files/Trail'")
			require.NoError(t, err)
			_, err = conn.Exec(t.Context(), "DELETE FROM all_documents WHERE title = 'Trail'")
			require.NoError(t, err)
			require.NoError(t, p.blobs.Delete(t.Context(), "files/Trail"))
		}, 3, 0, []string{"Birds", "Tides", "Tides again"}},
	} {
		step.then()
		w, err := f.Write(t.Context(), p.address, p.blobs, nil)
		require.NoError(t, err)
		assert.Equal(t, step.adds, w.New)
		assert.Equal(t, step.files, w.Blobs)
		names = append(names, w.Name)
		there := restored(t, f, w.Name)
		assert.Equal(t, step.titles, titles(t, there.address))
		assert.Equal(t, p.kept(t), there.kept(t))
	}
	require.Len(t, inside(t, dir), 3)
	listed, err := f.Names()
	require.NoError(t, err)
	assert.Equal(t, names, listed)

	// A write that was cut off has left halves, which go, too.
	half := filepath.Join(dir, "bytes", ".half-1")
	require.NoError(t, os.WriteFile(half, []byte("ha"), 0o600))
	pruned, err := f.Prune(2)
	require.NoError(t, err)
	assert.Equal(t, 2, pruned.Backups)
	assert.Len(t, inside(t, dir), 3, "the map is in the third")
	assert.NoFileExists(t, half)
	assert.Equal(t, []string{"Birds", "Tides", "Tides again", "Trail"}, titles(t, restored(t, f, names[2]).address))
	pruned, err = f.Prune(1)
	require.NoError(t, err)
	assert.Equal(t, backup.Pruned{Backups: 1, Files: 1, Bytes: 3}, pruned)
	assert.Equal(t, []string{"Birds", "Tides", "Tides again"}, titles(t, restored(t, f, names[3]).address))
	_, err = f.Prune(0)
	require.Error(t, err, "the last one stays")
}

// Bytes that the newest backup has and that were not touched since are not read in the
// store again; those that were touched about when it was made are.
func TestWhatWasNotTouchedIsNotReadAgain(t *testing.T) {
	p, _ := installation(t, map[string]string{"Tides": "table"})
	dir := filepath.Join(t.TempDir(), "kept")
	require.NoError(t, backup.MakeFolder(dir))
	f := open(t, dir, backup.Alone)
	_, err := f.Write(t.Context(), p.address, p.blobs, nil)
	require.NoError(t, err)
	in := filepath.Join(p.dir, "files", "Tides")
	for _, x := range []struct {
		ago  time.Duration
		read int
	}{{2 * time.Hour, 0}, {30 * time.Minute, 1}} {
		require.NoError(t, os.WriteFile(in, []byte("chart"), 0o600))
		require.NoError(t, os.Chtimes(in, time.Time{}, time.Now().Add(-x.ago)))
		w, err := f.Write(t.Context(), p.address, p.blobs, nil)
		require.NoError(t, err)
		assert.Equal(t, x.read, w.New, x.ago)
	}
}

// Damage in the folder is found by checking, and mended by the next backup, which reads the
// store again; where the newest cannot be read nothing is removed.
func TestADamagedFolder(t *testing.T) {
	p, _ := installation(t, map[string]string{"Tides": "table"})
	dir := filepath.Join(t.TempDir(), "kept")
	require.NoError(t, backup.MakeFolder(dir))
	f := open(t, dir, backup.Alone)
	first, err := f.Write(t.Context(), p.address, p.blobs, nil)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	checked := func() error {
		f := open(t, dir, backup.Shared)
		defer f.Close()
		b, closed, err := f.Backup(first.Name)
		require.NoError(t, err)
		defer closed()
		return b.Check()
	}
	require.NoError(t, checked())
	one := inside(t, dir)[0]
	elsewhere := filepath.Join(t.TempDir(), "elsewhere")
	require.NoError(t, os.WriteFile(elsewhere, []byte("table"), 0o600))
	for name, harm := range map[string]func() error{
		"another byte": func() error { return os.WriteFile(one, []byte("tablE"), 0o600) },
		"gone":         func() error { return nil },
		"a link":       func() error { return os.Symlink(elsewhere, one) },
		"a pipe":       func() error { return syscall.Mkfifo(one, 0o600) },
		"a folder":     func() error { return os.Mkdir(one, 0o700) },
	} {
		require.NoError(t, os.Remove(one))
		require.NoError(t, harm(), name)
		require.Error(t, checked(), name)
		if name == "a folder" {
			require.NoError(t, os.Remove(one))
		}
		f := open(t, dir, backup.Alone)
		w, err := f.Write(t.Context(), p.address, p.blobs, nil)
		require.NoError(t, err, name)
		assert.Equal(t, 1, w.New, name)
		require.NoError(t, f.Close())
		require.NoError(t, checked(), "%s: mended", name)
	}
	names, err := open(t, dir, backup.Shared).Names()
	require.NoError(t, err)
	require.NoError(t, os.Truncate(filepath.Join(dir, "backups", names[len(names)-1]+".tar"), 600))
	f, err = backup.OpenFolder(dir, backup.Alone)
	require.ErrorIs(t, err, backup.ErrBusy, "it is read just now")
	require.Nil(t, f)
}

// Nothing is removed by pruning where one that stays cannot be read; a folder of something
// else is not written into.
func TestFoldersThatAreLeftAlone(t *testing.T) {
	p, _ := installation(t, map[string]string{"Tides": "table"})
	dir := filepath.Join(t.TempDir(), "kept")
	require.NoError(t, backup.MakeFolder(dir))
	f := open(t, dir, backup.Alone)
	for range 2 {
		_, err := f.Write(t.Context(), p.address, p.blobs, nil)
		require.NoError(t, err)
	}
	names, err := f.Names()
	require.NoError(t, err)
	newest := filepath.Join(dir, "backups", names[1]+".tar")
	require.NoError(t, os.Truncate(newest, 600))
	_, err = f.Prune(1)
	require.ErrorContains(t, err, "Nothing was removed")
	left, err := f.Names()
	require.NoError(t, err)
	assert.Equal(t, names, left)
	assert.Len(t, inside(t, dir), 1)
	w, err := f.Write(t.Context(), p.address, p.blobs, nil)
	require.NoError(t, err, "all is read again")
	assert.Equal(t, 0, w.New)

	// Nor where bytes are not there that one which stays names: an older one may have them.
	require.NoError(t, os.Remove(inside(t, dir)[0]))
	_, err = f.Prune(1)
	require.ErrorContains(t, err, "the backup "+w.Name+" lacks blobs/files/Tides")
	require.ErrorContains(t, err, "Nothing was removed")
	left, err = f.Names()
	require.NoError(t, err)
	assert.Equal(t, append(names, w.Name), left)

	other := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(other, "letters.txt"), nil, 0o600))
	require.ErrorContains(t, backup.MakeFolder(other), "letters.txt")
	_, err = backup.OpenFolder(other, backup.Alone)
	require.Error(t, err)
	require.ErrorIs(t, database.Current(t.Context(), testkit.EmptyDatabase(t)), database.ErrNoTables)
	_, err = f.Write(t.Context(), testkit.EmptyDatabase(t), p.blobs, nil)
	require.ErrorIs(t, err, database.ErrNoTables)
}

// Where the newest backup is of a time to come, since a clock went back, the next one stands
// behind it all the same, and all is read again.
func TestAClockThatWentBack(t *testing.T) {
	p, _ := installation(t, map[string]string{"Tides": "table"})
	dir := filepath.Join(t.TempDir(), "kept")
	require.NoError(t, backup.MakeFolder(dir))
	f := open(t, dir, backup.Alone)
	w, err := f.Write(t.Context(), p.address, p.blobs, nil)
	require.NoError(t, err)
	const ahead = "2126-12-02T100000.000Z"
	kept := filepath.Join(dir, "backups")
	require.Len(t, w.Name, len(ahead))
	require.NoError(t, os.Rename(filepath.Join(kept, w.Name+".tar"), filepath.Join(kept, ahead+".tar")))
	in := filepath.Join(p.dir, "files", "Tides")
	require.NoError(t, os.WriteFile(in, []byte("chart"), 0o600))
	require.NoError(t, os.Chtimes(in, time.Time{}, time.Now().Add(-24*time.Hour)))
	w, err = f.Write(t.Context(), p.address, p.blobs, nil)
	require.NoError(t, err)
	assert.Equal(t, 1, w.New)
	assert.Equal(t, "2126-12-02T100000.001Z", w.Name)
	assert.WithinDuration(t, time.Now(), w.MadeAt, time.Hour)
	pruned, err := f.Prune(1)
	require.NoError(t, err)
	assert.Equal(t, 1, pruned.Backups)
	assert.Equal(t, p.kept(t), restored(t, f, w.Name).kept(t))
}

// entry is one of a backup's file.
type entry struct {
	head tar.Header
	body []byte
}

func entries(t *testing.T, b []byte) []entry {
	t.Helper()
	var out []entry
	r := tar.NewReader(bytes.NewReader(b))
	for {
		h, err := r.Next()
		if err == io.EOF {
			return out
		}
		require.NoError(t, err)
		body, err := io.ReadAll(r)
		require.NoError(t, err)
		out = append(out, entry{*h, body})
	}
}

// written makes a file of entries; sealed, its hashes are those of what is in it.
func written(t *testing.T, all []entry, sealed bool) []byte {
	t.Helper()
	var out bytes.Buffer
	w := tar.NewWriter(&out)
	hashes := map[string]string{}
	for _, e := range all {
		if sealed && e.head.Name == "hashes.json" {
			var err error
			e.body, err = json.Marshal(hashes)
			require.NoError(t, err)
		}
		sum := sha256.Sum256(e.body)
		hashes[e.head.Name] = hex.EncodeToString(sum[:])
		e.head.Size = int64(len(e.body))
		if e.head.Typeflag != tar.TypeReg {
			e.head.Size, e.body = 0, nil
		}
		require.NoError(t, w.WriteHeader(&e.head))
		_, err := w.Write(e.body)
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return out.Bytes()
}

// Whatever was done to a backup: it is refused and nothing is there, or it is restored as a
// whole; nothing is written beside the store, and nothing under a name that is not kept.
func TestBackupsOfStrangers(t *testing.T) {
	p, _ := installation(t, map[string]string{"Tides": "table", "Trail": "map"})
	var made bytes.Buffer
	_, err := backup.Write(t.Context(), p.address, p.blobs, &made, nil)
	require.NoError(t, err)
	whole := entries(t, made.Bytes())
	r := rand.New(rand.NewPCG(26, 8)) //nolint:gosec // the same each time
	names := []string{"blobs/../../canary", "blobs//etc/passwd", "blobs/files/../../canary", "../canary", "/canary", "blobs/files",
		"blobs/pages/1", "blobs/tried", "tables/goose_db_version", "tables/sessions", "tables/pg_authid",
		"tables/accounts; DROP TABLE accounts", "manifest.json", "hashes.json", "blobs/files/Tides"}
	kinds := []byte{tar.TypeSymlink, tar.TypeLink, tar.TypeFifo, tar.TypeChar, tar.TypeDir, tar.TypeBlock}
	harms := map[string]func([]entry) []entry{
		"renamed": func(all []entry) []entry {
			all[r.IntN(len(all))].head.Name = names[r.IntN(len(names))]
			return all
		},
		"added": func(all []entry) []entry {
			e := entry{tar.Header{Name: names[r.IntN(len(names))], Mode: 0o600, Typeflag: tar.TypeReg}, []byte("x")}
			return slices.Insert(all, r.IntN(len(all)), e)
		},
		"another kind": func(all []entry) []entry {
			e := &all[r.IntN(len(all))]
			e.head.Typeflag, e.head.Linkname = kinds[r.IntN(len(kinds))], "../../canary"
			return all
		},
		"left out": func(all []entry) []entry {
			i := r.IntN(len(all))
			return slices.Delete(all, i, i+1)
		},
		"twice": func(all []entry) []entry { return append(all, all[r.IntN(len(all))]) },
		"other bytes": func(all []entry) []entry {
			e := &all[r.IntN(len(all))]
			e.body = append(bytes.Clone(e.body), "\n0\n"...)
			return all
		},
		"another manifest": func(all []entry) []entry {
			i := slices.IndexFunc(all, func(e entry) bool { return e.head.Name == "manifest.json" })
			for from, to := range map[string]string{`"accounts"`: `"accounts; DROP TABLE editions"`, `"title"`: `"no_such"`, `"format": 1`: `"format": 2`,
				`"rows": 2`: `"rows": 3`, `"name": "documents"`: `"name": "sessions"`} {
				if r.IntN(2) == 0 {
					all[i].body = bytes.Replace(all[i].body, []byte(from), []byte(to), 1)
				}
			}
			return all
		},
	}
	order := slices.Sorted(maps.Keys(harms))
	restoredOnes, tried := 0, 0
	for n := range 600 {
		kind, sealed := order[n%len(order)], r.IntN(3) > 0
		all := slices.Clone(whole)
		b := written(t, harms[kind](all), sealed)
		switch r.IntN(12) {
		case 0:
			b = b[:r.IntN(len(b))]
		case 1:
			b[r.IntN(len(b))] ^= byte(1 + r.IntN(255))
		}
		about := fmt.Sprintf("%d, %s, sealed %v", n, kind, sealed)
		taken := backup.Read(bytes.NewReader(b))
		if taken.Check() != nil {
			continue
		}
		if tried++; tried > 12 {
			continue // a database each
		}
		there := at(t, testkit.EmptyDatabase(t))
		canary := filepath.Join(filepath.Dir(there.dir), "canary")
		require.NoError(t, os.WriteFile(canary, []byte("alive"), 0o600))
		err := taken.Restore(t.Context(), there.address, there.blobs, nil)
		beside, readErr := os.ReadDir(filepath.Dir(there.dir))
		require.NoError(t, readErr)
		assert.Len(t, beside, 2, about)
		for key := range there.kept(t) {
			assert.Regexp(t, `^(files|pictures|parts|onpage)/[^/]`, key, about)
		}
		if err != nil {
			assert.Empty(t, titles(t, there.address), about)
			continue
		}
		restoredOnes++
		assert.Equal(t, []string{"Tides", "Trail"}, titles(t, there.address), about)
	}
	assert.NotZero(t, tried)
	t.Logf("%d passed the check, %d of 12 were restored", tried, restoredOnes)
}
