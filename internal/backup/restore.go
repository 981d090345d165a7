package backup

import (
	"archive/tar"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"incipit/internal/blob"
	"incipit/internal/database"
)

// ErrNotEmpty is given where something would be lost by restoring.
var ErrNotEmpty = errors.New("the installation is not empty")

// Backup is one that was written: a file, or one of those of a Folder.
type Backup struct {
	Manifest

	file   io.ReadSeeker
	said   map[string]string // the SHA-256 of each entry, by its name
	folder *Folder           // holds its bytes; nil where the file does
}

// Read takes a backup that is one file. It is whole where Check says so.
func Read(file io.ReadSeeker) *Backup { return &Backup{file: file} }

// Check reads a backup as a whole and says, by its error, what of it is damaged.
func (b *Backup) Check() error {
	m, said, err := b.check()
	if err == nil {
		b.Manifest, b.said = m, said
	}
	return err
}

func (b *Backup) check() (Manifest, map[string]string, error) {
	var m Manifest
	found, said := map[string]string{}, map[string]string{}
	none := func(err error) (Manifest, map[string]string, error) { return m, nil, err }
	if _, err := b.file.Seek(0, io.SeekStart); err != nil {
		return none(fmt.Errorf("read the backup: %w", err))
	}
	t := tar.NewReader(b.file)
	for {
		e, err := t.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return none(fmt.Errorf("read the backup: %w", err))
		}
		if _, twice := found[e.Name]; twice || e.Typeflag != tar.TypeReg {
			return none(fmt.Errorf("%s is in the backup twice, or is no file", e.Name))
		}
		if key, is := strings.CutPrefix(e.Name, "blobs/"); is && !belongs(key) {
			return none(fmt.Errorf("%s is no name of bytes that are kept", e.Name))
		}
		if (e.Name == "manifest.json" || e.Name == "hashes.json") && e.Size > mostListed {
			return none(fmt.Errorf("%s is longer than any that is written", e.Name))
		}
		h := sha256.New()
		body := io.TeeReader(t, h)
		switch e.Name {
		case "manifest.json":
			err = json.NewDecoder(body).Decode(&m)
		case "hashes.json":
			err = json.NewDecoder(body).Decode(&said)
		}
		if err == nil {
			_, err = io.Copy(io.Discard, body)
		}
		if err != nil {
			return none(fmt.Errorf("read %s: %w", e.Name, err))
		}
		found[e.Name] = sum(h)
	}
	delete(found, "hashes.json")
	if b.folder != nil {
		for name, hash := range said {
			if !strings.HasPrefix(name, "blobs/") {
				continue
			}
			if !belongs(strings.TrimPrefix(name, "blobs/")) {
				return none(fmt.Errorf("%s is no name of bytes that are kept", name))
			}
			var err error
			if found[name], err = b.folder.sum(hash); err != nil {
				return none(fmt.Errorf("%s: %w", name, err))
			}
		}
	}
	switch {
	case m.Format == 0 || len(said) == 0:
		return none(errors.New("this is no backup of Incipit, or its end is missing"))
	case m.Format > format:
		return none(fmt.Errorf("the backup is of a newer program (format %d, %d is known here)", m.Format, format))
	case len(found) != len(said):
		return none(fmt.Errorf("the backup has %d entries and says that it has %d", len(found), len(said)))
	}
	for name, hash := range said {
		if found[name] != hash {
			return none(fmt.Errorf("%s is damaged", name))
		}
	}
	return m, said, nil
}

// belongs says whether a key is one of what a backup keeps: below a known prefix, and made
// of names alone.
func belongs(key string) bool {
	return path.Clean(key) == key && fs.ValidPath(key) && slices.ContainsFunc(prefixes, func(p string) bool { return strings.HasPrefix(key, p) && key != p })
}

