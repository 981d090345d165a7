package placing

import (
	"context"
	"time"

	"github.com/riverqueue/river"
)

// CarryQueue is the queue of the job: one at a time, as changes go one after the other.
const CarryQueue = "carry"

// CarryArgs is the job that carries what is left to be carried. It is of nothing in
// particular: two of them share the work.
type CarryArgs struct{}

// Kind names the job for River.
func (CarryArgs) Kind() string { return "carry" }

// InsertOpts bounds the attempts.
func (CarryArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{MaxAttempts: 5, Queue: CarryQueue}
}

// Carrier works the job.
type Carrier struct {
	river.WorkerDefaults[CarryArgs]
	Placer *Placer
}

// Timeout bounds one attempt: 10,000 placements take a few seconds.
func (*Carrier) Timeout(*river.Job[CarryArgs]) time.Duration { return 10 * time.Minute }

// Work carries on until nothing is left. What was carried is kept as it goes, so that
// another attempt, or another server, goes on from there.
func (w *Carrier) Work(ctx context.Context, _ *river.Job[CarryArgs]) error {
	for {
		more, err := w.Placer.CarryOn(ctx)
		if err != nil || !more {
			return err
		}
	}
}

// Resume makes sure that what is left to be carried has a job: after a crash nobody else
// may be at it.
func Resume(ctx context.Context, s *Placer) error {
	return s.ResumeCarrying(ctx, CarryArgs{})
}
