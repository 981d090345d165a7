package press

import (
	"context"
	"errors"
	"sync"
)

// flights make something once, however many ask for it at the same time. Who
// waits may go away; when nobody waits any more, what was not begun is not made.
// The zero value is ready.
type flights struct {
	mu    sync.Mutex
	all   map[string]*flight
	under sync.WaitGroup
}

type flight struct {
	waiting int
	landed  chan struct{}
	cancel  context.CancelFunc
	b       []byte
	err     error
}

// fly makes something under a name. The context that produce is given has the
// values of whoever asked first, and ends when nobody waits.
func (f *flights) fly(ctx context.Context, name string, produce func(context.Context) ([]byte, error)) ([]byte, error) {
	for {
		one := f.join(ctx, name, produce)
		select {
		case <-one.landed:
		case <-ctx.Done():
			f.leave(one)
			return nil, ctx.Err()
		}
		// Somebody else's going away may have ended it as we came.
		if errors.Is(one.err, context.Canceled) && ctx.Err() == nil {
			continue
		}
		return one.b, one.err
	}
}

func (f *flights) join(ctx context.Context, name string, produce func(context.Context) ([]byte, error)) *flight {
	f.mu.Lock()
	defer f.mu.Unlock()
	if one, under := f.all[name]; under {
		one.waiting++
		return one
	}
	own, cancel := context.WithCancel(context.WithoutCancel(ctx))
	one := &flight{waiting: 1, landed: make(chan struct{}), cancel: cancel}
	if f.all == nil {
		f.all = map[string]*flight{}
	}
	f.all[name] = one
	f.under.Add(1)
	go func() {
		defer f.under.Done()
		defer cancel()
		one.b, one.err = produce(own)
		f.mu.Lock()
		delete(f.all, name)
		f.mu.Unlock()
		close(one.landed)
	}()
	return one
}

func (f *flights) leave(one *flight) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if one.waiting--; one.waiting == 0 {
		one.cancel()
	}
}
