package intake

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"
	"unicode"

	"github.com/riverqueue/river"

	"incipit/internal/confined"
	"incipit/internal/core/overlay"
	"incipit/internal/core/scanned"
	"incipit/internal/core/share"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/recognise"
)

// Recogniser reads text in pictures of pages (see package recognise).
type Recogniser interface {
	// Languages are those that it can read, by its own names.
	Languages(ctx context.Context) ([]string, error)
	// Page reads a picture, PNG or JPEG, of so many pixels a point.
	Page(ctx context.Context, picture []byte, pixelsPerPoint float64, languages []string) ([]scanned.Line, error)
}

// RecogniseArgs is the job that reads an edition whose pages are pictures.
type RecogniseArgs struct {
	Recognition int64 `json:"recognition"`
}

// Kind names the job for River.
func (RecogniseArgs) Kind() string { return "recognise" }

// RecogniseQueue is the queue of documents that are read by a program. Their pages take
// turns (see package recognise), so that a long document keeps no short one waiting.
const RecogniseQueue = "recognise"

// MostRecognising is how many documents are under way at once.
const MostRecognising = 6

// InsertOpts bounds the attempts.
func (RecogniseArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 5, Queue: RecogniseQueue}
}

func recogniseJob(recognition int64) river.JobArgs { return RecogniseArgs{recognition} }

// RecognisedBy is who has an edition go to readers that came by itself of another one.
const RecognisedBy = "the recognition of its text"

// recogniseTime is after how long a long document lets the next one have a turn.
const recogniseTime = 10 * time.Minute

// Recognisable are the languages that texts can be recognised in here; none, and why, where
// there is no program for it.
func (in *Intake) Recognisable(ctx context.Context) ([]string, error) {
	if in.Recogniser == nil {
		return nil, cmp.Or(in.NoRecogniser, confined.ErrMissing)
	}
	return in.Recogniser.Languages(ctx)
}

// Recognise has the pages of an edition read that are pictures without text. With atOnce
// readers get the edition that comes of it by itself.
func (in *Intake) Recognise(ctx context.Context, e library.Edition, account int64, languages []string, atOnce bool) error {
	all, err := in.Recognisable(ctx)
	if err != nil {
		return err
	}
	chosen := scanned.Chosen(languages, all)
	switch {
	case len(chosen) == 0:
		return draft.Refused("Choose the language that its pages are in. Nothing was changed.")
	case e.State != library.Ready:
		return draft.Refused("It has not been examined to its end. Nothing was changed.")
	case e.Locked:
		return draft.Refused("The file asks for a password, so nothing can be written into it. Nothing was changed.")
	}
	var by *int64
	if account != 0 {
		by = &account
	}
	return in.Library.Recognise(ctx, &library.Recognition{EditionID: e.ID, AccountID: by, Languages: strings.Join(chosen, "+"), AtOnce: atOnce}, recogniseJob)
}

// RecogniseWorker works the job.
type RecogniseWorker struct {
	river.WorkerDefaults[RecogniseArgs]
	Intake *Intake
}

// Timeout bounds one attempt: a page may take two minutes.
func (*RecogniseWorker) Timeout(*river.Job[RecogniseArgs]) time.Duration { return -1 }

// Work reads on where it was left.
func (w *RecogniseWorker) Work(ctx context.Context, job *river.Job[RecogniseArgs]) error {
	in, id := w.Intake, job.Args.Recognition
	err := in.alone(ctx, job.Kind, id, func(ctx context.Context) error { return in.recognise(share.As(ctx, share.Later), id) })
	if errors.Is(err, database.ErrNotFound) {
		return nil // it was stopped, or its edition removed
	}
	if !inVain(err, job.JobRow) {
		return err
	}
	return errors.Join(err, in.Library.RecognisedNone(context.WithoutCancel(ctx), id, "It could not be read, though it was tried several times; the file is not to blame."))
}

func (in *Intake) recognise(ctx context.Context, id int64) error {
	r, err := in.Library.Recognition(ctx, id)
	if err != nil || !r.Going() {
		return err
	}
	e, err := in.Library.Edition(ctx, r.EditionID)
	if err != nil {
		return err
	}
	if in.Recogniser == nil {
		return in.Library.RecognisedNone(ctx, id, "The program that reads pictures is no longer installed on the server.")
	}
	begun := time.Now()
	for r.Done < min(e.Pages, scanned.MostPages) {
		if time.Since(begun) > recogniseTime {
			return river.JobSnooze(time.Second)
		}
		page := r.Done + 1
		lines, had, err := in.recognisePage(ctx, e, page, r.In())
		if err != nil {
			return fmt.Errorf("recognise page %d of edition %d: %w", page, e.ID, err)
		}
		legible := scanned.Legible(lines)
		r.Done = page
		if had {
			r.Had++
		} else if len(lines) > 0 && len(legible) == 0 {
			r.Unsure = append(r.Unsure, page)
		}
		if err := in.Library.RecognisedSoFar(ctx, r, legible); err != nil {
			return err
		}
	}
	texts, err := in.Library.RecognisedLines(ctx, id)
	if err != nil {
		return err
	}
	said := ""
	if len(texts) == 0 {
		said = nothingRead(r)
	} else if err = in.becomeRecognised(ctx, r, e, texts); err != nil {
		if said = whyNot(err); said == "" {
			return err
		}
	}
	if said != "" {
		return in.Library.RecognisedNone(ctx, id, said)
	}
	return nil
}

