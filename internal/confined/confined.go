// Package confined starts programs of the machine that look at files of strangers: with no
// network, no other process in sight, only the machine's programs and the one file to read,
// a folder of its own in memory to write to, and bounds on memory, work and what is written
// (bubblewrap, prlimit). What comes of it leaves through a pipe, as bytes and nothing else:
// no file that the program made is ever opened here, so it can be no link and no device.
// Where such a process cannot be had, nothing is started.
//
// What counts is the work that it does, as time of a processor, and not the time that goes
// by: on a busy machine a sound file takes long.
package confined

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"
)

// ErrMissing is given where a program is not installed, and ErrUnconfined where no process
// can be confined: what does that is missing, or may not.
var (
	ErrMissing    = errors.New("a program is not installed")
	ErrUnconfined = errors.New("no process can be confined on this machine")
)

// What ends a program before it has done its work.
var (
	ErrOverran = errors.New("it took more work than it may")
	ErrMemory  = errors.New("it took more memory than it may")
	ErrOutput  = errors.New("it wrote more than it may")
	// ErrNotYet is given where it got too little of the processors to end; no file is to blame.
	ErrNotYet = errors.New("the machine has too much to do")
)

// Bounds are what a program may use.
type Bounds struct {
	Address  int           // bytes of address space of each of its processes
	Resident int           // bytes of memory of all of them together; 0 is not bounded
	Folder   int           // bytes that it may write into its folder, and as much again elsewhere
	Output   int64         // bytes that may come out of it
	Work     time.Duration // time of a processor of all of them together
}

// Room starts one program. It is made by Find.
type Room struct {
	Bounds Bounds
	// Also are folders and files that the program reads, beside /usr, where they are there.
	Also []string
	// Set are variables of its environment, each name before its value.
	Set []string

	bwrap, prlimit string
	tried          sync.Mutex
	known          bool
}

// Find looks for a program, and for what confines it, or gives ErrMissing or ErrUnconfined.
func Find(program string, b Bounds) (*Room, error) {
	if _, err := exec.LookPath(program); err != nil {
		return nil, fmt.Errorf("%w: there is no %s", ErrMissing, program)
	}
	r := &Room{Bounds: b}
	for name, path := range map[string]*string{"bwrap": &r.bwrap, "prlimit": &r.prlimit} {
		p, err := exec.LookPath(name)
		if err != nil {
			return nil, fmt.Errorf("%w: there is no %s", ErrUnconfined, name)
		}
		*path = p
	}
	return r, nil
}

// With gives a room like this one whose program may do so much work.
func (r *Room) With(work time.Duration) *Room {
	b := r.Bounds
	b.Work = work
	return &Room{Bounds: b, Also: r.Also, Set: r.Set, bwrap: r.bwrap, prlimit: r.prlimit}
}

// Task is one call of the program.
type Task struct {
	File string   // that it reads, or ""
	As   string   // what that is called in the program's folder, /work
	Args []string // the program and its arguments
	// Gives is the file, below /work, that it makes and that is given out; "" gives what it
	// writes to its standard output.
	Gives string
}

// command gives a command that runs confined.
func (r *Room) command(ctx context.Context, t Task) *exec.Cmd {
	// A process that hides its work from whoever looks is ended by the system.
	a := []string{fmt.Sprintf("--as=%d", r.Bounds.Address), fmt.Sprintf("--fsize=%d", r.Bounds.Folder), fmt.Sprintf("--cpu=%d", int(r.Bounds.Work.Seconds())+5),
		"--nproc=256", "--core=0", "--", r.bwrap, "--unshare-all", "--die-with-parent", "--new-session", "--clearenv", "--ro-bind", "/usr", "/usr"}
	for _, of := range []string{"lib", "lib64", "bin"} {
		a = append(a, "--symlink", "usr/"+of, "/"+of)
	}
	for _, of := range append([]string{"/etc/ld.so.cache", "/etc/alternatives"}, r.Also...) {
		a = append(a, "--ro-bind-try", of, of)
	}
	size := fmt.Sprint(r.Bounds.Folder)
	a = append(a, "--proc", "/proc", "--dev", "/dev", "--size", size, "--tmpfs", "/tmp", "--size", size, "--tmpfs", "/work")
	if t.File != "" {
		a = append(a, "--ro-bind", t.File, "/work/"+t.As)
	}
	a = append(a, "--chdir", "/work", "--setenv", "HOME", "/tmp", "--setenv", "LC_ALL", "C.UTF-8", "--setenv", "PATH", "/usr/bin")
	for i := 0; i+1 < len(r.Set); i += 2 {
		a = append(a, "--setenv", r.Set[i], r.Set[i+1])
	}
	a = append(a, "--")
	if t.Gives != "" {
		a = append(a, "/bin/sh", "-c", `given=$1; shift; "$@" >&2 </dev/null || exit; exec cat "/work/$given"`, "sh", t.Gives)
	}
	cmd := exec.CommandContext(ctx, r.prlimit, append(a, t.Args...)...)
	cmd.Env = []string{"PATH=" + os.Getenv("PATH")}
	cmd.WaitDelay = 5 * time.Second
	return cmd
}

// Run has a task done and writes what comes of it to out. said is the end of what the
// program says besides. An error of out is given as it is.
func (r *Room) Run(ctx context.Context, t Task, out io.Writer) (said string, err error) {
	ctx, end := context.WithCancelCause(ctx)
	defer end(nil)
	cmd := r.command(ctx, t)
	var tail tail
	limited := &bounded{to: out, left: r.Bounds.Output, over: func() { end(ErrOutput) }}
	cmd.Stdout, cmd.Stderr = limited, &tail
	if err := cmd.Start(); err != nil {
		return "", fmt.Errorf("start a confined program: %w", err)
	}
	watched := make(chan struct{})
	go func() {
		defer close(watched)
		watch(ctx, cmd.Process.Pid, r.Bounds, end)
	}()
	err = cmd.Wait()
	cause := context.Cause(ctx)
	end(nil)
	<-watched
	switch {
	case limited.failed != nil:
		return tail.String(), limited.failed
	case cause != nil:
		return tail.String(), cause
	}
	return tail.String(), err
}

// Works says, by its error, why no process can be confined here. A no is asked again: what
// was in the way may be gone.
func (r *Room) Works(ctx context.Context) error {
	r.tried.Lock()
	defer r.tried.Unlock()
	if r.known {
		return nil
	}
	said, err := r.Run(context.WithoutCancel(ctx), Task{Args: []string{"/usr/bin/true"}}, io.Discard)
	switch {
	case errors.Is(err, ErrNotYet), errors.Is(err, ErrOverran):
		return err
	case err != nil:
		return fmt.Errorf("%w: %s", ErrUnconfined, strings.TrimSpace(said))
	}
	r.known = true
	return nil
}

// bounded writes so many bytes, and no more.
type bounded struct {
	to     io.Writer
	left   int64
	over   func()
	failed error // of to
}

func (b *bounded) Write(p []byte) (int, error) {
	if b.left -= int64(len(p)); b.left < 0 {
		b.over()
		return 0, ErrOutput
	}
	n, err := b.to.Write(p)
	if err != nil {
		b.failed = err
	}
	return n, err
}

// tail keeps the end of what is said.
type tail struct {
	mu sync.Mutex
	b  bytes.Buffer
}

const mostSaid = 8 << 10

func (t *tail) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.b.Write(p)
	if over := t.b.Len() - mostSaid; over > 0 {
		t.b.Next(over)
	}
	return len(p), nil
}

func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.b.String()
}
