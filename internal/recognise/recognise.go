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
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"incipit/internal/confined"
	"incipit/internal/core/scanned"
)

// Bounds of one page.
const (
	within     = 2 * time.Minute
	mostMemory = 2 << 30  // bytes of address space
	mostOutput = 32 << 20 // bytes of one file that it writes
	mostCPU    = 110      // seconds
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
	room *confined.Room
	once sync.Once
	all  []string
	err  error
}

// Find looks for the programs that are needed, or gives confined.ErrMissing.
func Find() (*Recogniser, error) {
	room, err := confined.Find("tesseract", "recognise", confined.Bounds{Memory: mostMemory, File: mostOutput, CPU: mostCPU})
	if err != nil {
		return nil, err
	}
	room.Set = []string{"OMP_THREAD_LIMIT", "1"} // its threads win little, and take others' processors
	return &Recogniser{room: room}, nil
}

var code = regexp.MustCompile(`^[A-Za-z_]{3,30}$`)

// Languages are those that it can read, by its own names for them.
func (r *Recogniser) Languages(ctx context.Context) ([]string, error) {
	r.once.Do(func() {
		if r.err = r.room.Works(ctx); r.err != nil {
			return
		}
		r.err = r.room.Within(func(folder string) error {
			out, err := r.room.Command(context.WithoutCancel(ctx), folder, "/usr/bin/tesseract", "--list-langs").Output()
			if err != nil {
				return fmt.Errorf("ask which languages can be read: %w", err)
			}
			for _, line := range strings.Split(string(out), "\n") {
				if line = strings.TrimSpace(line); code.MatchString(line) {
					r.all = append(r.all, line)
				}
			}
			return nil
		})
	})
	return r.all, r.err
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
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()
	var out []scanned.Line
	err = r.room.Within(func(folder string) error {
		if err := os.WriteFile(filepath.Join(folder, "page"), picture, 0o600); err != nil {
			return fmt.Errorf("lay a picture out to be read: %w", err)
		}
		mode := "3" // finds columns and lines
		if slices.Contains(all, "osd") {
			mode = "1" // and sees how the page is turned
		}
		var said bytes.Buffer
		read := func(mode string) error {
			said.Reset()
			cmd := r.room.Command(ctx, folder, "/usr/bin/tesseract", "/work/page", "/work/read", "--psm", mode, "--dpi", fmt.Sprintf("%.0f", max(min(pixelsPerPoint*72, 2400), 70)),
				"-l", strings.Join(languages, "+"), "hocr")
			cmd.Stdout, cmd.Stderr = &said, &said
			cmd.WaitDelay = 5 * time.Second
			return cmd.Run()
		}
		err := read(mode)
		if err != nil && ctx.Err() == nil && mode == "1" { // how a page of few letters is turned cannot be told
			err = read("3")
		}
		b, missing := os.ReadFile(filepath.Join(folder, "read.hocr"))
		if err != nil || missing != nil {
			return fmt.Errorf("%w: %w; it said: %.500s", ErrFailed, errors.Join(err, ctx.Err(), missing), said.String())
		}
		out, err = lines(b, 1/pixelsPerPoint)
		return err
	})
	return out, err
}
