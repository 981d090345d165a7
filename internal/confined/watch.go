package confined

import (
	"context"
	"time"

	"incipit/internal/machine"
)

const (
	// looked is how often what a program uses is looked at.
	looked = 200 * time.Millisecond
	// still is for how long it neither works nor wants to before it is taken to be stuck.
	still = 45 * time.Second
	// longest ends a program that hardly gets any of the processors.
	longest = 30 * time.Minute
)

// watch follows a process and all below it until ctx ends, and ends it where it uses more
// than it may.
func watch(ctx context.Context, pid int, b Bounds, end func(error)) {
	tick := time.NewTicker(looked)
	defer tick.Stop()
	begun, moved := time.Now(), time.Now()
	var most time.Duration // those that have ended are counted as well
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		now := machine.UseBelow(pid)
		if now.Wants || now.Work > most {
			moved = time.Now()
		}
		most = max(most, now.Work)
		if err := judged(most, now.Resident, time.Since(moved), time.Since(begun), b); err != nil {
			end(err)
			return
		}
	}
}

// judged says what ends a program that has used so much.
func judged(work time.Duration, resident int, unmoved, all time.Duration, b Bounds) error {
	switch {
	case b.Resident > 0 && resident > b.Resident:
		return ErrMemory
	case work > b.Work, unmoved > still:
		return ErrOverran
	case all > longest:
		return ErrNotYet
	}
	return nil
}
