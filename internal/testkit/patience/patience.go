// Package patience waits in tests for what comes, and gives up when nothing moves: not
// after a time, which a busy machine makes too short and an idle one too long.
//
// What moves is seen from outside: the processor that this test, its workers, browsers and
// programs use (proc(5)), and what whoever waits reports. Time counts as far as the machine
// gives it: where four threads want two processors, a second is half a second. The idea is
// that of a clock of work: see docs/decisions.md.
package patience

import (
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"incipit/internal/machine"
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
	around   surroundings
	pause    time.Duration
	looked   time.Time
	used     time.Duration // of the processors, so far
	unmoved  time.Duration // of the machine's time, since something moved
	all      time.Duration // of the machine's time
	observed string
}

// surroundings are what a wait sees of where it runs.
type surroundings struct {
	now   func() time.Time
	sleep func(time.Duration)
	share func() float64       // of what a thread wants, what it gets
	used  func() time.Duration // by this test and all that it started
}

// New begins a wait.
func New() *Wait {
	return begin(surroundings{time.Now, time.Sleep, machine.ShareOfProcessor, func() time.Duration { return machine.UseBelow(os.Getpid()).Work }})
}

func begin(m surroundings) *Wait { return &Wait{around: m, looked: m.now(), used: m.used()} }

// Saw reports what is to be seen; another sight than the last one is a move.
func (w *Wait) Saw(sight string) {
	if sight != w.observed {
		w.observed, w.unmoved = sight, 0
	}
}

// Next pauses, and says whether it is worth while to look again.
func (w *Wait) Next() bool {
	w.pause = min(w.pause+w.pause/4+2*time.Millisecond, 100*time.Millisecond)
	w.around.sleep(w.pause)
	gone := w.around.now().Sub(w.looked)
	if gone < tick {
		return true
	}
	now, share := w.around.used(), w.around.share()
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
