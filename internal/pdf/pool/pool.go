// Package pool runs the PDF engine in worker subprocesses.
//
// Every worker answers one request at a time. Whose turn it is says core/share:
// a document, or somebody who asks for much, waits among itself. A document has
// a worker it prefers, where it is open already. A request that overruns its
// deadline costs the worker its life: it is killed by pid and a new one is
// started; what counts is the time of a processor that the worker used, so that a busy
// machine condemns no file. A document that did so is for some time served by the last worker
// only, and no document may hold all workers at once, so that one file cannot
// keep others waiting.
//
// A worker that ends without an answer may have been ended by the file or by
// something else: the machine's memory, an operator. Its request is tried again
// alone, all other workers resting and their memory given back; a file is blamed
// only when it ended two fresh workers then.
package pool

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"log/slog"
	"maps"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2/expirable"

	"incipit/internal/core/legible"
	"incipit/internal/core/share"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
)

// Options say how to run workers.
type Options struct {
	// Command starts a worker: the program and its arguments.
	Command []string
	// Workers is how many run at once.
	Workers int
	// Waiting is how many requests may wait; 0 is 64. The house's own are not
	// counted.
	Waiting int
	// Deadline is the work that one request may take, as time of a processor.
	Deadline time.Duration
	Log      *slog.Logger

	clock clock
}

const (
	// slowFrom is the work that a request takes which makes its document a slow one.
	slowFrom = 5 * time.Second
	// remembered is for how long a document is a slow one, or to blame.
	remembered = 15 * time.Minute
	mostNamed  = 2000 // documents and requests remembered as such
	// mostBlames is after how many blamed requests the whole document is.
	mostBlames = 3
)

// Pool is a pdf.Engine over worker subprocesses.
type Pool struct {
	options Options
	lanes   []*lane
	line    *share.Line
	slow    *lru.LRU[string, bool]         // documents that overran, by ID
	blamed  *lru.LRU[string, *pdf.Problem] // requests that ended workers
	blames  *lru.LRU[string, int]          // how many, by document
	// quiet is held to read by every request, and whole by one that runs alone.
	quiet   sync.RWMutex
	mu      sync.Mutex
	figures map[string]float64 // see Figures
	running map[string]int     // requests at work, by document
	closed  bool
	begun   bool  // a worker has started
	trouble error // why the last one did not
	under   sync.WaitGroup
}

var _ pdf.Engine = (*Pool)(nil)

// lane is the place of one worker. Whoever was given it owns the process.
type lane struct {
	busy    bool
	process *process
	work    time.Duration // that its last request took, as far as it was looked at
}

// Open makes a pool. Workers start when they are first needed, or by Warm.
func Open(options Options) *Pool {
	if options.Log == nil {
		options.Log = slog.New(slog.DiscardHandler)
	}
	if options.Waiting == 0 {
		options.Waiting = 64
	}
	p := &Pool{options: options, running: map[string]int{}, figures: map[string]float64{},
		slow:   lru.NewLRU[string, bool](mostNamed, nil, remembered),
		blamed: lru.NewLRU[string, *pdf.Problem](mostNamed, nil, remembered),
		blames: lru.NewLRU[string, int](mostNamed, nil, remembered)}
	n := max(options.Workers, 1)
	for range n {
		p.lanes = append(p.lanes, &lane{})
	}
	p.line = share.NewLine(share.Rules{Places: n, Waiting: options.Waiting, PerDocument: max(n-1, 1), Later: max(n-1, 1), Free: p.free,
		Take: p.take, Left: p.left})
	return p
}

// Warm starts every worker, one after the other: the first one compiles the
// engine into its cache folder if need be.
func (p *Pool) Warm(ctx context.Context) error {
	for _, l := range p.lanes {
		if err := ctx.Err(); err != nil {
			return err
		}
		p.quiet.Lock() // nobody is at work: every lane is ours
		_, err := p.exchange(l, wire.Ask{Op: wire.Warm}, nil, starting)
		p.quiet.Unlock()
		if err != nil {
			return fmt.Errorf("warm a worker: %w", err)
		}
	}
	return nil
}

// Ready says, by its error, why no worker can be started; while one is at work,
// or waits for work, all is well.
func (p *Pool) Ready(ctx context.Context) error {
	p.mu.Lock()
	well := p.begun && p.trouble == nil
	p.mu.Unlock()
	if well {
		return nil
	}
	_, err := p.do(ctx, pdf.Source{ID: "ready"}, wire.Ask{Op: wire.Warm})
	return err
}

// Close ends every worker and waits for the requests under way.
func (p *Pool) Close() {
	p.mu.Lock()
	p.closed = true
	p.mu.Unlock()
	p.under.Wait()
	p.quiet.Lock()
	defer p.quiet.Unlock()
	p.rest()
}

// rest ends the workers. quiet is held whole.
func (p *Pool) rest() {
	for _, l := range p.lanes {
		if l.process != nil {
			l.process.kill()
			l.process = nil
		}
	}
}

