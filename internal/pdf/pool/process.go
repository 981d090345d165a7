package pool

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"sync"
	"syscall"
	"time"

	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
)

// process is one running worker.
type process struct {
	cmd     *exec.Cmd
	to      *os.File
	from    *os.File
	encoder *gob.Encoder
	decoder *gob.Decoder
	stderr  *tail
	exited  chan struct{}
}

// tail keeps the end of what a worker writes to its error stream.
type tail struct {
	mu sync.Mutex
	b  []byte
}

func (t *tail) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.b = append(t.b, p...)
	if len(t.b) > 8<<10 {
		t.b = t.b[len(t.b)-8<<10:]
	}
	return len(p), nil
}

func (t *tail) contains(s string) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return bytes.Contains(t.b, []byte(s))
}

func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return string(t.b)
}

// spawn starts a worker. It inherits nothing of our environment but what Go
// and its cache folder need, and only the two pipes.
func spawn(command []string) (*process, error) {
	inR, inW, err := os.Pipe()
	if err != nil {
		return nil, fmt.Errorf("make a pipe: %w", err)
	}
	outR, outW, err := os.Pipe()
	if err != nil {
		inR.Close()
		inW.Close()
		return nil, fmt.Errorf("make a pipe: %w", err)
	}
	cmd := exec.Command(command[0], command[1:]...)
	cmd.Env = []string{"GOMAXPROCS=3", "GODEBUG=" + os.Getenv("GODEBUG")}
	for _, name := range []string{"HOME", "XDG_CACHE_HOME", "GOCOVERDIR"} {
		if v, ok := os.LookupEnv(name); ok {
			cmd.Env = append(cmd.Env, name+"="+v)
		}
	}
	cmd.ExtraFiles = []*os.File{inR, outW}
	// Ctrl-C is for the owner, which lets requests finish.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	p := &process{cmd: cmd, to: inW, from: outR, stderr: &tail{}, exited: make(chan struct{})}
	cmd.Stderr = p.stderr
	err = cmd.Start()
	inR.Close()
	outW.Close()
	if err != nil {
		inW.Close()
		outR.Close()
		return nil, fmt.Errorf("start a worker: %w", err)
	}
	p.encoder, p.decoder = gob.NewEncoder(inW), gob.NewDecoder(outR)
	go func() {
		_ = cmd.Wait()
		close(p.exited)
	}()
	return p, nil
}

// kill ends the worker and waits until it is gone.
func (p *process) kill() {
	_ = p.cmd.Process.Kill()
	<-p.exited
	p.to.Close()
	p.from.Close()
}

// converse sends an ask and serves the worker's needs until it answers.
func (p *process) converse(ask wire.Ask, file io.ReaderAt) (wire.Answer, error) {
	if err := p.encoder.Encode(wire.ToWorker{Ask: &ask}); err != nil {
		return wire.Answer{}, fmt.Errorf("ask a worker: %w", err)
	}
	for {
		var m wire.FromWorker
		if err := p.decoder.Decode(&m); err != nil {
			return wire.Answer{}, fmt.Errorf("hear a worker: %w", err)
		}
		if m.Answer != nil {
			return *m.Answer, nil
		}
		if m.Need == nil {
			return wire.Answer{}, errors.New("a worker said nothing")
		}
		chunk := readChunk(file, *m.Need, ask.Size)
		if err := p.encoder.Encode(wire.ToWorker{Chunk: &chunk}); err != nil {
			return wire.Answer{}, fmt.Errorf("send bytes to a worker: %w", err)
		}
	}
}

// readChunk serves a need, within the bounds of the file.
func readChunk(file io.ReaderAt, need wire.Need, size int64) wire.Chunk {
	if file == nil || need.Offset < 0 || need.Length < 0 || need.Length > 1<<20 || need.Offset+int64(need.Length) > size {
		return wire.Chunk{Failed: true}
	}
	b := make([]byte, need.Length)
	if n, err := file.ReadAt(b, need.Offset); n < len(b) && err != nil {
		return wire.Chunk{Failed: true}
	}
	return wire.Chunk{Bytes: b}
}

// exchange runs one request on a lane whose token the caller holds. It starts
// the worker if need be, and replaces it when it overran or broke.
func (p *Pool) exchange(ctx context.Context, l *lane, ask wire.Ask, file io.ReaderAt, deadline time.Duration) (wire.Answer, error) {
	if l.process == nil {
		started, err := spawn(p.options.Command)
		if err != nil {
			return wire.Answer{}, err
		}
		l.process = started
		if ask.Op != wire.Warm {
			// Starting is not the document's time.
			if _, err := p.exchange(ctx, l, wire.Ask{Op: wire.Warm}, nil, 3*time.Minute); err != nil {
				return wire.Answer{}, err
			}
		}
	}
	w := l.process
	type result struct {
		answer wire.Answer
		err    error
	}
	done := make(chan result, 1)
	go func() {
		a, err := w.converse(ask, file)
		done <- result{a, err}
	}()
	timer := time.NewTimer(deadline)
	defer timer.Stop()
	var r result
	select {
	case r = <-done:
	case <-timer.C:
		p.replace(l)
		p.options.Log.Warn("a document overran its deadline", "document", ask.ID, "request", string(ask.Op), "page", ask.Page)
		return wire.Answer{}, pdf.Problemf(pdf.TookTooLong, "Reading the file took longer than %s.", deadline)
	case <-ctx.Done():
		p.replace(l)
		return wire.Answer{}, ctx.Err()
	}
	if r.err != nil {
		p.replace(l)
		p.options.Log.Warn("a worker ended", "document", ask.ID, "request", string(ask.Op), "page", ask.Page, "error", r.err, "said", w.stderr.String())
		if ask.Op == wire.Warm {
			return wire.Answer{}, fmt.Errorf("%w: %s", r.err, w.stderr)
		}
		if w.stderr.contains("out of memory") || w.stderr.contains("cannot allocate memory") {
			return wire.Answer{}, pdf.Problemf(pdf.OutOfMemory, "The file needs more memory than one document may use.")
		}
		return wire.Answer{}, pdf.Problemf(pdf.Damaged, "The file stopped the engine that reads it; it is damaged, or made to do harm.")
	}
	if r.answer.Spent {
		p.options.Log.Warn("a worker is spent", "document", ask.ID, "request", string(ask.Op), "page", ask.Page, "said", w.stderr.String())
		p.replace(l)
	}
	if problem := r.answer.Problem; problem != nil {
		if problem.Kind == wire.Unreadable {
			return wire.Answer{}, errors.New(problem.Message)
		}
		return wire.Answer{}, problem
	}
	return r.answer, nil
}

// replace kills the worker of a lane and starts the next one at once, so that
// the next request need not wait for it.
func (p *Pool) replace(l *lane) {
	l.process.kill()
	l.process = nil
	if started, err := spawn(p.options.Command); err == nil {
		l.process = started
	}
}
