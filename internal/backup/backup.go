// Package backup writes an installation into one file and makes it out of it again: the
// rows of its tables as they are at one moment (a snapshot, so that servers may run), and
// the bytes of its files, pictures, parts on their way, and of every script for pages that
// was ever given out, which pasted code names for ever. Page images are not in it: they are
// made again.
//
// The file is a tar archive (POSIX.1-2001): manifest.json, tables/NAME (PostgreSQL's COPY
// in its text format), blobs/KEY, and at its end hashes.json with the SHA-256 of each of
// these. Nothing is restored before all of them agree.
//
// A Folder keeps many of them beside each other: each is such a file without the bytes,
// which lie beside it once, under their SHA-256.
package backup

import (
	"archive/tar"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"incipit/internal/blob"
	"incipit/internal/database"
)

// Manifest says what a backup is.
type Manifest struct {
	Format int       `json:"format"`
	Schema int       `json:"schema"` // the number of the newest migration
	MadeAt time.Time `json:"made_at"`
	Tables []Table   `json:"tables"` // in the order in which they are filled
	Blobs  int       `json:"blobs"`
}

// Table is one that is kept.
type Table struct {
	Name    string   `json:"name"`
	Columns []string `json:"columns"`
	Rows    int64    `json:"rows"`
}

// format is that of this program; an older one reads no newer one.
const format = 1

// mostListed bounds what is read into memory of a backup at once, in bytes: its manifest, and
// its hashes, of which there are two million in so many.
const mostListed = 256 << 20

// Left out are tables of jobs, which are made again from what is unfinished, and of who is
// signed in where.
var leftOut = []string{"goose_db_version", "sessions", "sign_ins", "sign_in_tries", "devices", "setup_addresses"}

// kept says whether a table's rows are.
func kept(name string) bool {
	return !slices.Contains(leftOut, name) && !strings.HasPrefix(name, "river_")
}

// tables lists the tables of a schema so that each comes after those that it refers to.
func tables(ctx context.Context, tx pgx.Tx) ([]Table, error) {
	rows, err := tx.Query(ctx, `SELECT c.relname::text, array_agg(a.attname::text ORDER BY a.attnum)
		FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = ''
		WHERE c.relkind = 'r' AND c.relnamespace = current_schema()::regnamespace GROUP BY 1 ORDER BY 1`)
	if err != nil {
		return nil, fmt.Errorf("list the tables: %w", err)
	}
	left := map[string]Table{}
	var t Table
	if _, err := pgx.ForEachRow(rows, []any{&t.Name, &t.Columns}, func() error {
		if kept(t.Name) {
			left[t.Name] = Table{Name: t.Name, Columns: slices.Clone(t.Columns)}
		}
		return nil
	}); err != nil {
		return nil, fmt.Errorf("list the tables: %w", err)
	}
	rows, err = tx.Query(ctx, `SELECT conrelid::regclass::text, confrelid::regclass::text FROM pg_constraint WHERE contype = 'f' AND conrelid <> confrelid`)
	if err != nil {
		return nil, fmt.Errorf("list what tables refer to: %w", err)
	}
	needs := map[string][]string{}
	var from, to string
	if _, err := pgx.ForEachRow(rows, []any{&from, &to}, func() error {
		needs[from] = append(needs[from], to)
		return nil
	}); err != nil {
		return nil, fmt.Errorf("list what tables refer to: %w", err)
	}
	var out []Table
	for len(left) > 0 {
		var ready []string
		for name := range left {
			if !slices.ContainsFunc(needs[name], func(n string) bool { _, waits := left[n]; return waits }) {
				ready = append(ready, name)
			}
		}
		if len(ready) == 0 {
			return nil, errors.New("tables refer to each other in a ring")
		}
		slices.Sort(ready)
		for _, name := range ready {
			out = append(out, left[name])
			delete(left, name)
		}
	}
	return out, nil
}

// prefixes are of the bytes that are kept: what cannot be made again.
var prefixes = []string{"files/", "pictures/", "parts/", "onpage/"}

// writer writes entries and their hashes.
type writer struct {
	tar    *tar.Writer
	hashes map[string]string
	keep   func(ctx context.Context, e blob.Entry, open opening) error
}

// opening opens the bytes that an entry is about, where they are wanted.
type opening func() (io.ReadCloser, error)

func (w *writer) add(name string, size int64, r io.Reader) error {
	if err := w.tar.WriteHeader(&tar.Header{Name: name, Size: size, Mode: 0o600, Format: tar.FormatPAX}); err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	h := sha256.New()
	if _, err := io.Copy(io.MultiWriter(w.tar, h), r); err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	w.hashes[name] = sum(h)
	return nil
}

