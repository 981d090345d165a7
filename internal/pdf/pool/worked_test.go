package pool

import (
	"context"
	"os"
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"incipit/internal/pdf"
)

// What ends a request is what its worker worked, and never how long that took.
func TestVerdicts(t *testing.T) {
	const deadline = 20 * time.Second
	for name, x := range map[string]struct {
		worked  time.Duration
		begun   time.Duration // ago
		still   time.Duration // since it moved
		wants   bool
		reading bool
		busy    bool // other programs want the processors
		others  int  // workers that are at work, this one among them
		want    verdict
	}{
		"it has just begun":                    {0, 0, 0, true, false, false, 1, goOn},
		"alone, below the deadline":            {deadline - 1, time.Minute, 0, true, false, false, 1, goOn},
		"alone, at the deadline":               {deadline, deadline, 0, true, false, false, 1, overran},
		"beside another worker":                {2 * deadline, time.Minute, 0, true, false, false, 2, goOn},
		"beside another worker, far beyond":    {3 * deadline, time.Minute, 0, true, false, false, 2, overran},
		"on a busy machine":                    {3*deadline - 1, time.Hour / 4, 0, true, false, true, 1, goOn},
		"a fiftieth of a processor":            {18 * time.Second, 15 * time.Minute, 0, true, false, true, 3, goOn},
		"hardly any of a processor":            {time.Second, longest, 0, true, false, true, 3, notYet},
		"it waits for its turn on a processor": {time.Second, time.Minute, silent, true, false, true, 1, goOn},
		"it waits for bytes":                   {time.Second, time.Minute, silent, false, true, false, 1, goOn},
		"it sleeps":                            {time.Second, time.Minute, silent - time.Second, false, false, false, 1, goOn},
		"it sleeps for long":                   {time.Second, time.Minute, silent, false, false, false, 1, stuck},
	} {
		t.Run(name, func(t *testing.T) {
			p := &Pool{options: Options{clock: clock{func(int) (time.Duration, bool) { return time.Hour + x.worked, x.wants },
				func() bool { return x.busy }}}}
			for range x.others {
				p.lanes = append(p.lanes, &lane{busy: true})
			}
			w := &process{cmd: &exec.Cmd{Process: &os.Process{Pid: 1}}}
			if x.reading {
				w.since.Store(1)
			}
			now := time.Now()
			begun := &watch{pool: p, process: w, deadline: deadline, begun: now.Add(-x.begun), before: time.Hour, work: x.worked, moved: now.Add(-x.still)}
			assert.Equal(t, x.want, begun.look())
		})
	}
}

// Once others were at work beside it, it is not held to what it would take alone.
func TestBesideIsRemembered(t *testing.T) {
	worked := time.Second
	p := &Pool{lanes: []*lane{{busy: true}, {busy: true}}}
	p.options.clock = clock{func(int) (time.Duration, bool) { return worked, true }, func() bool { return false }}
	w := p.watch(&process{cmd: &exec.Cmd{Process: &os.Process{Pid: 1}}}, 10*time.Second)
	assert.Equal(t, goOn, w.look())
	p.lanes[1].busy = false
	worked = 12 * time.Second
	assert.Equal(t, goOn, w.look())
	worked = 31 * time.Second
	assert.Equal(t, overran, w.look())
}

func TestTheShorterBoundHolds(t *testing.T) {
	p := &Pool{options: Options{Deadline: 20 * time.Second}}
	assert.Equal(t, 20*time.Second, p.deadlineOf(context.Background()))
	assert.Equal(t, 2*time.Second, p.deadlineOf(pdf.Within(context.Background(), 2*time.Second)))
	assert.Equal(t, 20*time.Second, p.deadlineOf(pdf.Within(context.Background(), time.Minute)))
}
