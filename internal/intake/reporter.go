package intake

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/core/report"
	"incipit/internal/core/share"
	"incipit/internal/library"
	"incipit/internal/pdf"
)

// ReportArgs is the job that says what is wrong with an edition for people who do not see
// its pages.
type ReportArgs struct {
	Edition int64 `json:"edition"`
	// Advance: nobody has asked yet; it is reported on when the first hurry is over.
	Advance bool `json:"advance,omitempty"`
}

// reportAfter is when a file is reported on that nobody has asked about: whoever adds many
// has them read first.
const reportAfter = 2 * time.Minute

// Kind names the job for River.
func (ReportArgs) Kind() string { return "report" }

// InsertOpts bounds the attempts; reports wait with what else is read in advance.
func (a ReportArgs) InsertOpts() river.InsertOpts {
	o := river.InsertOpts{MaxAttempts: 5, Queue: IndexQueue}
	if a.Advance {
		o.ScheduledAt = time.Now().Add(reportAfter)
	}
	return o
}

// ReportLater has an edition reported on, once, and reads what is known by now.
func (in *Intake) ReportLater(ctx context.Context, edition int64) (library.Report, error) {
	return in.Library.ReportLater(ctx, edition, ReportArgs{Edition: edition})
}

// Reporter works the job.
type Reporter struct {
	river.WorkerDefaults[ReportArgs]
	Intake *Intake
}

// reportTime is after how long no further page is read.
const reportTime = 10 * time.Minute

// Timeout bounds one attempt.
func (*Reporter) Timeout(*river.Job[ReportArgs]) time.Duration { return reportTime + 2*time.Minute }

// Work reports on one edition. What is wrong with opening the file is noted and ends the
// job.
func (w *Reporter) Work(ctx context.Context, job *river.Job[ReportArgs]) error {
	if job.Args.Advance { // unless somebody asked meanwhile
		_, there, err := w.Intake.edition(ctx, job.Args.Edition)
		if err == nil && there {
			_, err = w.Intake.ReportLater(ctx, job.Args.Edition)
		}
		return err
	}
	err := w.Intake.alone(ctx, job.Kind, job.Args.Edition, func(ctx context.Context) error { return w.work(ctx, job.Args.Edition) })
	if !inVain(err, job.JobRow) {
		return err
	}
	return errors.Join(err, w.Intake.Library.KeepReport(context.WithoutCancel(ctx), library.Report{EditionID: job.Args.Edition,
		Trouble: "The file could not be looked into, though it was tried several times; it is not to blame."}))
}

func (w *Reporter) work(ctx context.Context, id int64) error {
	in := w.Intake
	e, there, err := in.edition(ctx, id)
	if err != nil || !there {
		return err
	}
	r := library.Report{EditionID: id}
	if e.Locked {
		r.Trouble = "The file asks for a password, which is kept nowhere: it is not looked into."
		return in.Library.KeepReport(ctx, r)
	}
	ctx = share.As(ctx, share.Later)
	d, err := ToReport(ctx, in.Engine, source(ctx, in.Blobs, e), e.FileName, 1, reportTime)
	var problem *pdf.Problem
	switch {
	case errors.As(err, &problem):
		r.Trouble = problem.Message
	case err != nil:
		return fmt.Errorf("report on edition %d: %w", id, err)
	default:
		found := report.Of(d)
		r.Result = &found
		if d.Unread > 0 {
			r.Trouble = fmt.Sprintf("%d of %d pages were not read: that would have taken too long.", d.Unread, len(d.Pages))
		}
	}
	if err := in.Library.KeepReport(ctx, r); err != nil || r.Result == nil {
		return err
	}
	// Who waits has what was found; pictures of pages take longer.
	closely, err := LookClosely(ctx, in.Engine, source(ctx, in.Blobs, e), e.AllSheets())
	if err != nil {
		slog.WarnContext(ctx, "a document was not looked at closely", "edition", id, "error", err)
		closely = &report.Closely{}
	}
	d.Closely = closely
	found := report.Of(d)
	r.Result = &found
	return in.Library.KeepReport(ctx, r)
}
