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

// budget is how long the engine may be at measuring and weighing one document:
// what is not known by then stays unknown.
const budget = 90 * time.Second

// MeasureType measures the type of a document of so many pages.
func MeasureType(ctx context.Context, engine pdf.Engine, src pdf.Source, pages, most int) (legible.Type, error) {
	t := legible.Type{Pages: []legible.Page{}, Of: pages}
	sample := legible.Sample(pages, most)
	for from := 0; from < len(sample); from += measuredAtOnce {
		part, err := engine.Type(ctx, src, sample[from:min(from+measuredAtOnce, len(sample))])
		if err != nil {
			return t, fmt.Errorf("measure the type: %w", err)
		}
		t.Pages = append(t.Pages, part...)
	}
	return t, nil
}

// MeasureArgs is the job that measures an edition's type and weighs page 1.
type MeasureArgs struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (MeasureArgs) Kind() string { return "measure" }

// InsertOpts bounds the attempts.
func (MeasureArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 5, Queue: MeasureQueue}
}

func measureJob(edition int64) river.JobArgs { return MeasureArgs{Edition: edition} }

// Measurer works the job.
type Measurer struct {
	river.WorkerDefaults[MeasureArgs]
	Intake *Intake
	Press  *press.Press
}

// Timeout bounds one attempt.
func (*Measurer) Timeout(*river.Job[MeasureArgs]) time.Duration { return 10 * time.Minute }

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
	begun := time.Now()
	t, err := MeasureType(ctx, in.Engine, source(ctx, in.Blobs, e), e.Pages, MostMeasured)
	last := job.Attempt >= job.MaxAttempts
	if err != nil && !errors.As(err, &problem) && !last {
		return fmt.Errorf("measure edition %d: %w", e.ID, err)
	}
	images, err := w.weigh(ctx, e, begun.Add(budget))
	if err != nil && !last {
		return fmt.Errorf("weigh edition %d: %w", e.ID, err)
	}
	return in.Library.MeasuredAs(ctx, e.ID, t, images)
}

// weigh makes page 1's image at every width and notes its bytes. Readers find
// the images made. A width that the page is too large for has none.
func (w *Measurer) weigh(ctx context.Context, e library.Edition, until time.Time) (map[int]int64, error) {
	out := map[int]int64{}
	file := press.File{SHA256: e.SHA256, BlobKey: e.BlobKey, Bytes: e.Bytes}
	for _, width := range press.Ladder() {
		image, err := w.Press.Image(ctx, file, 1, width)
		var problem *pdf.Problem
		switch {
		case pdf.KindOf(err) == pdf.TookTooLong, time.Now().After(until):
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