func sum(h hash.Hash) string { return hex.EncodeToString(h.Sum(nil)) }

// Write makes a backup of the installation at a database's address, running or stopped.
// told, if given, hears what is being written.
func Write(ctx context.Context, address string, blobs *blob.Store, to io.Writer, told func(what string)) (Manifest, error) {
	w := &writer{tar: tar.NewWriter(to), hashes: map[string]string{}}
	w.keep = func(_ context.Context, e blob.Entry, open opening) error {
		r, err := open()
		if err != nil {
			return err
		}
		defer r.Close()
		return w.add("blobs/"+e.Key, e.Size, r)
	}
	return w.write(ctx, address, blobs, told)
}

func (w *writer) write(ctx context.Context, address string, blobs *blob.Store, told func(what string)) (Manifest, error) {
	m := Manifest{Format: format, Schema: database.Newest(), MadeAt: time.Now().UTC()}
	if err := database.Current(ctx, address); err != nil {
		return m, err
	}
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return m, fmt.Errorf("connect to the database: %w", err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	err = pgx.BeginTxFunc(ctx, conn, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		if m.Tables, err = tables(ctx, tx); err != nil {
			return err
		}
		for i, t := range m.Tables {
			if told != nil {
				told(t.Name)
			}
			if m.Tables[i].Rows, err = w.table(ctx, tx, t); err != nil {
				return err
			}
		}
		// The bytes that these rows are about: what comes later is not in them.
		for _, prefix := range prefixes {
			err := blobs.Each(ctx, prefix, func(e blob.Entry) error {
				return w.blob(ctx, blobs, e, &m.Blobs, told)
			})
			if err != nil {
				return err
			}
		}
		return w.whole(ctx, tx)
	})
	if err != nil {
		return m, err
	}
	if err := w.json("manifest.json", m); err != nil {
		return m, err
	}
	if err := w.json("hashes.json", w.hashes); err != nil {
		return m, err
	}
	return m, w.tar.Close()
}

func (w *writer) json(name string, v any) error {
	b, err := json.MarshalIndent(v, "", " ")
	if err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	return w.add(name, int64(len(b)), strings.NewReader(string(b)))
}

func columns(t Table) string {
	var out []string
	for _, c := range t.Columns {
		out = append(out, pgx.Identifier{c}.Sanitize())
	}
	return pgx.Identifier{t.Name}.Sanitize() + " (" + strings.Join(out, ", ") + ")"
}

// table writes the rows of one. How long they are is known when they have been read.
func (w *writer) table(ctx context.Context, tx pgx.Tx, t Table) (int64, error) {
	f, err := os.CreateTemp("", "incipit-backup-")
	if err != nil {
		return 0, fmt.Errorf("read %s: %w", t.Name, err)
	}
	defer os.Remove(f.Name())
	defer f.Close()
	tag, err := tx.Conn().PgConn().CopyTo(ctx, f, "COPY "+columns(t)+" TO STDOUT")
	if err != nil {
		return 0, fmt.Errorf("read %s: %w", t.Name, err)
	}
	size, err := f.Seek(0, io.SeekCurrent)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return 0, fmt.Errorf("read %s: %w", t.Name, err)
	}
	return tag.RowsAffected(), w.add("tables/"+t.Name, size, f)
}

// blob writes one. What was removed since it was listed is no part of the installation, or
// whole says so.
func (w *writer) blob(ctx context.Context, blobs *blob.Store, e blob.Entry, n *int, told func(string)) error {
	err := w.keep(ctx, e, func() (io.ReadCloser, error) { return blobs.Open(ctx, e.Key) })
	if errors.Is(err, blob.ErrNotFound) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("read %s: %w", e.Key, err)
	}
	if *n++; told != nil && *n%100 == 0 {
		told(fmt.Sprintf("%d files", *n))
	}
	return nil
}

// whole says, by its error, whether bytes are missing that a row is about.
func (w *writer) whole(ctx context.Context, tx pgx.Tx) error {
	rows, err := tx.Query(ctx, `SELECT blob_key FROM editions UNION SELECT mended_key FROM editions WHERE mended_key <> ''
		UNION SELECT p.blob_key FROM upload_parts p JOIN uploads u ON u.id = p.upload_id WHERE u.document_id IS NULL`)
	if err != nil {
		return fmt.Errorf("look for the files of documents: %w", err)
	}
	var key string
	_, err = pgx.ForEachRow(rows, []any{&key}, func() error {
		if w.hashes["blobs/"+key] == "" {
			return fmt.Errorf("bytes that belong to a document are not there: %s; they may have been removed just now: make the backup again", key)
		}
		return nil
	})
	return err
}
