package blob

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"
)

// A store may hang: a disk of another machine that is gone, a bucket that takes connections
// and says nothing. Nobody waits for it longer than these times; and once a look at it has
// hung as well, nobody waits at all until one succeeds again.
const (
	// answerWithin is how long an operation may take to its first byte, or to its end
	// where it carries none.
	answerWithin = 8 * time.Second
	// pieceWithin is how long may pass between two pieces of bytes.
	pieceWithin = 15 * time.Second
	// closeWithin is how long a store may take to make what was written durable.
	closeWithin = time.Minute
	// lookEvery is how often a store that is away is looked at, and lookWithin for how long.
	lookEvery  = time.Second
	lookWithin = 2 * time.Second
)

// ErrAway is given for what needs the store while it does not answer. Nothing is known of
// what was being written then.
var ErrAway = errors.New("the blob store does not answer")

// Away says whether an error means that the store cannot be had just now.
func Away(err error) bool { return errors.Is(err, ErrAway) }

// Tally is what the operations of one kind came to.
type Tally struct {
	Done, Failed, Away int64
	Took               time.Duration // all of them together
}

// gate knows whether a store answers, and counts what it did.
type gate struct {
	away    atomic.Bool
	looking atomic.Bool // one look at a time
	closed  chan struct{}
	look    func(context.Context) error
	times   times
	mu      sync.Mutex
	tallies map[string]Tally
}

// times are the bounds of a gate; tests have shorter ones.
type times struct{ answer, piece, close, every, look time.Duration }

func newGate(look func(context.Context) error) *gate {
	return &gate{closed: make(chan struct{}), look: look, times: times{answerWithin, pieceWithin, closeWithin, lookEvery, lookWithin},
		tallies: map[string]Tally{}}
}

// Tallies gives what operations came to so far, by what they do.
func (s *Store) Tallies() map[string]Tally {
	s.gate.mu.Lock()
	defer s.gate.mu.Unlock()
	out := make(map[string]Tally, len(s.gate.tallies))
	for op, t := range s.gate.tallies {
		out[op] = t
	}
	return out
}

// IsAway says whether the store does not answer at the moment.
func (s *Store) IsAway() bool { return s.gate.away.Load() }

func (g *gate) count(op string, begun time.Time, err error) {
	g.mu.Lock()
	defer g.mu.Unlock()
	t := g.tallies[op]
	t.Took += time.Since(begun)
	switch {
	case err == nil, notThere(err), errors.Is(err, io.EOF), errors.Is(err, context.Canceled):
		t.Done++
	case Away(err):
		t.Away++
	default:
		t.Failed++
	}
	g.tallies[op] = t
}

// hung is told that an operation did not answer in time: the store is looked at, and if
// that hangs as well, it is away until a look succeeds.
func (g *gate) hung() {
	if !g.looking.CompareAndSwap(false, true) {
		return
	}
	go func() {
		defer g.looking.Store(false)
		tick := time.NewTicker(g.times.every)
		defer tick.Stop()
		for begun := time.Now(); ; {
			err := g.once()
			switch {
			case err == nil && !g.away.Load():
				return // it was slow, that once
			case err == nil:
				g.away.Store(false)
				slog.Warn("the blob store is back", "after", time.Since(begun).Round(time.Second))
				return
			case !g.away.Swap(true):
				slog.Error("the blob store does not answer: what is in memory goes on", "error", err)
			}
			select {
			case <-tick.C:
			case <-g.closed:
				return
			}
		}
	}()
}

// once looks at the store, within its time even where it does not heed that.
func (g *gate) once() error {
	ctx, cancel := context.WithTimeoutCause(context.Background(), g.times.look, ErrAway)
	defer cancel()
	done := make(chan error, 1)
	go func() { done <- g.look(ctx) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		return ErrAway
	}
}

// within does something with a store and waits for it as long as it may take. What is
// abandoned is told by its context, and what it gives late is dropped; one that cannot hear
// that lies in the operating system until the store comes back, and while it is away no more
// are begun.
func within[T any](ctx context.Context, g *gate, op string, bound time.Duration, do func(context.Context) (T, error), drop func(T)) (T, error) {
	var none T
	if g.away.Load() {
		g.count(op, time.Now(), ErrAway)
		return none, ErrAway
	}
	begun := time.Now()
	doing, abandon := context.WithCancel(ctx)
	type result struct {
		value T
		err   error
	}
	done := make(chan result, 1)
	go func() {
		v, err := do(doing)
		done <- result{v, err}
	}()
	timer := time.NewTimer(bound)
	defer timer.Stop()
	leave := func(err error) (T, error) {
		abandon()
		go func() {
			if late := <-done; late.err == nil && drop != nil {
				drop(late.value)
			}
		}()
		g.count(op, begun, err)
		return none, err
	}
	select {
	case r := <-done:
		g.count(op, begun, r.err)
		if r.err != nil || drop == nil {
			abandon()
			return r.value, r.err
		}
		// What was opened lives by its context until it is closed.
		context.AfterFunc(ctx, abandon)
		return r.value, nil
	case <-timer.C:
		g.hung()
		return leave(ErrAway)
	case <-ctx.Done():
		return leave(ctx.Err())
	}
}

// paced reads a blob that was opened, with a bound to each piece.
type paced struct {
	io.ReadSeekCloser
	ctx  context.Context
	gate *gate
}

func (p paced) Read(b []byte) (int, error) {
	// What comes late is written into a piece that nobody looks at any more.
	piece := make([]byte, min(len(b), 256<<10))
	n, err := within(p.ctx, p.gate, "read on", p.gate.times.piece, func(context.Context) (int, error) { return p.ReadSeekCloser.Read(piece) }, nil)
	return copy(b, piece[:n]), err
}

// flow writes bytes of r to w, with a bound to each piece that w takes: how long r takes is
// not the store's affair. It returns when w does not take any more, whatever hangs.
func flow(ctx context.Context, g *gate, w io.Writer, r io.Reader) (int64, error) {
	var all int64
	for {
		// A piece that hangs is not written over by the next one.
		b := make([]byte, 256<<10)
		n, err := io.ReadFull(r, b)
		if n > 0 {
			m, failed := within(ctx, g, "write on", g.times.piece, func(context.Context) (int, error) { return w.Write(b[:n]) }, nil)
			if all += int64(m); failed != nil {
				return all, failed
			}
		}
		switch {
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			return all, nil
		case err != nil:
			return all, err
		}
	}
}
