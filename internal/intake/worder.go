package intake

import (
	"context"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/library"
)

// WordArgs is the job that makes the index of an edition's words, by which documents are
// found.
type WordArgs struct {
	Edition int64 `json:"edition"`
}

// Kind names the job for River.
func (WordArgs) Kind() string { return "word" }

// InsertOpts bounds the attempts.
func (WordArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 5, Queue: IndexQueue}
}

func wordJob(edition int64) river.JobArgs { return WordArgs{Edition: edition} }

// Worder works the job.
type Worder struct {
	river.WorkerDefaults[WordArgs]
	Intake *Intake
}

// Timeout bounds one attempt: 10,000 dense pages take three minutes.
func (*Worder) Timeout(*river.Job[WordArgs]) time.Duration { return 15 * time.Minute }

// Work makes the index of one edition; made twice, it is the same. Then comes what is wrong
// with the edition.
func (w *Worder) Work(ctx context.Context, job *river.Job[WordArgs]) error {
	return w.Intake.alone(ctx, job.Kind, job.Args.Edition, func(ctx context.Context) error {
		e, there, err := w.Intake.edition(ctx, job.Args.Edition)
		if err != nil || !there || e.State != library.Ready {
			return err
		}
		if err := w.Intake.Library.KeepWords(ctx, e); err != nil || e.Locked {
			return err
		}
		if err := w.Intake.Library.Later(ctx, ReportArgs{Edition: e.ID, Advance: true}); err != nil {
			return err
		}
		return w.Intake.mend(ctx, e.ID) // another edition says what its document does
	})
}
