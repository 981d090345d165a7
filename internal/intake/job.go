package intake

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"incipit/internal/core/naming"
	"incipit/internal/core/share"
	"incipit/internal/database"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// ExamineArgs is the job that reads the whole of an edition.
type ExamineArgs struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (ExamineArgs) Kind() string { return "examine" }

// The queues of the jobs: what somebody waits for does not wait behind what is
// made in advance, nor behind the texts of long documents.
const (
	ExamineQueue = "examine"
	MeasureQueue = "measure"
	IndexQueue   = "index"
)

// InsertOpts bounds the attempts.
func (ExamineArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: mostTries, Queue: ExamineQueue}
}

func examineJob(edition int64) river.JobArgs { return ExamineArgs{Edition: edition} }

// Examiner works the job.
type Examiner struct {
	river.WorkerDefaults[ExamineArgs]
	Intake *Intake
}

// Timeout sets no bound: each request has the engine's.
func (*Examiner) Timeout(*river.Job[ExamineArgs]) time.Duration { return -1 }

// NextRetry is when it is tried again after something that is not the file's fault.
func (*Examiner) NextRetry(job *river.Job[ExamineArgs]) time.Time { return nextTry(job.JobRow) }

// mostTries is how often an attempt may fail for something that is not the file's fault: a
// store that is away, an engine that cannot be had. With nextTry that is some nine hours.
const mostTries = 60

// nextTry is when a job that failed is tried again: at first soon, then every ten minutes.
func nextTry(job *rivertype.JobRow) time.Time {
	return time.Now().Add(min(time.Duration(job.Attempt*job.Attempt)*time.Second, 10*time.Minute))
}

// Work examines one edition. A problem of the file is noted and ends the job;
// any other error is tried again.
func (w *Examiner) Work(ctx context.Context, job *river.Job[ExamineArgs]) error {
	return w.Intake.alone(ctx, job.Kind, job.Args.Edition, func(ctx context.Context) error { return w.work(ctx, job) })
}

func (w *Examiner) work(ctx context.Context, job *river.Job[ExamineArgs]) error {
	in := w.Intake
	ctx = share.As(ctx, share.Soon)
	e, there, err := in.edition(ctx, job.Args.Edition)
	if err != nil || !there {
		return err
	}
	if e.State != library.Examining {
		return nil
	}
	found, err := Examine(ctx, in.Engine, source(ctx, in.Blobs, e), 1, func(done, pages int) error {
		return in.Library.ExaminedSoFar(ctx, e.ID, done)
	})
	var problem *pdf.Problem
	switch {
	case err == nil:
		if err := in.Library.Examined(ctx, e.ID, found.Sheets, found.Facts, found.Text, found.Unread, next(found, e.ID)...); err != nil {
			return err
		}
		if own := naming.Title(found.Facts.Title, e.FileName); own != "" && e.Number == 1 {
			if err := in.Library.TakeTitle(ctx, e.DocumentID, TitleOf(e.FileName), own); err != nil {
				return err
			}
		}
		return in.compareWithCurrent(ctx, e)
	case errors.As(err, &problem):
		slog.ErrorContext(ctx, "a document cannot be used", "document", e.DocumentID, "file", e.FileName, "sha256", e.SHA256, "cause",
			problem.Message)
		return in.Library.ExaminationFailed(ctx, e.ID, problem)
	case job.Attempt >= job.MaxAttempts:
		return errors.Join(err, in.Library.ExaminationFailed(ctx, e.ID,
			pdf.Problemf("failed", "The file could not be examined, though it was tried several times; the file is not to blame.")))
	}
	return fmt.Errorf("examine edition %d: %w", e.ID, err)
}

// busy is how long a job waits for another process that is at the same.
const busy = 10 * time.Second

// alone does the work of a job while nobody else is at the same; else it comes again.
func (in *Intake) alone(ctx context.Context, kind string, edition int64, work func(context.Context) error) error {
	if in.Leases == nil {
		return work(ctx)
	}
	release, ok, err := in.Leases.Take(ctx, kind, edition)
	if err != nil {
		return err
	}
	if !ok {
		return river.JobSnooze(busy)
	}
	defer release()
	return work(ctx)
}

// edition reads the edition that a job is about; it may have been removed
// meanwhile.
func (in *Intake) edition(ctx context.Context, id int64) (e library.Edition, there bool, err error) {
	e, err = in.Library.Edition(ctx, id)
	if errors.Is(err, database.ErrNotFound) {
		return e, false, nil
	}
	return e, err == nil, err
}

// next are the jobs that follow an examination.
func next(found Found, edition int64) []river.JobArgs {
	jobs := []river.JobArgs{measureJob(edition)}
	if found.Text {
		return append(jobs, indexJob(edition))
	}
	return append(jobs, wordJob(edition))
}

// Again has an edition examined anew, whatever came of it before.
func (in *Intake) Again(ctx context.Context, edition int64) error {
	return in.Library.ExamineAgain(ctx, edition, examineJob)
}

// Resume makes sure that all that is unfinished has a job.
func (in *Intake) Resume(ctx context.Context) (int, error) {
	return in.Library.Resume(ctx, library.Jobs{
		Examine: examineJob, Measure: measureJob, Index: indexJob, Word: wordJob, Mend: mendJob, Recognise: recogniseJob, Fetch: fetchJob,
		Report:  func(edition int64) river.JobArgs { return ReportArgs{Edition: edition} },
		Compare: func(before, edition int64) river.JobArgs { return CompareArgs{Before: before, Edition: edition} },
	})
}
