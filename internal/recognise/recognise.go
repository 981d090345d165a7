// Package recognise reads the text in pictures of pages through Tesseract, in a confined
// process (see package confined). Which languages it can read depends on what is installed
// beside it.
package recognise

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"incipit/internal/confined"
	"incipit/internal/core/scanned"
	"incipit/internal/core/share"
)

// Bounds of one page.
const (
	mostAddress = 2 << 30  // bytes of address space
	mostFolder  = 64 << 20 // bytes that it writes
	mostOutput  = 32 << 20 // bytes of what it read
	mostWork    = 110 * time.Second
)

// Resolution is how many pixels an inch a page should be pictured with: what the program
// reads best.
const Resolution = 300

// ErrFailed is given where nothing came of a picture.
var ErrFailed = errors.New("nothing came of the picture")

// Packages are what Debian's apt-get has to install for it, with German and English.
const Packages = "tesseract-ocr tesseract-ocr-eng tesseract-ocr-deu bubblewrap"

// Recogniser reads pictures. It is made by Find.
type Recogniser struct {
	room  *confined.Room
	turns *share.Line // pages, by document and who asked for it
	mu    sync.Mutex
	all   []string
}

// waits is how many pages wait for their turn: a document has one at a time.
const waits = 60

// Find looks for the programs that are needed, or gives confined.ErrMissing or
// ErrUnconfined. rooms pages are read at once, with resident bytes of memory each.
func Find(rooms, resident int) (*Recogniser, error) {
	room, err := confined.Find("tesseract", confined.Bounds{Address: mostAddress, Resident: resident, Folder: mostFolder, Output: mostOutput, Work: mostWork})
	if err != nil {
		return nil, err
	}
	room.Set = []string{"OMP_THREAD_LIMIT", "1"} // its threads win little, and take others' processors
	return &Recogniser{room: room, turns: share.NewLine(share.Rules{Places: max(rooms, 1), Waiting: waits, PerDocument: 1})}, nil
}

var code = regexp.MustCompile(`^[A-Za-z_]{3,30}$`)

// Languages are those that it can read, by its own names for them. What could not be asked
// is asked again.
func (r *Recogniser) Languages(ctx context.Context) ([]string, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.all != nil {
		return r.all, nil
	}
	if err := r.room.Works(ctx); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if _, err := r.room.Run(context.WithoutCancel(ctx), confined.Task{Args: []string{"/usr/bin/tesseract", "--list-langs"}}, &out); err != nil {
		return nil, fmt.Errorf("ask which languages can be read: %w", err)
	}
	all := []string{}
	for _, line := range strings.Split(out.String(), "\n") {
		if line = strings.TrimSpace(line); code.MatchString(line) {
			all = append(all, line)
		}
	}
	r.all = all
	return all, nil
}

// Page reads a picture of a page: PNG or JPEG, pixelsPerPoint pixels to a point of the sheet.
// Lines stand on the sheet, whichever way they run.
func (r *Recogniser) Page(ctx context.Context, picture []byte, pixelsPerPoint float64, languages []string) ([]scanned.Line, error) {
	all, err := r.Languages(ctx)
	if err != nil {
		return nil, err
	}
	if languages = scanned.Chosen(languages, all); len(languages) == 0 || !(pixelsPerPoint > 0) {
		return nil, fmt.Errorf("%w: no language to read it in", ErrFailed)
	}
	_, leave, err := r.turns.Enter(ctx, share.Asker{Document: DocumentOf(ctx), Origin: share.Origin(ctx), Class: share.ClassOf(ctx)})
	if err != nil {
		return nil, err
	}
	defer leave()
	f, err := os.CreateTemp("", "incipit-recognise-")
	if err != nil {
		return nil, fmt.Errorf("lay a picture out to be read: %w", err)
	}
	defer os.Remove(f.Name())
	_, err = f.Write(picture)
	if err := errors.Join(err, f.Close()); err != nil {
		return nil, fmt.Errorf("lay a picture out to be read: %w", err)
	}
	mode := "3" // finds columns and lines
	if slices.Contains(all, "osd") {
		mode = "1" // and sees how the page is turned
	}
	var out bytes.Buffer
	read := func(mode string) (string, error) {
		out.Reset()
		return r.room.Run(ctx, confined.Task{File: f.Name(), As: "page", Args: []string{"/usr/bin/tesseract", "/work/page", "stdout", "--psm", mode,
			"--dpi", fmt.Sprintf("%.0f", max(min(pixelsPerPoint*72, 2400), 70)), "-l", strings.Join(languages, "+"), "hocr"}}, &out)
	}
	said, err := read(mode)
	var exit *exec.ExitError
	if errors.As(err, &exit) && mode == "1" { // how a page of few letters is turned cannot be told
		said, err = read("3")
	}
	switch {
	case err != nil && ctx.Err() != nil:
		return nil, ctx.Err()
	case errors.Is(err, confined.ErrNotYet):
		return nil, err
	case err != nil:
		return nil, fmt.Errorf("%w: %w; it said: %.500s", ErrFailed, err, said)
	}
	return lines(out.Bytes(), 1/pixelsPerPoint)
}

type documentKey struct{}

// Of has the pages that are read with a context take turns as those of one document.
func Of(ctx context.Context, document string) context.Context {
	return context.WithValue(ctx, documentKey{}, document)
}

// DocumentOf gives that document.
func DocumentOf(ctx context.Context) string {
	document, _ := ctx.Value(documentKey{}).(string)
	return document
}
