package app

import (
	"context"
	"sync"
	"time"

	"github.com/riverqueue/river/rivertype"

	"incipit/internal/database"
)

// lookEvery is how often it is looked whether another server has gone in the midst of a job.
const lookEvery = 20 * time.Second

// atWork are the jobs that this process is at, or was a moment ago: when each ended, or the
// zero time. At most as many are kept as are worked in database.Unheard.
type atWork struct {
	mu   sync.Mutex
	jobs map[int64]time.Time
}

// worked notes that a job is worked, for as long as it lasts.
func (w *atWork) worked(ctx context.Context, job *rivertype.JobRow, work func(context.Context) error) error {
	w.note(job.ID, time.Time{})
	defer func() { w.note(job.ID, time.Now()) }()
	return work(ctx)
}

func (w *atWork) note(job int64, ended time.Time) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.jobs == nil {
		w.jobs = map[int64]time.Time{}
	}
	w.jobs[job] = ended
}

// at says whether a job is worked here, or was a moment ago.
func (w *atWork) at(job int64) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	_, ok := w.jobs[job]
	return ok
}

// forget lets go of what ended long ago.
func (w *atWork) forget(now time.Time) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for job, ended := range w.jobs {
		if !ended.IsZero() && now.Sub(ended) > database.Unheard {
			delete(w.jobs, job)
		}
	}
}

// handBack has jobs go on that were cut off: by the end of another process, or because their
// end could not be noted here.
func (a *App) handBack(ctx context.Context) error {
	a.atWork.forget(time.Now())
	n, err := a.DB.HandBack(ctx, a.leases, a.jobs.ID(), a.atWork.at)
	if n > 0 {
		a.log.Info("jobs that were cut off go on", "jobs", n)
	}
	return err
}

// lookAfter hands back what another server left, while this one works.
func (a *App) lookAfter(ctx context.Context) {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
		if err := a.handBack(ctx); err != nil && ctx.Err() == nil && !a.DB.IsAway() {
			a.log.Warn("jobs that were cut off do not go on yet", "error", err)
		}
	}
}
