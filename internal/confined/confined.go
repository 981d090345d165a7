// Package confined starts programs of the machine that look at files of strangers: with no
// network, no other process in sight, only the machine's programs to read and one folder to
// write to, and bounds on memory, time and what is written (bubblewrap, prlimit). Where such
// a process cannot be had, nothing is started.
package confined

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
)

// ErrMissing is given where a program is not installed, and ErrUnconfined where no process
// can be confined.
var (
	ErrMissing    = errors.New("a program is not installed")
	ErrUnconfined = errors.New("no process can be confined on this machine")
)

// Bounds are what a process may use: bytes of address space, bytes of one file that it
// writes, seconds of processor.
type Bounds struct{ Memory, File, CPU int }

// Room starts one program. It is made by Find.
type Room struct {
	Bounds Bounds
	// Also are folders and files that the program reads, beside /usr, where they are there.
	Also []string
	// Set are variables of its environment, each name before its value.
	Set []string

	name, bwrap, prlimit string
	tried                sync.Once
	confined             error
}

// Find looks for a program, and for what confines it, or gives ErrMissing. name begins the
// names of the folders that it works in.
func Find(program, name string, b Bounds) (*Room, error) {
	r := &Room{Bounds: b, name: "incipit-" + name + "-"}
	for name, path := range map[string]*string{program: nil, "bwrap": &r.bwrap, "prlimit": &r.prlimit} {
		p, err := exec.LookPath(name)
		if err != nil {
			return nil, fmt.Errorf("%w: there is no %s", ErrMissing, name)
		}
		if path != nil {
			*path = p
		}
	}
	return r, nil
}

// Command gives a command that runs confined, in a folder that it calls /work.
func (r *Room) Command(ctx context.Context, folder string, args ...string) *exec.Cmd {
	a := []string{
		fmt.Sprintf("--as=%d", r.Bounds.Memory), fmt.Sprintf("--fsize=%d", r.Bounds.File), fmt.Sprintf("--cpu=%d", r.Bounds.CPU), "--core=0", "--",
		r.bwrap, "--unshare-all", "--die-with-parent", "--new-session", "--clearenv", "--ro-bind", "/usr", "/usr",
	}
	for _, of := range []string{"lib", "lib64", "bin"} {
		a = append(a, "--symlink", "usr/"+of, "/"+of)
	}
	for _, of := range append([]string{"/etc/ld.so.cache", "/etc/alternatives"}, r.Also...) {
		a = append(a, "--ro-bind-try", of, of)
	}
	a = append(a, "--proc", "/proc", "--dev", "/dev", "--tmpfs", "/tmp", "--bind", folder, "/work", "--chdir", "/work",
		"--setenv", "HOME", "/tmp", "--setenv", "LC_ALL", "C.UTF-8", "--setenv", "PATH", "/usr/bin")
	for i := 0; i+1 < len(r.Set); i += 2 {
		a = append(a, "--setenv", r.Set[i], r.Set[i+1])
	}
	cmd := exec.CommandContext(ctx, r.prlimit, append(append(a, "--"), args...)...)
	cmd.Env = []string{"PATH=" + os.Getenv("PATH")}
	return cmd
}

// Works says, by its error, why no process can be confined here.
func (r *Room) Works(ctx context.Context) error {
	r.tried.Do(func() {
		r.confined = r.Within(func(folder string) error {
			if out, err := r.Command(context.WithoutCancel(ctx), folder, "/usr/bin/true").CombinedOutput(); err != nil {
				return fmt.Errorf("%w: %s", ErrUnconfined, strings.TrimSpace(string(out)))
			}
			return nil
		})
	})
	return r.confined
}

// Within has something done in a folder of its own, which is gone afterwards.
func (r *Room) Within(do func(folder string) error) error {
	folder, err := os.MkdirTemp("", r.name)
	if err != nil {
		return fmt.Errorf("make a folder to work in: %w", err)
	}
	defer os.RemoveAll(folder)
	return do(folder)
}
