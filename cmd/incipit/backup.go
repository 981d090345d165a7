package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"incipit/internal/backup"
	"incipit/internal/blob"
	"incipit/internal/config"
)

// backUp writes the installation into one file, while servers run or not. A file that is
// there already is not written over, and one that was cut off is not left.
func backUp(args []string) error {
	if len(args) == 2 && args[0] == "check" {
		return checkBackup(args[1])
	}
	if len(args) != 1 {
		return badUse{errors.New("backup: say the file to write, or check and the file to read")}
	}
	return withDatabase(func(ctx context.Context, c config.Config) error {
		blobs, err := blob.Open(ctx, c.BlobURL)
		if err != nil {
			return err
		}
		defer blobs.Close()
		if _, err := os.Stat(args[0]); err == nil {
			return badUse{fmt.Errorf("backup: %s is there already", args[0])}
		}
		f, err := os.CreateTemp(filepath.Dir(args[0]), ".incipit-backup-")
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
			_, err = f.Seek(0, 0)
		}
		if err == nil {
			tell("reading it back")
			_, err = backup.Check(f) // what cannot be restored is no backup
		}
		if err == nil {
			err = os.Link(f.Name(), args[0]) // which writes over nothing
		}
		if err != nil {
			return fmt.Errorf("keep the backup: %w", err)
		}
		var rows int64
		for _, t := range m.Tables {
			rows += t.Rows
		}
		fmt.Printf("%s: %d rows of %d tables and %d files, %d bytes, in %.0f s\n", args[0], rows, len(m.Tables), m.Blobs, info.Size(), time.Since(begun).Seconds())
		return nil
	})
}

// checkBackup says whether a backup is whole, and what is in it.
func checkBackup(name string) error {
	f, err := os.Open(name)
	if err != nil {
		return fmt.Errorf("read the backup: %w", err)
	}
	defer f.Close()
	m, err := backup.Check(f)
	if err != nil {
		return err
	}
	var rows int64
	for _, t := range m.Tables {
		rows += t.Rows
	}
	fmt.Printf("%s is whole: as of %s, schema %d, %d rows of %d tables and %d files.\n", name, m.MadeAt.Format("2 January 2006, 15:04 UTC"), m.Schema, rows, len(m.Tables), m.Blobs)
	return nil
}

// restoreFrom makes the installation out of a backup, where there is none yet.
func restoreFrom(args []string) error {
	if len(args) != 1 {
		return badUse{errors.New("restore: say the file that incipit backup wrote")}
	}
	return withDatabase(func(ctx context.Context, c config.Config) error {
		blobs, err := blob.Open(ctx, c.BlobURL)
		if err != nil {
			return err
		}
		defer blobs.Close()
		f, err := os.Open(args[0])
		if err != nil {
			return fmt.Errorf("read the backup: %w", err)
		}
		defer f.Close()
		m, err := backup.Check(f)
		if err != nil {
			return fmt.Errorf("%w. Nothing was restored", err)
		}
		if _, err := f.Seek(0, 0); err != nil {
			return fmt.Errorf("read the backup: %w", err)
		}
		if err := backup.Restore(ctx, m, f, c.DatabaseURL, blobs, tell); err != nil {
			return fmt.Errorf("%w. Nothing was restored", err)
		}
		fmt.Printf("Restored as of %s: %d files. Start the server; who was signed in signs in again.\n", m.MadeAt.Format("2 January 2006, 15:04 UTC"), m.Blobs)
		return nil
	})
}

// tell says on a terminal what is being done.
func tell(what string) {
	if info, err := os.Stderr.Stat(); err == nil && info.Mode()&os.ModeCharDevice != 0 {
		fmt.Fprintf(os.Stderr, "\r\033[K%.70s", what)
	}
}
