package bench

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// What Linux tells of a process (proc(5)).

// peak gives the most memory that a process ever had, bytes.
func peak(pid int) int64 {
	b, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	_, rest, ok := strings.Cut(string(b), "VmHWM:")
	if !ok {
		return 0
	}
	n, _ := strconv.ParseInt(strings.Fields(rest)[0], 10, 64)
	return n << 10
}

// children lists the processes that one has begun.
func children(pid int) []int {
	var out []int
	tasks, _ := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/children", pid))
	for _, task := range tasks {
		b, _ := os.ReadFile(task)
		for _, f := range strings.Fields(string(b)) {
			if n, err := strconv.Atoi(f); err == nil {
				out = append(out, n)
			}
		}
	}
	return out
}
