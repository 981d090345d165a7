// Package machine says what there is to work with: memory, as the operating
// system grants it to us (Linux control groups, versions 1 and 2), and what it
// did when that ran out.
package machine

import (
	"bufio"
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// Memory gives the bytes that this process and its children may use: the least
// limit of the control groups that it is in, or the machine's memory. 0 is not
// known.
func Memory() int64 { return memory(os.DirFS("/")) }

// OutOfMemory counts how often the kernel ended a process of our control group
// because its memory ran out. It never goes down.
func OutOfMemory() int64 {
	var n int64
	for _, group := range groups(read(os.DirFS("/"), "proc/self/cgroup")) {
		for _, file := range []string{"memory.events", "memory.oom_control"} {
			n += counted(read(os.DirFS("/"), filepath.Join("sys/fs/cgroup", group, file)), "oom_kill")
		}
	}
	return n
}

func memory(files fs.FS) int64 {
	least := counted(read(files, "proc/meminfo"), "MemTotal:") << 10
	for _, group := range groups(read(files, "proc/self/cgroup")) {
		// A limit of a group above holds as well.
		for {
			for _, file := range []string{"memory.max", "memory.limit_in_bytes"} {
				limit, err := strconv.ParseInt(strings.TrimSpace(string(read(files, filepath.Join("sys/fs/cgroup", group, file)))), 10, 64)
				if err == nil && limit > 0 && (least == 0 || limit < least) {
					least = limit
				}
			}
			if group == "" || group == "." || group == "memory" {
				break
			}
			group = strings.TrimPrefix(filepath.Dir(group), "/")
		}
	}
	return least
}

func read(files fs.FS, name string) []byte {
	b, err := fs.ReadFile(files, name)
	if err != nil {
		return nil
	}
	return b
}

// groups gives the folders, below the control groups' own, in which limits of
// this process may stand (cgroups(7), /proc/self/cgroup).
func groups(b []byte) []string {
	var out []string
	lines := bufio.NewScanner(bytes.NewReader(b))
	for lines.Scan() {
		parts := strings.SplitN(lines.Text(), ":", 3)
		switch {
		case len(parts) != 3:
		case parts[1] == "": // version 2
			out = append(out, strings.TrimPrefix(parts[2], "/"))
		case parts[1] == "memory":
			out = append(out, filepath.Join("memory", parts[2]))
		}
	}
	if len(out) == 0 {
		return []string{""}
	}
	return out
}

// counted finds the number behind a word that begins a line.
func counted(b []byte, word string) int64 {
	lines := bufio.NewScanner(bytes.NewReader(b))
	for lines.Scan() {
		fields := strings.Fields(lines.Text())
		if len(fields) >= 2 && fields[0] == word {
			n, _ := strconv.ParseInt(fields[1], 10, 64)
			return n
		}
	}
	return 0
}
