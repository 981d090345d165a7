package inout

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"incipit/internal/blob"
	"incipit/internal/database"
	"incipit/internal/intake"
	"incipit/internal/library"
	"incipit/internal/nouns"
)

// Target is an installation that a folder is taken into. Its jobs have to be worked meanwhile.
type Target struct {
	nouns.All
	Blobs  *blob.Store
	Intake *intake.Intake
	// By is who takes it in; 0 is nobody in particular.
	By  int64
	Who string
	// Tell is told what was taken in, one line after the other.
	Tell func(line string)
	// Left is told what was left out and why, a line each.
	Left func(line string)
}

// Bounds of what is read of a folder.
const (
	mostJSON     = 16 << 20
	mostFiles    = 200_000
	waitsForFile = 20 * time.Minute // until one edition has been examined
)

// reader reads a folder whose files have been checked.
type reader struct {
	dir  string
	root *os.Root
	m    Manifest
	into *Target

	placements, collections, pages, pictures map[int64]int64 // number there → number here
}

// Read takes a folder in, after all of its files were checked by their hashes: house style
// and the frame of pages only into an installation that has no documents. What cannot be
// taken is told and left out; the rest goes on.
func (t *Target) Read(ctx context.Context, dir string) (n Counted, left int, err error) {
	r := &reader{dir: dir, into: t, placements: map[int64]int64{}, collections: map[int64]int64{}, pages: map[int64]int64{}, pictures: map[int64]int64{}}
	if r.root, err = os.OpenRoot(dir); err != nil {
		return n, 0, fmt.Errorf("%s holds no export: %w", dir, err)
	}
	defer r.root.Close()
	if err := r.check(ctx); err != nil {
		return n, 0, err
	}
	had, err := t.Library.Find(ctx, library.Wanted{})
	if err != nil {
		return n, 0, err
	}
	steps := []func(context.Context, *Counted) (left int, err error){r.takePictures, r.takeDocuments, r.takeCollections, r.takePages}
	if had.All == 0 {
		steps = slices.Insert(steps, 0, r.takeHouse)
		steps = append(steps, r.takeFrame)
	} else {
		t.Tell("There are documents here already: house style and the frame of web pages stay as they are.")
	}
	for _, take := range steps {
		missed, err := take(ctx, &n)
		left += missed
		if err != nil {
			return n, left, err
		}
	}
	return n, left, nil
}

// check reads what the folder is said to hold, and whether it does.
func (r *reader) check(ctx context.Context) error {
	f, err := regular(r.root, "export.json")
	if err != nil {
		return fmt.Errorf("%s holds no export: %w", r.dir, err)
	}
	defer f.Close()
	if err := json.NewDecoder(io.LimitReader(f, 4*mostJSON)).Decode(&r.m); err != nil {
		return fmt.Errorf("read export.json: %w", err)
	}
	switch {
	case r.m.Format < 1:
		return errors.New("export.json does not say its format")
	case r.m.Format > Format:
		return fmt.Errorf("this folder has format %d, and this program reads format %d at most: take a newer one", r.m.Format, Format)
	case len(r.m.Files) > mostFiles:
		return fmt.Errorf("the folder has more than %d files", mostFiles)
	}
	for name, sum := range r.m.Files {
		f, err := regular(r.root, name)
		if err != nil {
			return fmt.Errorf("read %s: %w", name, err)
		}
		h := sha256.New()
		_, err = io.Copy(h, heeding{ctx, f})
		f.Close()
		if err != nil {
			return fmt.Errorf("read %s: %w", name, err)
		}
		if hex.EncodeToString(h.Sum(nil)) != sum {
			return fmt.Errorf("%s is another file than the one that was written out", name)
		}
	}
	return nil
}

// each reads the files of a kind, the one with the lowest number first.
func each[T any](r *reader, dir, name string, take func(T) error) (left int, err error) {
	numbers := map[string]int{}
	for file := range r.m.Files {
		if ok, _ := path.Match(path.Join(dir, name), file); ok {
			digits := strings.FieldsFunc(strings.TrimPrefix(file, dir), func(c rune) bool { return c < '0' || c > '9' })
			if len(digits) > 0 {
				numbers[file], _ = strconv.Atoi(digits[0])
			}
		}
	}
	files := make([]string, 0, len(numbers))
	for file := range numbers {
		files = append(files, file)
	}
	slices.SortFunc(files, func(a, b string) int { return numbers[a] - numbers[b] })
	for _, file := range files {
		missed, err := taken(r, file, take)
		left += missed
		if err != nil {
			return left, err
		}
	}
	return left, nil
}

// one reads a file of which there is one, if it is there.
func one[T any](r *reader, name string, take func(T) error) (left int, err error) {
	if r.m.Files[name] == "" {
		return 0, nil
	}
	return taken(r, name, take)
}

// taken reads a file and has what it holds taken in; what cannot be is told.
func taken[T any](r *reader, file string, take func(T) error) (left int, err error) {
	v, err := readJSON[T](r, file)
	if err == nil {
		err = take(v)
	}
	switch {
	case err == nil:
		return 0, nil
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded), errors.Is(err, database.ErrAway):
		return 0, fmt.Errorf("take in %s: %w", file, err)
	}
	if r.into.Left != nil {
		r.into.Left(fmt.Sprintf("%s: %s", file, strings.Join(strings.Fields(err.Error()), " ")))
	}
	return 1, nil
}