// ErrClosed is given for requests to a closed pool.
var ErrClosed = errors.New("the PDF engine is closed")

// do sends one request and waits for its answer. Who goes away while waiting for
// a worker no longer waits; what a worker has begun it ends.
func (p *Pool) do(ctx context.Context, src pdf.Source, ask wire.Ask) (wire.Answer, error) {
	if src.Size > pdf.MaxBytes {
		return wire.Answer{}, pdf.Problemf(pdf.TooLarge, "The file is larger than 4 GiB.")
	}
	ask.ID, ask.Size, ask.Password, ask.Layers, ask.Units = src.ID, src.Size, src.Password, src.Layers, src.Units
	p.mu.Lock()
	if p.closed {
		p.mu.Unlock()
		return wire.Answer{}, ErrClosed
	}
	p.under.Add(1)
	p.mu.Unlock()
	defer p.under.Done()
	if problem, known := p.toBlame(ask); known {
		return wire.Answer{}, problem
	}
	at, leave, err := p.line.Enter(ctx, share.Asker{Document: src.ID, Origin: share.Origin(ctx), Class: share.ClassOf(ctx)})
	if err != nil {
		if errors.Is(err, share.ErrFull) {
			p.count("refused: too many wait")
		}
		return wire.Answer{}, err
	}
	defer leave()
	answer, err := p.work(p.lanes[at], ask, src, p.deadlineOf(ctx))
	pdf.Worked(ctx, p.lanes[at].work)
	if pdf.KindOf(err) == pdf.TookTooLong || p.lanes[at].work > min(slowFrom, p.options.Deadline) {
		p.slow.Add(src.ID, true)
	}
	return answer, err
}

// count adds one to a figure.
func (p *Pool) count(figure string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.figures[figure]++
}

// Figures gives what happened since the start: requests that were refused, by why, and
// workers that were replaced.
func (p *Pool) Figures() map[string]float64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return maps.Clone(p.figures)
}

// Waiting counts the requests that wait for a worker.
func (p *Pool) Waiting() int { return p.line.Waiting() }

// free says whether a worker is free for somebody. A document that is at work
// already leaves one worker for others; a slow one has the last alone.
func (p *Pool) free(who share.Asker) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	n := 0
	for _, l := range p.lanes {
		if !l.busy {
			n++
		}
	}
	last := p.lanes[len(p.lanes)-1]
	if _, slow := p.slow.Peek(who.Document); slow {
		return !last.busy
	}
	return n > 1 || n == 1 && p.running[who.Document] == 0
}

// take gives the worker that has a document open, or another.
func (p *Pool) take(who share.Asker) int {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.running[who.Document]++
	at := len(p.lanes) - 1
	if _, slow := p.slow.Peek(who.Document); !slow {
		h := fnv.New32a()
		h.Write([]byte(who.Document))
		at = int(h.Sum32() % uint32(len(p.lanes))) //nolint:gosec // a few lanes
		for i := range p.lanes {
			if !p.lanes[at].busy {
				break
			}
			at = i
		}
	}
	p.lanes[at].busy = true
	return at
}

// left gives a worker back.
func (p *Pool) left(at int, who share.Asker) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.lanes[at].busy = false
	if p.running[who.Document]--; p.running[who.Document] == 0 {
		delete(p.running, who.Document)
	}
}

// Cover implements pdf.Engine.
func (p *Pool) Cover(ctx context.Context, src pdf.Source) (pdf.Cover, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Cover})
	return a.Cover, err
}

// Sheets implements pdf.Engine.
func (p *Pool) Sheets(ctx context.Context, src pdf.Source, from, to int) ([]sheet.Sheet, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Sheets, Page: from, To: to})
	return a.Sheets, err
}

// Facts implements pdf.Engine.
func (p *Pool) Facts(ctx context.Context, src pdf.Source) (pdf.Facts, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Facts})
	// gob sends no empty lists; a document without headings still has a list.
	if a.Facts.Outline == nil {
		a.Facts.Outline = []pdf.Heading{}
	}
	if a.Facts.Fields == nil {
		a.Facts.Fields = []pdf.Field{}
	}
	return a.Facts, err
}

// Fields implements pdf.Engine.
func (p *Pool) Fields(ctx context.Context, src pdf.Source, from, to int) ([]pdf.Field, bool, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Fields, Page: from, To: to})
	return a.Fields, a.Text, err
}

// Layer implements pdf.Engine.
func (p *Pool) Layer(ctx context.Context, src pdf.Source, page int) (pdf.Layer, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Layer, Page: page})
	return a.Layer, err
}

// Type implements pdf.Engine.
func (p *Pool) Type(ctx context.Context, src pdf.Source, pages []int) ([]legible.Page, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Type, Pages: pages})
	return a.Type, err
}

// Image implements pdf.Engine.
func (p *Pool) Image(ctx context.Context, src pdf.Source, page, width int) (pdf.PageImage, error) {
	a, err := p.do(ctx, src, wire.Ask{Op: wire.Image, Page: page, Width: width})
	return a.Image, err
}