// Restore makes an installation out of a backup that Check found whole, in a database and a
// store that hold nothing. The rows come to stay in one transaction, once the bytes that they
// are about are durable: a restore that was cut off has left nothing but bytes, and is made
// again.
func (b *Backup) Restore(ctx context.Context, address string, blobs *blob.Store, told func(what string)) error {
	m := b.Manifest
	if b.said == nil {
		return errors.New("the backup was not read before it is restored")
	}
	if m.Schema > database.Newest() {
		return fmt.Errorf("the backup is of a newer program (schema %d, %d is known here)", m.Schema, database.Newest())
	}
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return fmt.Errorf("connect to the database: %w", err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	var schema bool
	if err := conn.QueryRow(ctx, "SELECT to_regclass('accounts') IS NOT NULL").Scan(&schema); err != nil {
		return fmt.Errorf("look at the database: %w", err)
	}
	if !schema {
		if err := database.MigrateTo(ctx, address, m.Schema); err != nil {
			return err
		}
	}
	of := map[string]Table{}
	for _, t := range m.Tables {
		if !kept(t.Name) {
			return fmt.Errorf("the backup names %q, which is no table that is kept", t.Name)
		}
		of["tables/"+t.Name] = t
	}
	err = pgx.BeginFunc(ctx, conn, func(tx pgx.Tx) error {
		if err := empty(ctx, tx, m); err != nil {
			return err
		}
		if _, err := b.file.Seek(0, io.SeekStart); err != nil {
			return fmt.Errorf("read the backup: %w", err)
		}
		t := tar.NewReader(b.file)
		for {
			e, err := t.Next()
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				return fmt.Errorf("read the backup: %w", err)
			}
			if told != nil {
				told(e.Name)
			}
			if key, ok := strings.CutPrefix(e.Name, "blobs/"); ok {
				if _, err := blobs.Write(ctx, key, t); err != nil {
					return fmt.Errorf("restore %s: %w", e.Name, err)
				}
			} else if table, ok := of[e.Name]; ok {
				tag, err := tx.Conn().PgConn().CopyFrom(ctx, t, "COPY "+columns(table)+" FROM STDIN")
				if err != nil {
					return fmt.Errorf("restore %s: %w", e.Name, err)
				}
				if tag.RowsAffected() != table.Rows {
					return fmt.Errorf("restore %s: %d rows of %d", e.Name, tag.RowsAffected(), table.Rows)
				}
			}
		}
		if err := b.beside(ctx, blobs, told); err != nil {
			return err
		}
		return counters(ctx, tx)
	})
	if err != nil {
		return err
	}
	return database.Migrate(ctx, address)
}

// beside restores bytes that lie beside a backup's file.
func (b *Backup) beside(ctx context.Context, blobs *blob.Store, told func(what string)) error {
	if b.folder == nil {
		return nil
	}
	for name, hash := range b.said {
		key, is := strings.CutPrefix(name, "blobs/")
		if !is {
			continue
		}
		if told != nil {
			told(name)
		}
		f, err := b.folder.open(hash)
		if err != nil {
			return fmt.Errorf("restore %s: %w", name, err)
		}
		_, err = blobs.Write(ctx, key, f)
		f.Close()
		if err != nil {
			return fmt.Errorf("restore %s: %w", name, err)
		}
	}
	return nil
}

// empty has a database hold nothing but what its migrations put there, which goes.
func empty(ctx context.Context, tx pgx.Tx, m Manifest) error {
	var at, rows int
	if err := tx.QueryRow(ctx, "SELECT max(version_id) FROM goose_db_version WHERE is_applied").Scan(&at); err != nil {
		return fmt.Errorf("read the schema's number: %w", err)
	}
	if at != m.Schema {
		return fmt.Errorf("the backup is of schema %d, the database of %d: give an empty database, which is brought to the backup's schema and then to this program's", m.Schema, at)
	}
	err := tx.QueryRow(ctx, "SELECT (SELECT count(*) FROM accounts) + (SELECT count(*) FROM all_documents) + (SELECT count(*) FROM web_pages)").Scan(&rows)
	if err != nil {
		return fmt.Errorf("look whether the database is empty: %w", err)
	}
	if rows > 0 {
		return ErrNotEmpty
	}
	var names []string
	for _, t := range m.Tables {
		names = append(names, pgx.Identifier{t.Name}.Sanitize())
	}
	if _, err := tx.Exec(ctx, "TRUNCATE "+strings.Join(names, ", ")+" CASCADE"); err != nil {
		return fmt.Errorf("empty the database: %w", err)
	}
	return nil
}

// counters has every column that counts by itself go on behind what was restored.
func counters(ctx context.Context, tx pgx.Tx) error {
	rows, err := tx.Query(ctx, `SELECT c.oid::regclass::text, a.attname::text FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid
		WHERE c.relkind = 'r' AND c.relnamespace = current_schema()::regnamespace AND a.attidentity <> ''`)
	if err != nil {
		return fmt.Errorf("list what counts by itself: %w", err)
	}
	var table, column string
	var statements []string
	_, err = pgx.ForEachRow(rows, []any{&table, &column}, func() error {
		name := pgx.Identifier{column}.Sanitize()
		statements = append(statements, fmt.Sprintf("SELECT setval(pg_get_serial_sequence('%s', '%s'), coalesce(max(%s), 0) + 1, false) FROM %s",
			table, column, name, table))
		return nil
	})
	if err != nil {
		return fmt.Errorf("list what counts by itself: %w", err)
	}
	for _, s := range statements {
		if _, err := tx.Exec(ctx, s); err != nil {
			return fmt.Errorf("count on: %w", err)
		}
	}
	return nil
}
