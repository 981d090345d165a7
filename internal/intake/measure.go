package intake

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/core/legible"
	"incipit/internal/core/share"
	"incipit/internal/library"
	"incipit/internal/pdf"
	"incipit/internal/press"
)

// MostMeasured is how many pages of an edition have their type measured: all
// of most documents, a fair sample of long ones.
const MostMeasured = 120

// measuredAtOnce is how many pages are measured by one request: dense ones take
// a tenth of a second each.
const measuredAtOnce = 20

// MeasureType measures the type of a document of so many pages. Those whose type is too
// much for the engine are left out, and named.
func MeasureType(ctx context.Context, engine pdf.Engine, src pdf.Source, pages, most int) (t legible.Type, left []int, err error) {
	t = legible.Type{Pages: []legible.Page{}, Of: pages}
	err = spans(legible.Sample(pages, most), measuredAtOnce, func(pages []int) error {
		within := ctx
		if len(left) >= mostSlow {
			within = pdf.Within(ctx, inShort)
		}
		part, err := engine.Type(within, src, pages)
		t.Pages = append(t.Pages, part...)
		return err
	}, func(page int) { left = append(left, page) })
	if err != nil {
		return t, left, fmt.Errorf("measure the type: %w", err)
	}
	return t, left, nil
}

// MeasureArgs is the job that measures an edition's type and weighs page 1.
type MeasureArgs struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (MeasureArgs) Kind() string { return "measure" }

// InsertOpts bounds the attempts.
func (MeasureArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: mostTries, Queue: MeasureQueue}
}

func measureJob(edition int64) river.JobArgs { return MeasureArgs{Edition: edition} }

// Measurer works the job.
type Measurer struct {
	river.WorkerDefaults[MeasureArgs]
	Intake *Intake
	Press  *press.Press
}

// Timeout sets no bound: each request has the engine's.
func (*Measurer) Timeout(*river.Job[MeasureArgs]) time.Duration { return -1 }

// NextRetry is when it is tried again after something that is not the file's fault.
func (*Measurer) NextRetry(job *river.Job[MeasureArgs]) time.Time { return nextTry(job.JobRow) }

// Work measures one edition. What cannot be measured for the file's own fault
// stays unknown; any other error is tried again, and stays unknown at last:
// nobody waits for ever.
func (w *Measurer) Work(ctx context.Context, job *river.Job[MeasureArgs]) error {
	return w.Intake.alone(ctx, job.Kind, job.Args.Edition, func(ctx context.Context) error { return w.work(ctx, job) })
}

func (w *Measurer) work(ctx context.Context, job *river.Job[MeasureArgs]) error {
	in := w.Intake
	e, there, err := in.edition(ctx, job.Args.Edition)
	if err != nil || !there {
		return err
	}
	if e.State != library.Ready || e.Measured {
		return nil
	}
	if err := in.afterComparing(ctx, e); err != nil {
		return err
	}
	var problem *pdf.Problem
	ctx = share.As(ctx, share.Later)
	t, left, err := MeasureType(ctx, in.Engine, source(ctx, in.Blobs, e), e.Pages, MostMeasured)
	last := job.Attempt >= job.MaxAttempts
	if err != nil && !errors.As(err, &problem) && !last {
		return fmt.Errorf("measure edition %d: %w", e.ID, err)
	}
	images, err := w.weigh(ctx, e)
	if err != nil && !last {
		return fmt.Errorf("weigh edition %d: %w", e.ID, err)
	}
	if len(left) > 0 {
		if err := in.Library.KeepUnread(ctx, e.ID, "type", left); err != nil {
			return err
		}
	}
	return in.Library.MeasuredAs(ctx, e.ID, t, images)
}

// weigh makes page 1's image at every width and notes its bytes. Readers find
// the images made. A width that the page is too large for has none.
func (w *Measurer) weigh(ctx context.Context, e library.Edition) (map[int]int64, error) {
	out := map[int]int64{}
	file := press.File{SHA256: e.SHA256, BlobKey: e.BlobKey, Bytes: e.Bytes}
	for _, width := range press.Ladder() {
		image, err := w.Press.Image(ctx, file, 1, width)
		var problem *pdf.Problem
		switch {
		case pdf.KindOf(err) == pdf.TookTooLong:
			return out, nil // wider ones take longer
		case errors.As(err, &problem):
			continue
		case err != nil:
			return out, err
		}
		out[width] = int64(len(image.Bytes))
	}
	return out, nil
}
