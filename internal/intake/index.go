package intake

import (
	"context"
	"errors"
	"fmt"
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

// mostSlow is after how many pages that took too long the rest of a document is
// taken to have no text.
const mostSlow = 4

// IndexArgs is the job that reads the text of every page of an edition, for
// finding words and for the text view.
type IndexArgs struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (IndexArgs) Kind() string { return "index" }

// InsertOpts bounds the attempts.
func (IndexArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 5, Queue: IndexQueue}
}

func indexJob(edition int64) river.JobArgs { return IndexArgs{Edition: edition} }

// Indexer works the job.
type Indexer struct {
	river.WorkerDefaults[IndexArgs]
	Intake *Intake
}

// Timeout bounds one attempt: 10,000 dense pages take ten minutes.
func (*Indexer) Timeout(*river.Job[IndexArgs]) time.Duration { return 30 * time.Minute }

// Work reads what has not been read yet. A page that cannot be read has no
// text.
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
	slow := 0
	for from := e.Indexed + 1; from <= e.Pages; from += indexedAtOnce {
		to := min(from+indexedAtOnce-1, e.Pages)
		var texts []library.PageText
		for page := from; page <= to; page++ {
			var layer pdf.Layer
			var err error
			if slow < mostSlow {
				layer, err = in.Engine.Layer(ctx, src, page)
			}
			if pdf.KindOf(err) == pdf.TookTooLong {
				slow++
			}
			var problem *pdf.Problem
			if err != nil && !errors.As(err, &problem) {
				return fmt.Errorf("read the text of page %d of edition %d: %w", page, e.ID, err)
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
	return nil
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
