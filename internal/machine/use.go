package machine

import (
	"bytes"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"time"
)

// Use is what processes use of the machine: what counts where the time that goes by says
// more of the machine than of them.
type Use struct {
	Work     time.Duration // of processors, so far
	Resident int           // bytes of memory, now
	Wants    bool          // a thread runs, waits for its turn or for a disk, or was stopped
}

// UseOf gives what a process uses, without its children; nothing where it has ended.
func UseOf(pid int) Use { return useOf("/proc", pid).Use }

// UseBelow gives what a process and all below it use, those that have ended as well.
func UseBelow(pid int) Use { return useBelow("/proc", pid) }

// ShareOfProcessor is the part of a processor that a thread gets which wants a whole one: there are so
// many that want to run (proc_stat(5), procs_running). 1 where that is not known.
func ShareOfProcessor() float64 {
	b, _ := os.ReadFile("/proc/stat")
	return shareOf(b, runtime.NumCPU())
}

func shareOf(stat []byte, processors int) float64 {
	_, after, there := bytes.Cut(stat, []byte("\nprocs_running "))
	line, _, _ := bytes.Cut(after, []byte("\n"))
	running, err := strconv.Atoi(string(line))
	if !there || err != nil || running <= processors {
		return 1
	}
	return float64(processors) / float64(running)
}

// hundredth is the unit of times in proc_pid_stat(5), on every machine that Go runs on.
const hundredth = 10 * time.Millisecond

// one is what a process uses, by itself and with children that have ended.
type one struct {
	Use
	parent int
	ended  time.Duration // the work of its children
}

func useOf(proc string, pid int) one {
	folder := filepath.Join(proc, strconv.Itoa(pid))
	state, fields := statOf(filepath.Join(folder, "stat"))
	if len(fields) < 22 {
		return one{}
	}
	number := func(n int) int {
		v, _ := strconv.Atoi(string(fields[n]))
		return v
	}
	u := one{parent: number(1), ended: time.Duration(number(13)+number(14)) * hundredth}
	u.Work = time.Duration(number(11)+number(12)) * hundredth
	u.Resident = number(21) * os.Getpagesize()
	if u.Wants = wanting(state); u.Wants {
		return u
	}
	threads, _ := os.ReadDir(filepath.Join(folder, "task"))
	for _, t := range threads {
		if state, _ := statOf(filepath.Join(folder, "task", t.Name(), "stat")); wanting(state) {
			u.Wants = true
			break
		}
	}
	return u
}

// wanting says whether a state is that of a thread that would go on if it could.
func wanting(state byte) bool { return state == 'R' || state == 'D' || state == 'T' || state == 't' }

// statOf reads a line of proc_pid_stat(5) from behind the name, which may hold anything.
func statOf(path string) (state byte, fields [][]byte) {
	b, err := os.ReadFile(path)
	if err != nil {
		return 0, nil
	}
	fields = bytes.Fields(b[bytes.LastIndexByte(b, ')')+1:])
	if len(fields) > 0 && len(fields[0]) == 1 {
		state = fields[0][0]
	}
	return state, fields
}

func useBelow(proc string, of int) Use {
	stats, _ := filepath.Glob(filepath.Join(proc, "[0-9]*", "stat"))
	parent := map[int]int{}
	for _, path := range stats {
		pid, _ := strconv.Atoi(filepath.Base(filepath.Dir(path)))
		if _, fields := statOf(path); len(fields) > 1 {
			parent[pid], _ = strconv.Atoi(string(fields[1]))
		}
	}
	var all Use
	for pid := range parent {
		at := pid
		for n := 0; at > 1 && at != of && n < len(parent); n++ {
			at = parent[at]
		}
		if at != of {
			continue
		}
		u := useOf(proc, pid)
		all.Work += u.Work + u.ended
		all.Resident += u.Resident
		all.Wants = all.Wants || u.Wants
	}
	return all
}
