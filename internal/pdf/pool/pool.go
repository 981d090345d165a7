// Package pool runs the PDF engine in worker subprocesses.
//
// Every worker answers one request at a time. A document has a worker it
// prefers, where it is open already; when that one is busy for long, another
// takes the request. A request that overruns its deadline costs the worker its
// life: it is killed by pid and a new one is started. A document that did so
// is from then on served by the last worker only, and no document may hold all
// workers at once, so that one file cannot keep others waiting.
package pool

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"log/slog"
	"reflect"
	"sync"
	"time"

	"incipit/internal/core/legible"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
)

// Options say how to run workers.
type Options struct {
	// Command starts a worker: the program and its arguments.
	Command []string
	// Workers is how many run at once; at least two are.
	Workers int
	// Deadline is what one request may take.
	Deadline time.Duration
	Log      *slog.Logger
}

// patience is how long a request waits for the worker that has its document
// open before it takes any that is free.
const patience = 40 * time.Millisecond

// Pool is a pdf.Engine over worker subprocesses.
type Pool struct {
	options Options
	lanes   []*lane
	mu      sync.Mutex
	slow    map[string]bool          // documents that overran, by ID
	claims  map[string]chan struct{} // how many workers a document holds
	waiting map[string]int           // requests per document, to drop its claims
	closed  bool
	running sync.WaitGroup
}

var _ pdf.Engine = (*Pool)(nil)

// lane is the place of one worker. Whoever holds its token owns the process.
type lane struct {
	token   chan struct{}
	process *process
}

// Open makes a pool. Workers start when they are first needed, or by Warm.
func Open(options Options) *Pool {
	if options.Log == nil {
		options.Log = slog.New(slog.DiscardHandler)
	}
	p := &Pool{options: options, slow: map[string]bool{}, claims: map[string]chan struct{}{}, waiting: map[string]int{}}
	for range max(options.Workers, 2) {
		l := &lane{token: make(chan struct{}, 1)}
		l.token <- struct{}{}
		p.lanes = append(p.lanes, l)
	}
	return p
}

// Warm starts every worker, one after the other: the first one compiles the
// engine into its cache folder if need be.
func (p *Pool) Warm(ctx context.Context) error {
	for _, l := range p.lanes {
		select {
		case <-l.token:
		case <-ctx.Done():
			return ctx.Err()
		}
		// Compiling may take longer than any request about a file.
		_, err := p.exchange(ctx, l, wire.Ask{Op: wire.Warm}, nil, 3*time.Minute)
		l.token <- struct{}{}
		if err != nil {
			return fmt.Errorf("warm a worker: %w", err)
		}
	}
	return nil
}

// Close ends every worker and waits for the requests under way.
func (p *Pool) Close() {
	p.mu.Lock()
	p.closed = true
	p.mu.Unlock()
	p.running.Wait()
	for _, l := range p.lanes {
		<-l.token
		if l.process != nil {
			l.process.kill()
			l.process = nil
		}
	}
}

// ErrClosed is given for requests to a closed pool.
var ErrClosed = errors.New("the PDF engine is closed")

// do sends one request and waits for its answer. A caller that goes away does
// not stop the worker: the answer is dropped, the worker stays warm.
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
	p.running.Add(1)
	p.mu.Unlock()
	claim := p.claim(src.ID)
	select {
	case claim <- struct{}{}:
	case <-ctx.Done():
		p.release(src.ID)
		p.running.Done()
		return wire.Answer{}, ctx.Err()
	}
	l, err := p.take(ctx, src.ID)
	if err != nil {
		<-claim
		p.release(src.ID)
		p.running.Done()
		return wire.Answer{}, err
	}
	type result struct {
		answer wire.Answer
		err    error
	}
	done := make(chan result, 1)
	go func() {
		defer p.running.Done()
		defer p.release(src.ID)
		answer, err := p.exchange(context.WithoutCancel(ctx), l, ask, src.Bytes, p.options.Deadline)
		if pdf.KindOf(err) == pdf.TookTooLong {
			p.mu.Lock()
			p.slow[src.ID] = true
			p.mu.Unlock()
		}
		l.token <- struct{}{}
		<-claim
		done <- result{answer, err}
	}()
	select {
	case r := <-done:
		return r.answer, r.err
	case <-ctx.Done():
		return wire.Answer{}, ctx.Err()
	}
}

// claim counts a request for a document and gives the channel that bounds how
// many workers it holds: all but one.
func (p *Pool) claim(id string) chan struct{} {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.claims[id] == nil {
		p.claims[id] = make(chan struct{}, len(p.lanes)-1)
	}
	p.waiting[id]++
	return p.claims[id]
}

func (p *Pool) release(id string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.waiting[id]--; p.waiting[id] == 0 {
		delete(p.waiting, id)
		delete(p.claims, id)
	}
}

// take waits for a worker: the preferred one, or after a moment any.
func (p *Pool) take(ctx context.Context, id string) (*lane, error) {
	p.mu.Lock()
	slow := p.slow[id]
	p.mu.Unlock()
	last := p.lanes[len(p.lanes)-1]
	if slow {
		select {
		case <-last.token:
			return last, nil
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	h := fnv.New32a()
	h.Write([]byte(id))
	preferred := p.lanes[h.Sum32()%uint32(len(p.lanes))]
	wait := time.NewTimer(patience)
	defer wait.Stop()
	select {
	case <-preferred.token:
		return preferred, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-wait.C:
	}
	cases := []reflect.SelectCase{{Dir: reflect.SelectRecv, Chan: reflect.ValueOf(ctx.Done())}}
	for _, l := range p.lanes {
		cases = append(cases, reflect.SelectCase{Dir: reflect.SelectRecv, Chan: reflect.ValueOf(l.token)})
	}
	i, _, _ := reflect.Select(cases)
	if i == 0 {
		return nil, ctx.Err()
	}
	return p.lanes[i-1], nil
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
