package intake

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"github.com/riverqueue/river"

	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
	"incipit/internal/placing"
)

// DueArgs is the job that does what has a time: looks at addresses that are followed, gives
// editions to readers, and proofs placements that are no longer as they were. It is worked
// once a minute.
type DueArgs struct{}

// Kind names the job for River.
func (DueArgs) Kind() string { return "due" }

// InsertOpts has it tried once: the next minute tries again.
func (DueArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{MaxAttempts: 1} }

// DueEvery is how often that job is worked.
const DueEvery = time.Minute

// mostProofs is how many times some placements are proofed in one minute.
const mostProofs = 10

// Clock works the job.
type Clock struct {
	river.WorkerDefaults[DueArgs]
	Intake *Intake
}

// Work does what is due. What one thing is in the way of keeps nothing else waiting.
func (w *Clock) Work(ctx context.Context, _ *river.Job[DueArgs]) error {
	_, looks := w.Intake.LookAtDue(ctx)
	live := w.Intake.GoLive(ctx, time.Now())
	var proofs error
	for n := 0; n < mostProofs && proofs == nil; n++ {
		var done int
		if done, proofs = w.Intake.Placing.ProofDue(ctx); done == 0 {
			break
		}
	}
	return errors.Join(looks, live, proofs)
}

// GoLive gives editions to readers whose time has come. One that is still being examined, or
// compared with what readers see, waits for that: places in it would lead elsewhere.
func (in *Intake) GoLive(ctx context.Context, now time.Time) error {
	due, err := in.Library.DueEditions(ctx, now)
	if err != nil {
		return err
	}
	var all error
	for _, d := range due {
		why, wait, err := in.goLive(ctx, d)
		switch {
		case err != nil:
			slog.ErrorContext(ctx, "an edition did not go to readers at its time", "document", d.DocumentID, "edition", d.Number, "error", err)
			all = errors.Join(all, err)
		case wait:
		default:
			all = errors.Join(all, in.Library.LiveNot(ctx, d, why))
		}
	}
	return all
}

// goLive gives one edition to readers, or says why not, or that it has to wait.
func (in *Intake) goLive(ctx context.Context, d library.Due) (why string, wait bool, err error) {
	if d.Number == d.InForce {
		return "", false, nil
	}
	e, err := in.Library.EditionOf(ctx, d.DocumentID, d.Number)
	if err != nil {
		return "", false, err
	}
	// What was recognised is of the edition that was in force then, and of no newer one.
	if d.By == RecognisedBy {
		turns, err := in.Library.Turns(ctx, d.DocumentID)
		if err != nil {
			return "", false, err
		}
		if len(turns) > 0 && turns[0].MadeAt.After(e.CreatedAt) {
			return "Another edition came into force meanwhile.", false, nil
		}
	}
	before, err := in.Library.EditionOf(ctx, d.DocumentID, d.InForce)
	if err != nil {
		return "", false, err
	}
	if e.State == library.Examining {
		return "", true, nil
	}
	if e.State == library.Ready {
		if err := in.CompareLater(ctx, before, e); err != nil {
			return "", false, err
		}
	}
	where, known, err := in.Library.Where(ctx, before, e)
	if err != nil || e.State == library.Ready && !known {
		return "", true, err
	}
	err = in.Placing.TurnTo(ctx, d.DocumentID, d.InForce, d.Number, 0, d.By, where)
	var refused draft.Refused
	switch {
	case errors.Is(err, placing.ErrStale):
		return "", true, nil // another one came into force just now: the next minute looks again
	case errors.As(err, &refused):
		return string(refused), false, nil
	case errors.Is(err, database.ErrNotFound):
		return "", false, nil
	}
	return "", false, err
}
