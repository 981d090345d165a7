package cluster

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
	"time"
)

// StopLeft stops a server that an earlier process left running on a folder when
// it was killed, and says so: the next one could not start. A note of a server
// that is gone is removed.
func StopLeft(dir string, say func(string)) error {
	if say == nil {
		say = func(string) {}
	}
	data := filepath.Join(dir, "data")
	note := filepath.Join(data, "postmaster.pid")
	b, err := os.ReadFile(note)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("look for an earlier database: %w", err)
	}
	first, _, _ := bytes.Cut(b, []byte("\n"))
	pid, err := strconv.Atoi(string(bytes.TrimSpace(first)))
	if err != nil || pid <= 1 || !runsOn(pid, data) {
		// Another process may have that number by now.
		if err := os.Remove(note); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("remove the note of an earlier database: %w", err)
		}
		return nil
	}
	// A fast shutdown, which keeps all data; then one that recovers at the start.
	for _, how := range []syscall.Signal{syscall.SIGINT, syscall.SIGQUIT, syscall.SIGKILL} {
		if err := syscall.Kill(pid, how); err != nil && !errors.Is(err, syscall.ESRCH) {
			return fmt.Errorf("stop the database that was left running (process %d): %w", pid, err)
		}
		for begun := time.Now(); time.Since(begun) < 10*time.Second; time.Sleep(20 * time.Millisecond) {
			if !runsOn(pid, data) {
				say(fmt.Sprintf("An earlier one was ended without its database (process %d); that was stopped now. Nothing is lost.", pid))
				return nil
			}
		}
	}
	return fmt.Errorf("the database that was left running (process %d) does not stop", pid)
}

// runsOn says whether a process is a server on a data folder.
func runsOn(pid int, data string) bool {
	command, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	if err != nil {
		return false
	}
	words := bytes.Split(command, []byte{0})
	for i, w := range words {
		if string(w) == "-D" && i+1 < len(words) && string(words[i+1]) == data {
			return bytes.HasSuffix(words[0], []byte("postgres"))
		}
	}
	return false
}
