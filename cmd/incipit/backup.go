package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"incipit/internal/backup"
	"incipit/internal/blob"
	"incipit/internal/config"
)

// backUp writes the installation into one file, while servers run or not. A file that is
// there already is not written over, and one that was cut off is not left. With --into it
// goes into a folder of backups.
func backUp(args []string) error {
	if len(args) > 0 {
		switch args[0] {
		case "check":
			return checkBackups(args[1:])
		case "prune":
			return pruneBackups(args[1:])
		}
	}
	flags := flag.NewFlagSet("backup", flag.ContinueOnError)
	into := flags.String("into", "", "")
	files, err := parsed(flags, args)
	if err != nil {
		return err
	}
	if (len(files) == 1) == (*into != "") || len(files) > 1 {
		return badUse{errors.New("backup: say the file to write, or --into and a folder; or check, or prune")}
	}
	return withStore(func(ctx context.Context, c config.Config, blobs *blob.Store) error {
		if *into != "" {
			return backUpInto(ctx, c, blobs, *into)
		}
		return backUpAs(ctx, c, blobs, files[0])
	})
}

func backUpAs(ctx context.Context, c config.Config, blobs *blob.Store, name string) error {
	if _, err := os.Stat(name); err == nil {
		return badUse{fmt.Errorf("backup: %s is there already", name)}
	}
	f, err := os.CreateTemp(filepath.Dir(name), ".incipit-backup-")
	if err != nil {
		return fmt.Errorf("write the backup: %w", err)
	}
	defer os.Remove(f.Name())
	defer f.Close()
	begun := time.Now()
	m, err := backup.Write(ctx, c.DatabaseURL, blobs, f, tell)
	if err != nil {
		return err
	}
	info, err := f.Stat()
	if err == nil {
		err = f.Sync()
	}
	if err == nil {
		tell("reading it back")
		err = backup.Read(f).Check() // what cannot be restored is no backup
	}
	if err == nil {
		err = os.Link(f.Name(), name) // which writes over nothing
	}
	if err != nil {
		return fmt.Errorf("keep the backup: %w", err)
	}
	tell("")
	fmt.Printf("%s: %s, %d bytes, in %.0f s\n", name, held(m), info.Size(), time.Since(begun).Seconds())
	return nil
}

// held says what is in a backup.
func held(m backup.Manifest) string {
	var rows int64
	for _, t := range m.Tables {
		rows += t.Rows
	}
	return fmt.Sprintf("%d rows of %d tables and %d files", rows, len(m.Tables), m.Blobs)
}

func backUpInto(ctx context.Context, c config.Config, blobs *blob.Store, dir string) error {
	if err := backup.MakeFolder(dir); err != nil {
		return badUse{fmt.Errorf("backup: %w", err)}
	}
	f, err := backup.OpenFolder(dir, backup.Alone)
	if err != nil {
		return err
	}
	defer f.Close()
	begun := time.Now()
	w, err := f.Write(ctx, c.DatabaseURL, blobs, tell)
	if err != nil {
		return err
	}
	tell("")
	fmt.Printf("%s: %s; %d files were new to the folder, %d bytes were written, in %.0f s\n", w.Name, held(w.Manifest), w.New, w.Bytes, time.Since(begun).Seconds())
	return nil
}

// checkBackups says whether backups are whole, and what is in them: one that is a file, or
// all of a folder.
func checkBackups(args []string) error {
	if len(args) != 1 {
		return badUse{errors.New("backup check: say the file, or the folder of backups")}
	}
	if !backup.IsFolder(args[0]) {
		f, err := os.Open(args[0])
		if err != nil {
			return fmt.Errorf("read the backup: %w", err)
		}
		defer f.Close()
		b := backup.Read(f)
		if err := b.Check(); err != nil {
			return err
		}
		sayWhole(args[0], b.Manifest)
		return nil
	}
	f, err := backup.OpenFolder(args[0], backup.Shared)
	if err != nil {
		return err
	}
	defer f.Close()
	names, err := f.Names()
	if err != nil {
		return err
	}
	if len(names) == 0 {
		return errors.New("the folder holds no backup yet")
	}
	var bad []error
	for _, name := range names {
		b, closed, err := f.Backup(name)
		if err == nil {
			err = b.Check()
			closed()
		}
		if err != nil {
			bad = append(bad, fmt.Errorf("%s: %w", name, err))
			continue
		}
		sayWhole(name, b.Manifest)
	}
	if len(bad) > 0 {
		return fmt.Errorf("%d of %d backups cannot be restored: %w", len(bad), len(names), errors.Join(bad...))
	}
	return nil
}

