package pool

import (
	"context"
	"time"

	"incipit/internal/machine"
	"incipit/internal/pdf"
)

// A request is bounded by what its worker works at it, not by the time that goes by: on a
// busy machine a worker that gets a fiftieth of a processor is fifty times as slow, and no
// file is to blame for that.
const (
	// looked is how often a request under way is looked at.
	looked = 50 * time.Millisecond
	// beside is how many times the deadline a request may take while other workers, or
	// other programs, are at work: they share caches and memory with it, so that the same
	// work takes more of the processor. Only what ran alone is held to the deadline itself.
	beside = 3
	// silent is for how long a worker neither works nor wants to before it is taken to be
	// stuck. Waiting for the file's bytes does not count.
	silent = 30 * time.Second
	// longest ends a request of a worker that hardly gets any of the processor; what asked
	// is told that it is not yet, and nothing is held against the file.
	longest = 20 * time.Minute
)

// clock measures what workers work. The zero value asks the operating system.
type clock struct {
	used func(pid int) (work time.Duration, wants bool) // of the processors, so far
	busy func() bool                                    // others want the processors, too
}

func (c clock) workOf(pid int) (time.Duration, bool) {
	if c.used != nil {
		return c.used(pid)
	}
	u := machine.UseOf(pid)
	return u.Work, u.Wants
}

func (c clock) isBusy() bool {
	if c.busy != nil {
		return c.busy()
	}
	return machine.ShareOfProcessor() < 1
}

// watch follows one request of a worker.
type watch struct {
	pool     *Pool
	process  *process
	deadline time.Duration
	begun    time.Time
	before   time.Duration // work, when the request came
	work     time.Duration // since
	beside   bool          // others were at work meanwhile
	moved    time.Time     // when it last worked, wanted to, or waited for bytes
}

func (p *Pool) watch(w *process, deadline time.Duration) *watch {
	now := time.Now()
	before, _ := p.options.clock.workOf(w.cmd.Process.Pid)
	return &watch{pool: p, process: w, deadline: deadline, begun: now, before: before, moved: now}
}

// verdict is what is to become of a request under way.
type verdict int

const (
	goOn    verdict = iota
	overran         // it took more work than a request may
	stuck           // its worker does nothing
	notYet          // it takes too long, and not by what it works
)

// spent gives the work so far; of a worker that has ended, what was seen of it.
func (t *watch) spent() time.Duration {
	work, _ := t.pool.options.clock.workOf(t.process.cmd.Process.Pid)
	t.work = max(work-t.before, t.work)
	return t.work
}

func (t *watch) look() verdict {
	now := time.Now()
	work, wants := t.pool.options.clock.workOf(t.process.cmd.Process.Pid)
	work -= t.before
	if wants || work > t.work || t.process.since.Load() > 0 {
		t.moved = now
	}
	t.work = max(work, t.work)
	t.beside = t.beside || t.pool.atWork() > 1 || t.pool.options.clock.isBusy()
	limit := t.deadline
	if t.beside {
		limit *= beside
	}
	switch {
	case t.work >= limit:
		return overran
	case now.Sub(t.moved) >= silent:
		return stuck
	case now.Sub(t.begun) >= longest:
		return notYet
	}
	return goOn
}

// atWork counts the workers that are at work.
func (p *Pool) atWork() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	n := 0
	for _, l := range p.lanes {
		if l.busy {
			n++
		}
	}
	return n
}

// deadlineOf gives the work that a request with a context may take.
func (p *Pool) deadlineOf(ctx context.Context) time.Duration {
	if most, ok := pdf.WorkOf(ctx); ok && most < p.options.Deadline {
		return most
	}
	return p.options.Deadline
}
