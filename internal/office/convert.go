package office

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"incipit/internal/confined"
	"incipit/internal/core/share"
)

// Bounds of one conversion.
const (
	mostAddress = 4 << 30   // bytes of address space, of which it fills a small part
	mostFolder  = 512 << 20 // bytes that it writes
	mostOutput  = 500 << 20 // bytes of the PDF
	mostWork    = 90 * time.Second
	// soon is the work in which nearly all conversions are done. One that is not makes way
	// for others and begins anew among those that last.
	soon = 20 * time.Second
)

// ErrMissing is given where LibreOffice is not installed, ErrUnconfined where no process can
// be confined, and ErrFailed where nothing came of a file.
var (
	ErrMissing    = confined.ErrMissing
	ErrUnconfined = confined.ErrUnconfined
	ErrFailed     = errors.New("nothing came of the file")
)

// Packages are what Debian's apt-get has to install for it.
const Packages = "libreoffice-writer-nogui libreoffice-calc-nogui libreoffice-impress-nogui bubblewrap"

// Converter makes PDFs. It is made by Find.
type Converter struct {
	room  *confined.Room
	quick *share.Line // all conversions at first
	long  *share.Line // those that last

	soon, most time.Duration // the work of either
}

// waits is how many conversions wait in a line; beyond, who has most under way is refused.
const waits = 40

// Find looks for the programs that are needed, or gives ErrMissing or ErrUnconfined. Of the
// machine's memory rooms conversions at once may have resident bytes each.
func Find(rooms, resident int) (*Converter, error) {
	room, err := confined.Find("soffice", confined.Bounds{Address: mostAddress, Resident: resident, Folder: mostFolder, Output: mostOutput, Work: mostWork})
	if err != nil {
		return nil, err
	}
	room.Also = []string{"/etc/fonts", "/etc/libreoffice"}
	return newConverter(room, rooms), nil
}

// newConverter shares rooms out: with two or more, one is for those that last, so that they
// never hold the others.
func newConverter(room *confined.Room, rooms int) *Converter {
	c := &Converter{room: room, soon: soon, most: mostWork}
	c.quick = share.NewLine(share.Rules{Places: max(rooms-1, 1), Waiting: waits})
	c.long = c.quick
	if rooms > 1 {
		c.long = share.NewLine(share.Rules{Places: 1, Waiting: waits})
	}
	return c
}

// Convert makes a tagged PDF of a file at a path, and hands it to take while it is there.
func (c *Converter) Convert(ctx context.Context, path string, kind Kind, take func(pdf *os.File) error) error {
	if err := c.room.Works(ctx); err != nil {
		return err
	}
	made, err := os.CreateTemp("", "incipit-made-")
	if err != nil {
		return fmt.Errorf("lay out what is made of a file: %w", err)
	}
	defer os.Remove(made.Name())
	defer made.Close()
	for _, turn := range []struct {
		line *share.Line
		work time.Duration
	}{{c.quick, c.soon}, {c.long, c.most}} {
		err = c.convert(ctx, turn.line, turn.work, path, kind, made)
		if !errors.Is(err, confined.ErrOverran) {
			break
		}
	}
	if err != nil {
		return err
	}
	if _, err := made.Seek(0, io.SeekStart); err != nil {
		return fmt.Errorf("read what was made of a file: %w", err)
	}
	return take(made)
}

// convert waits for its turn and writes a PDF within so much work.
func (c *Converter) convert(ctx context.Context, line *share.Line, work time.Duration, path string, kind Kind, to *os.File) error {
	_, leave, err := line.Enter(ctx, share.Asker{Document: path, Origin: share.Origin(ctx), Class: share.ClassOf(ctx)})
	if err != nil {
		return err
	}
	defer leave()
	if err := to.Truncate(0); err != nil {
		return fmt.Errorf("lay out what is made of a file: %w", err)
	}
	if _, err := to.Seek(0, io.SeekStart); err != nil {
		return fmt.Errorf("lay out what is made of a file: %w", err)
	}
	filter := map[Kind]string{Spreadsheet: "calc", WordSheet: "calc", Presentation: "impress", WordSlides: "impress"}[kind]
	if filter == "" {
		filter = "writer"
	}
	room := c.room.With(work)
	in := "document." + string(kind) // what the file is called decides nothing
	said, err := room.Run(ctx, confined.Task{File: path, As: in, Gives: "made/document.pdf", Args: []string{
		"/usr/bin/soffice", "-env:UserInstallation=file:///tmp/profile", "--headless", "--norestore", "--nolockcheck", "--convert-to",
		"pdf:" + filter + `_pdf_Export:{"UseTaggedPDF":{"type":"boolean","value":"true"},"ExportBookmarks":{"type":"boolean","value":"true"}}`,
		"--outdir", "/work/made", "/work/" + in}}, to)
	switch {
	case err == nil, ctx.Err() != nil, errors.Is(err, confined.ErrNotYet), errors.As(err, new(*os.PathError)):
		return err
	case errors.Is(err, confined.ErrOverran) && work < c.most:
		return err
	}
	// It ends well also where it wrote nothing: what would give it out does not.
	return fmt.Errorf("%w: %w; it said: %.500s", ErrFailed, err, said)
}
