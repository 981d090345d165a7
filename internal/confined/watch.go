package confined

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strconv"
	"time"
)

const (
	// looked is how often what a program uses is looked at.
	looked = 200 * time.Millisecond
	// still is for how long it neither works nor wants to before it is taken to be stuck.
	still = 45 * time.Second
	// longest ends a program that hardly gets any of the processors.
	longest = 30 * time.Minute
)

// use is what processes use.
type use struct {
	work     time.Duration // of processors, so far
	resident int           // bytes
	wants    bool          // one of them would go on if it could
}

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
		now := usedBelow("/proc", pid)
		if now.wants || now.work > most {
			moved = time.Now()
		}
		most = max(most, now.work)
		if err := judged(most, now.resident, time.Since(moved), time.Since(begun), b); err != nil {
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

// hundredth is the unit of times in proc_pid_stat(5).
const hundredth = 10 * time.Millisecond

// usedBelow adds up what a process and all below it use (proc_pid_stat(5)).
func usedBelow(proc string, of int) use {
	stats, _ := filepath.Glob(filepath.Join(proc, "[0-9]*", "stat"))
	parent, each := map[int]int{}, map[int]use{}
	page := os.Getpagesize()
	for _, path := range stats {
		pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(path)))
		b, err := os.ReadFile(path)
		if err != nil {
			continue // it has ended
		}
		fields := bytes.Fields(b[bytes.LastIndexByte(b, ')')+1:])
		if len(fields) < 22 {
			continue
		}
		number := func(n int) int {
			v, _ := strconv.Atoi(string(fields[n]))
			return v
		}
		parent[pid] = number(1)
		state := fields[0][0]
		// utime, stime, and those of children that have ended; rss in pages.
		each[pid] = use{time.Duration(number(11)+number(12)+number(13)+number(14)) * hundredth, number(21) * page, state == 'R' || state == 'D' || state == 'T'}
	}
	var all use
	for pid, u := range each {
		at := pid
		for n := 0; at > 1 && at != of && n < len(parent); n++ {
			at = parent[at]
		}
		if at == of {
			all.work += u.work
			all.resident += u.resident
			all.wants = all.wants || u.wants
		}
	}
	return all
}