// nothingRead says why no edition comes of a document that was read.
func nothingRead(r library.Recognition) string {
	switch {
	case r.Had == r.Done:
		return "Every page has text already. Nothing was changed."
	case len(r.Unsure) > 0:
		return "Too much of it would have been guessed: it may be written by hand, in another language, or too poor a picture. Nothing was changed."
	}
	return "No letters were found in its pictures. Nothing was changed."
}

// whyNot says what of a file is to blame that no edition came, or "".
func whyNot(err error) string {
	var problem *pdf.Problem
	switch {
	case errors.As(err, &problem):
		return problem.Message + " Nothing was changed."
	case errors.Is(err, library.ErrTooManyEditions):
		return "This document has as many editions as it may have: remove some that readers never saw."
	}
	return ""
}

// recognisePage reads one page, unless it has text, which is said, or is blank.
func (in *Intake) recognisePage(ctx context.Context, e library.Edition, page int, languages []string) (lines []scanned.Line, had bool, err error) {
	src := source(ctx, in.Blobs, e)
	layer, err := in.Engine.Layer(ctx, src, page)
	if err != nil {
		return nil, false, unlessFile(err)
	}
	if slices.ContainsFunc(layer.Runs, func(r overlay.Run) bool {
		return strings.ContainsFunc(r.Text, func(c rune) bool { return !unicode.IsSpace(c) })
	}) {
		return nil, true, nil
	}
	small, err := smallImage(ctx, in.Engine, src, page, looksWidth)
	if err != nil || small == nil || blank(small) {
		return nil, false, unlessFile(err)
	}
	width := e.AllSheets()[page-1].Width
	picture, err := in.Engine.Image(ctx, src, page, max(int(width/72*recognise.Resolution), 1))
	if err != nil {
		return nil, false, unlessFile(err)
	}
	lines, err = in.Recogniser.Page(recognise.Of(ctx, e.SHA256), picture.Bytes, float64(picture.Width)/width, languages)
	if errors.Is(err, recognise.ErrFailed) && ctx.Err() == nil {
		return nil, false, nil // one page that cannot be read keeps nobody from the others
	}
	return lines, false, err
}

// unlessFile gives an error, but not one that a page of the file is to blame for: the others
// are read all the same.
func unlessFile(err error) error {
	if pdf.KindOf(err) != "" {
		return nil
	}
	return err
}

// becomeRecognised makes an edition of one that was read: the file that came, and behind it
// what was recognised.
func (in *Intake) becomeRecognised(ctx context.Context, r library.Recognition, e library.Edition, texts map[int][]scanned.Line) error {
	addition, err := in.Engine.Amend(ctx, source(ctx, in.Blobs, e), pdf.Said{Texts: texts})
	if err != nil {
		return err
	}
	file, err := in.Blobs.Open(ctx, e.BlobKey)
	if err != nil {
		return fmt.Errorf("read the file: %w", err)
	}
	defer file.Close()
	d, err := in.Library.Document(ctx, e.DocumentID)
	if err != nil {
		return err
	}
	_, err = in.store(ctx, e.FileName, io.MultiReader(file, bytes.NewReader(addition)), func(ctx context.Context, made *library.Edition) error {
		cover, err := in.Engine.Cover(ctx, source(ctx, in.Blobs, *made))
		if err != nil {
			return fmt.Errorf("open what was made of edition %d: %w", e.ID, err)
		}
		if cover.Pages != e.Pages {
			return pdf.Problemf(pdf.Unwritable, "Nothing can be written into this file: with an addition its pages would be others.")
		}
		made.FileName, made.Pages, made.PagesKnown, made.Sheets = e.FileName, cover.Pages, 1, e.Sheets[:1]
		made.AddedBy, made.RecognisedIn = r.AccountID, r.Languages
		made.Recognised = slices.Compact(slices.Sorted(slices.Values(slices.AppendSeq(slices.Clone(e.Recognised), maps.Keys(texts)))))
		made.Alternatives = e.Alternatives     // they are of the same objects
		if r.AtOnce && d.Edition == e.Number { // another one that came into force meanwhile stays so
			now := time.Now().UTC()
			made.LiveAt, made.LiveBy = &now, RecognisedBy
		}
		return in.Library.AddRecognised(ctx, r.ID, e.DocumentID, made, examineJob)
	})
	return err
}
