package pdf

import (
	"context"
	"sync/atomic"
	"time"
)

// Meter adds up the work that the engine did for somebody, as time of a processor: what
// a budget is kept by, since the time that goes by says more of the machine than of a file.
type Meter struct{ used atomic.Int64 }

// Used gives the work so far.
func (m *Meter) Used() time.Duration { return time.Duration(m.used.Load()) }

type meterKey struct{}

// Metered has the work of the requests that are made with a context added up.
func Metered(ctx context.Context, m *Meter) context.Context {
	return context.WithValue(ctx, meterKey{}, m)
}

// Worked adds what a request with a context took, for the engine that answered it.
func Worked(ctx context.Context, work time.Duration) {
	if m, there := ctx.Value(meterKey{}).(*Meter); there {
		m.used.Add(int64(work))
	}
}

type workKey struct{}

// Within bounds the work of the requests that are made with a context, in seconds of a
// processor, further than the engine itself does: for what is done in the background with
// a document that has taken much already.
func Within(ctx context.Context, most time.Duration) context.Context {
	return context.WithValue(ctx, workKey{}, most)
}

// WorkOf gives the bound that Within set.
func WorkOf(ctx context.Context) (most time.Duration, there bool) {
	most, there = ctx.Value(workKey{}).(time.Duration)
	return most, there
}
