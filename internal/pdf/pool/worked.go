package pool

import (
	"bytes"
	"context"
	"os"
	"runtime"
	"strconv"
	"time"

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
	return used("/proc", pid)
}

func (c clock) isBusy() bool {
	if c.busy != nil {
		return c.busy()
	}
	return crowded("/proc/stat")
}

// hundredth is the unit of the times in proc_pid_stat(5), on every machine Go runs on.
const hundredth = 10 * time.Millisecond

// used gives what a process has used of the processors and whether it wants more at the
// moment: one of its threads runs, waits to run, or waits for a disk.
func used(proc string, pid int) (work time.Duration, wants bool) {
	folder := proc + "/" + strconv.Itoa(pid)
	state, fields := statOf(folder + "/stat")
	if len(fields) < 15 {
		return 0, false
	}
	for _, f := range fields[11:13] { // utime, stime
		n, _ := strconv.ParseInt(string(f), 10, 64)
		work += time.Duration(n) * hundredth
	}
	if wanting(state) {
		return work, true
	}
	threads, _ := os.ReadDir(folder + "/task")
	for _, t := range threads {
		if state, _ := statOf(folder + "/task/" + t.Name() + "/stat"); wanting(state) {
			return work, true
		}
	}
	return work, false
}

// wanting says whether a state is that of a thread that would go on if it could. A stopped
// one (T) would, too.
func wanting(state byte) bool { return state == 'R' || state == 'D' || state == 'T' || state == 't' }

// statOf reads a line of proc_pid_stat(5) from behind the name, which may hold anything.
func statOf(path string) (state byte, fields [][]byte) {
	b, err := os.ReadFile(path)
	if err != nil {
		return 0, nil
	}
	fields = bytes.Fields(b[bytes.LastIndexByte(b, ')')+1:])
	if len(fields) > 0 && len(fields[0]) == 1 {
		state = fields[0][0]
	}
	return state, fields
}

// crowded says whether more threads want to run than there are processors
// (proc_stat(5), procs_running).
func crowded(path string) bool {
	b, _ := os.ReadFile(path)
	_, after, there := bytes.Cut(b, []byte("\nprocs_running "))
	line, _, _ := bytes.Cut(after, []byte("\n"))
	running, err := strconv.Atoi(string(line))
	return there && err == nil && running > runtime.NumCPU()
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
