package intake

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/core/find"
	"incipit/internal/core/share"
	"incipit/internal/core/textflow"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// indexedAtOnce is how many pages are kept in one go: a job that was cut off
// loses no more than that.
const indexedAtOnce = 25

// IndexArgs is the job that reads the text of every page of an edition, for
// finding words and for the text view.
type IndexArgs struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (IndexArgs) Kind() string { return "index" }

// InsertOpts bounds the attempts.
func (IndexArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: mostTries, Queue: IndexQueue}
}

func indexJob(edition int64) river.JobArgs { return IndexArgs{Edition: edition} }

// Indexer works the job.
type Indexer struct {
	river.WorkerDefaults[IndexArgs]
	Intake *Intake
}

// Timeout sets no bound: each page has the engine's, what is read is kept, and a stop
// ends it.
func (*Indexer) Timeout(*river.Job[IndexArgs]) time.Duration { return -1 }

// NextRetry is when it goes on after something that is not the file's fault.
func (*Indexer) NextRetry(job *river.Job[IndexArgs]) time.Time { return nextTry(job.JobRow) }

// Work reads what has not been read yet. A page that cannot be read is named.
func (w *Indexer) Work(ctx context.Context, job *river.Job[IndexArgs]) error {
	return w.Intake.alone(ctx, job.Kind, job.Args.Edition, func(ctx context.Context) error { return w.work(ctx, job) })
}

func (w *Indexer) work(ctx context.Context, job *river.Job[IndexArgs]) error {
	in := w.Intake
	ctx = share.As(ctx, share.Later)
	e, there, err := in.edition(ctx, job.Args.Edition)
	if err != nil || !there {
		return err
	}
	if e.State != library.Ready || e.Indexed >= e.Pages {
		return nil
	}
	if err := in.afterComparing(ctx, e); err != nil {
		return err
	}
	learner := textflow.NewLearner()
	for from := 1; from <= e.Indexed; from += indexedAtOnce {
		known, err := in.Library.PageTexts(ctx, e.ID, from, min(from+indexedAtOnce-1, e.Indexed))
		if err != nil {
			return err
		}
		for _, p := range known {
			layer, err := p.Unpacked()
			if err != nil {
				return err
			}
			learner.Add(FlowPage(e, p.Page, layer))
		}
	}
	src, err := in.pictures(ctx, e)
	if err != nil {
		return err
	}
	unread := keepTo(e.Unread.Text, e.Indexed)
	for from := e.Indexed + 1; from <= e.Pages; from += indexedAtOnce {
		to := min(from+indexedAtOnce-1, e.Pages)
		var texts []library.PageText
		for page := from; page <= to; page++ {
			layer, lost, err := in.layer(ctx, src, page, len(unread))
			if err != nil {
				return fmt.Errorf("read the text of page %d of edition %d: %w", page, e.ID, err)
			}
			if lost {
				unread = append(unread, page)
			}
			layer.Runs = textflow.InOrder(FlowPage(e, page, layer))
			learner.Add(FlowPage(e, page, layer))
			packed, err := library.PackLayer(layer)
			if err != nil {
				return err
			}
			plain := find.Of(layer.Runs).Plain()
			texts = append(texts, library.PageText{EditionID: e.ID, Page: page, Plain: plain, Folded: find.Fold(plain), Layer: packed})
		}
		if len(unread) > 0 || len(e.Unread.Text) > 0 {
			if err := in.Library.KeepUnread(ctx, e.ID, "text", unread); err != nil {
				return err
			}
		}
		// The style comes before the last pages: who sees them all indexed has it.
		if to == e.Pages {
			if err := in.Library.KeepFlow(ctx, e.ID, learner.Style()); err != nil {
				return err
			}
		}
		var after []river.JobArgs
		if to == e.Pages {
			after = append(after, wordJob(e.ID))
		}
		if err := in.Library.KeepTexts(ctx, e.ID, texts, to, after...); err != nil {
			return err
		}
	}
	// An examination that could not look said that there may be text.
	if len(unread) == 0 {
		return in.Library.TextlessIf(ctx, e.ID)
	}
	return nil
}

// layer reads a page's text; lost says that it could not be read: it is broken, or more than
// the engine may spend on a page. Where many were too much already, each gets less, and in
// the end nothing.
func (in *Intake) layer(ctx context.Context, src pdf.Source, page, already int) (layer pdf.Layer, lost bool, err error) {
	if already >= mostLost {
		return layer, true, nil
	}
	if already >= mostSlow {
		ctx = pdf.Within(ctx, inShort)
	}
	layer, err = in.Engine.Layer(ctx, src, page)
	var problem *pdf.Problem
	if errors.As(err, &problem) {
		return pdf.Layer{}, true, nil
	}
	return layer, false, err
}

// keepTo gives the pages up to one.
func keepTo(pages []int, last int) []int {
	at, _ := slices.BinarySearch(pages, last+1)
	return slices.Clone(pages[:at])
}

// comparedFirst is for how long an edition waits, until it has been compared, to be measured
// and to have its text read.
const comparedFirst = 5 * time.Minute

// afterComparing has a job wait while an edition is compared: an editor waits for what it
// changes, while nobody finds words in it before it is in force.
func (in *Intake) afterComparing(ctx context.Context, e library.Edition) error {
	compared, err := in.Library.BeingCompared(ctx, e.ID)
	if err == nil && compared && time.Since(e.CreatedAt) < comparedFirst {
		return river.JobSnooze(2 * time.Second)
	}
	return err
}

// mostEntries bounds the entries of the outline that are looked for on one page.
const mostEntries = 200

// FlowPage is a page of an edition as the text view needs it.
func FlowPage(e library.Edition, page int, layer pdf.Layer) textflow.Page {
	s := e.AllSheets()[page-1]
	p := textflow.Page{Number: page, Label: s.Label, Width: s.Width, Height: s.Height, Runs: layer.Runs, Links: layer.Links,
		Blocks: layer.Blocks, Figures: layer.Figures}
	for _, h := range e.Facts.Outline {
		if h.Page == page && len(p.Outline) < mostEntries {
			p.Outline = append(p.Outline, textflow.Entry{Title: h.Title, Level: h.Level})
		}
	}
	return p
}
