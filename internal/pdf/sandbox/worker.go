package sandbox

import (
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"syscall"

	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
)

// addressSpace bounds the whole worker, on top of the module's own cap: what
// the file does not see cannot grow without end either.
const addressSpace = 3 << 30

// Work is the whole life of a worker subprocess: it answers what arrives on
// descriptor wire.FromOwner until that closes. It never returns normally while
// its owner lives.
func Work(cacheDir string, limits Limits) error {
	if boundedSpace {
		_ = syscall.Setrlimit(syscall.RLIMIT_AS, &syscall.Rlimit{Cur: addressSpace, Max: addressSpace})
	}
	_ = syscall.Setrlimit(syscall.RLIMIT_CORE, &syscall.Rlimit{})
	debug.SetGCPercent(200)
	debug.SetMemoryLimit(int64(limits.OwnMiB) << 20)
	in, out := os.NewFile(wire.FromOwner, "from owner"), os.NewFile(wire.ToOwner, "to owner")
	if in == nil || out == nil {
		return errors.New("a worker is started by its owner, with two pipes")
	}
	messages := make(chan wire.ToWorker)
	go func() {
		decoder := gob.NewDecoder(in)
		for {
			var m wire.ToWorker
			if err := decoder.Decode(&m); err != nil {
				// The owner is gone, perhaps killed: nobody waits for us.
				os.Exit(0)
			}
			messages <- m
		}
	}()
	encoder := gob.NewEncoder(out)
	fetch := func(n wire.Need) ([]byte, error) {
		if err := encoder.Encode(wire.FromWorker{Need: &n}); err != nil {
			return nil, err
		}
		m := <-messages
		if m.Chunk == nil || m.Chunk.Failed {
			return nil, errSource
		}
		return m.Chunk.Bytes, nil
	}
	e, err := start(context.Background(), cacheDir, limits, fetch)
	if err != nil {
		return err
	}
	for m := range messages {
		if m.Ask == nil {
			continue
		}
		answer := guarded(e, *m.Ask)
		if err := encoder.Encode(wire.FromWorker{Answer: &answer}); err != nil {
			return fmt.Errorf("answer: %w", err)
		}
		if answer.Spent {
			return nil
		}
	}
	return nil
}

// guarded answers, and turns whatever goes wrong into a problem of the file.
// After a trap or a panic the instance cannot be trusted: the worker is spent.
func guarded(e *engine, ask wire.Ask) (answer wire.Answer) {
	defer func() {
		if r := recover(); r != nil {
			fmt.Fprintf(os.Stderr, "worker: %v\n", r)
			answer = wire.Answer{Spent: true, Problem: e.broken()}
		}
	}()
	answer, err := e.answer(ask)
	defer func() { answer.Spent = answer.Spent || e.memory.tight() }()
	var problem *pdf.Problem
	switch {
	case err != nil && e.memory.denied:
		answer = wire.Answer{Problem: e.broken()}
	case err == nil:
	case errors.As(err, &problem):
		answer = wire.Answer{Problem: problem}
	case errors.Is(err, errSource), errors.Is(err, io.ErrUnexpectedEOF):
		answer = wire.Answer{Spent: true, Problem: pdf.Problemf(wire.Unreadable, "The file's bytes could not be read from storage.")}
	default:
		fmt.Fprintf(os.Stderr, "worker: %v\n", err)
		answer = wire.Answer{Spent: true, Problem: e.broken()}
	}
	return answer
}