const asOf = "2 January 2006, 15:04 UTC"

func sayWhole(name string, m backup.Manifest) {
	fmt.Printf("%s is whole: as of %s, schema %d, %s.\n", name, m.MadeAt.Format(asOf), m.Schema, held(m))
}

// pruneBackups removes all but the newest backups of a folder.
func pruneBackups(args []string) error {
	flags := flag.NewFlagSet("backup prune", flag.ContinueOnError)
	keep := flags.Int("keep", 0, "")
	dirs, err := parsed(flags, args)
	if err != nil {
		return err
	}
	if len(dirs) != 1 || *keep < 1 {
		return badUse{errors.New("backup prune: say the folder of backups, and with --keep how many of the newest stay")}
	}
	f, err := backup.OpenFolder(dirs[0], backup.Alone)
	if err != nil {
		return err
	}
	defer f.Close()
	p, err := f.Prune(*keep)
	if err != nil {
		return err
	}
	fmt.Printf("Removed %d backups and %d files that no other backup names, %d bytes.\n", p.Backups, p.Files, p.Bytes)
	return nil
}

// restoreFrom makes the installation out of a backup, where there is none yet: a file, or
// of a folder the newest, or the one that is named.
func restoreFrom(args []string) error {
	if len(args) != 1 && (len(args) != 2 || !backup.IsFolder(args[0])) {
		return badUse{errors.New("restore: say the file that incipit backup wrote; or the folder of backups, and behind it which one, if not the newest")}
	}
	return withStore(func(ctx context.Context, c config.Config, blobs *blob.Store) error {
		b, closed, err := toRestore(args)
		if err != nil {
			return err
		}
		defer closed()
		if err := b.Check(); err != nil {
			return fmt.Errorf("%w. Nothing was restored", err)
		}
		if err := b.Restore(ctx, c.DatabaseURL, blobs, tell); err != nil {
			return fmt.Errorf("%w. Nothing was restored", err)
		}
		tell("")
		fmt.Printf("Restored as of %s: %d files. Start the server; those who were signed in sign in again.\n", b.MadeAt.Format(asOf), b.Blobs)
		return nil
	})
}

func toRestore(args []string) (*backup.Backup, func(), error) {
	if !backup.IsFolder(args[0]) {
		f, err := os.Open(args[0])
		if err != nil {
			return nil, nil, fmt.Errorf("read the backup: %w", err)
		}
		return backup.Read(f), func() { f.Close() }, nil
	}
	f, err := backup.OpenFolder(args[0], backup.Shared)
	if err != nil {
		return nil, nil, err
	}
	names, err := f.Names()
	if err == nil && len(names) == 0 {
		err = errors.New("the folder holds no backup yet. Nothing was restored")
	}
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	name := names[len(names)-1]
	if len(args) == 2 {
		if name = strings.TrimSuffix(filepath.Base(args[1]), ".tar"); !slices.Contains(names, name) {
			f.Close()
			return nil, nil, fmt.Errorf("the folder holds no backup %s; there are: %s. Nothing was restored", name, strings.Join(names, ", "))
		}
	}
	b, closed, err := f.Backup(name)
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return b, func() { closed(); f.Close() }, nil
}

// withStore opens the store of bytes, too: the one that is named, none is taken for it.
func withStore(run func(ctx context.Context, c config.Config, blobs *blob.Store) error) error {
	if err := storeNamed(); err != nil {
		return err
	}
	return withDatabase(func(ctx context.Context, c config.Config) error {
		blobs, err := blob.Open(ctx, c.BlobURL)
		if err != nil {
			return err
		}
		defer blobs.Close()
		return run(ctx, c, blobs)
	})
}

func storeNamed() error {
	if os.Getenv("INCIPIT_BLOB_URL") == "" {
		return badUse{errors.New("INCIPIT_BLOB_URL is not set: say where the files are, as the servers are told")}
	}
	return nil
}

// tell says on a terminal what is being done; "" makes way for what is printed.
func tell(what string) {
	if info, err := os.Stderr.Stat(); err == nil && info.Mode()&os.ModeCharDevice != 0 {
		fmt.Fprintf(os.Stderr, "\r\033[K%.70s", what)
	}
}
