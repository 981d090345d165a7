// Package patience waits in tests for what comes, and gives up when nothing moves: not
// after a time, which a busy machine makes too short and an idle one too long.
//
// What moves is seen from outside: the processor that this test, its workers, browsers and
// programs use (proc(5)), and what whoever waits reports. Time counts as far as the machine
// gives it: where four threads want two processors, a second is half a second. The idea is
// that of a clock of work: see docs/decisions.md.
package patience

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

const (
	// still is for how long nothing moves before a wait ends.
	still = 20 * time.Second
	// most ends a wait in which something moves for ever.
	most = 8 * time.Minute
	// idle is the part of a processor below which nothing is being worked at: a house that
	// waits looks for jobs several times a second.
	idle = 0.2
	// tick is how often waiting looks at what moves.
	tick = time.Second
)

// Wait is one wait. Its zero value is not ready; New makes one.
type Wait struct {
	machine  machine
	pause    time.Duration
	looked   time.Time
	used     time.Duration // of the processors, so far
	unmoved  time.Duration // of the machine's time, since something moved
	all      time.Duration // of the machine's time
	observed string
}

// machine is what a wait sees of where it runs.
type machine struct {
	now   func() time.Time
	sleep func(time.Duration)
	share func() float64       // of what a thread wants, what it gets
	used  func() time.Duration // by this test and all that it started
}

// New begins a wait.
func New() *Wait {
	return begin(machine{time.Now, time.Sleep, share, func() time.Duration { return used("/proc", os.Getpid()) }})
}

func begin(m machine) *Wait { return &Wait{machine: m, looked: m.now(), used: m.used()} }

// Saw reports what is to be seen; another sight than the last one is a move.
func (w *Wait) Saw(sight string) {
	if sight != w.observed {
		w.observed, w.unmoved = sight, 0
	}
}

// Next pauses, and says whether it is worth while to look again.
func (w *Wait) Next() bool {
	w.pause = min(w.pause+w.pause/4+2*time.Millisecond, 100*time.Millisecond)
	w.machine.sleep(w.pause)
	gone := w.machine.now().Sub(w.looked)
	if gone < tick {
		return true
	}
	now, share := w.machine.used(), w.machine.share()
	counted := time.Duration(float64(min(gone, 2*tick)) * share) // a machine that slept gave nothing
	w.all += counted
	if w.unmoved += counted; float64(now-w.used) > idle*float64(gone)*share {
		w.unmoved = 0
	}
	w.looked, w.used = w.looked.Add(gone), now
	return w.unmoved < still && w.all < most
}

// How says how long was waited, as failures tell it.
func (w *Wait) How() string {
	return fmt.Sprintf("nothing moved for %s, waited for %s as far as the machine gave it", w.unmoved.Round(time.Second), w.all.Round(time.Second))
}

// Until waits until something is so; what names it, as fmt.Sprintf does.
func Until(t testing.TB, so func() bool, what ...any) {
	t.Helper()
	w := New()
	for !so() {
		if !w.Next() {
			require.Fail(t, "waited in vain: "+w.How(), what...)
		}
	}
}

// share is the part of a processor that a thread gets which wants a whole one: there are
// so many that want to run (proc_stat(5), procs_running), this one among them.
func share() float64 {
	b, _ := os.ReadFile("/proc/stat")
	return shareOf(b, runtime.NumCPU())
}

func shareOf(stat []byte, processors int) float64 {
	_, after, there := bytes.Cut(stat, []byte("\nprocs_running "))
	line, _, _ := bytes.Cut(after, []byte("\n"))
	running, err := strconv.Atoi(string(line))
	if !there || err != nil || running <= processors {
		return 1
	}
	return float64(processors) / float64(running)
}

// hundredth is the unit of times in proc_pid_stat(5) on every Linux that Debian ships.
const hundredth = 10 * time.Millisecond

// used adds up what a process and all below it have used, those that have ended as well.
func used(proc string, of int) time.Duration {
	stats, _ := filepath.Glob(filepath.Join(proc, "[0-9]*", "stat"))
	parent, spent := map[int]int{}, map[int]time.Duration{}
	for _, path := range stats {
		pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(path)))
		b, err := os.ReadFile(path)
		if err != nil {
			continue // it has ended
		}
		// The name, in brackets, may hold anything.
		fields := bytes.Fields(b[bytes.LastIndexByte(b, ')')+1:])
		if len(fields) < 15 {
			continue
		}
		parent[pid], _ = strconv.Atoi(string(fields[1]))
		for _, f := range fields[11:15] { // utime stime cutime cstime
			n, _ := strconv.ParseInt(string(f), 10, 64)
			spent[pid] += time.Duration(n) * hundredth
		}
	}
	var all time.Duration
	for pid := range spent {
		at := pid
		for n := 0; at > 1 && at != of && n < len(parent); n++ {
			at = parent[at]
		}
		if at == of {
			all += spent[pid]
		}
	}
	return all
}
