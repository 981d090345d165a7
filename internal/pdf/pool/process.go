package pool

import (
	"bytes"
	"encoding/gob"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
)

// process is one running worker.
type process struct {
	cmd      *exec.Cmd
	to       *os.File
	from     *os.File
	encoder  *gob.Encoder
	decoder  *gob.Decoder
	stderr   *tail
	exited   chan struct{}
	document string       // that it was last asked about
	others   bool         // it was asked about others before
	killed   atomic.Bool  // by us
	since    atomic.Int64 // when a read of the file's bytes began that has not ended, in ns
	read     atomic.Int64 // ns that reads took which have ended
	refused  error        // why the file's bytes could not be read, in the request under way
}

// mostReading is how long one request may wait for the file's bytes in all.
const mostReading = time.Minute

// reading is how long the request has waited for the file's bytes.
func (p *process) reading() time.Duration {
	d := time.Duration(p.read.Load())
	if since := p.since.Load(); since > 0 {
		d += time.Since(time.Unix(0, since))
	}
	return d
}

// ending says how a worker ended that gave no answer.
func (p *process) ending() *ended {
	select {
	case <-p.exited:
	case <-time.After(2 * time.Second): // it closed its pipe and lives
		return &ended{how: "it went silent", said: p.stderr.String()}
	}
	e := &ended{how: p.cmd.ProcessState.String(), said: p.stderr.String()}
	if s, ok := p.cmd.ProcessState.Sys().(syscall.WaitStatus); ok && s.Signaled() {
		e.outside = !p.killed.Load()
	}
	e.memory = p.stderr.contains("out of memory") || p.stderr.contains("cannot allocate memory")
	return e
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
	p.killed.Store(true)
	_ = p.cmd.Process.Kill()
	<-p.exited
	p.to.Close()
	p.from.Close()
}

// converse sends an ask and serves the worker's needs until it answers.
func (p *process) converse(ask wire.Ask, file io.ReaderAt) (wire.Answer, error) {
	p.read.Store(0)
	p.refused = nil
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
		p.since.Store(time.Now().UnixNano())
		chunk, err := readChunk(file, *m.Need, ask.Size)
		if err != nil {
			p.refused = err
		}
		p.read.Add(time.Now().UnixNano() - p.since.Swap(0))
		if err := p.encoder.Encode(wire.ToWorker{Chunk: &chunk}); err != nil {
			return wire.Answer{}, fmt.Errorf("send bytes to a worker: %w", err)
		}
	}
}

// readChunk serves a need, within the bounds of the file.
func readChunk(file io.ReaderAt, need wire.Need, size int64) (wire.Chunk, error) {
	if file == nil || need.Offset < 0 || need.Length < 0 || need.Length > 1<<20 || need.Offset+int64(need.Length) > size {
		return wire.Chunk{Failed: true}, nil
	}
	b := make([]byte, need.Length)
	if n, err := file.ReadAt(b, need.Offset); n < len(b) && err != nil {
		return wire.Chunk{Failed: true}, err
	}
	return wire.Chunk{Bytes: b}, nil
}

// starting is how long a worker may take to start: the first one may have to
// compile the engine.
const starting = 3 * time.Minute

// exchange runs one request on a lane that the caller holds. It starts the
// worker if need be, and replaces it when it overran or broke. The error is an
// *ended where the worker ended without an answer.
func (p *Pool) exchange(l *lane, ask wire.Ask, file io.ReaderAt, deadline time.Duration) (wire.Answer, error) {
	if l.process == nil {
		started, err := spawn(p.options.Command)
		if err != nil {
			p.started(err)
			return wire.Answer{}, err
		}
		l.process = started
		if ask.Op != wire.Warm {
			// Starting is not the document's time.
			if _, err := p.exchange(l, wire.Ask{Op: wire.Warm}, nil, starting); err != nil {
				return wire.Answer{}, notTheFile(err)
			}
		}
	}
	w := l.process
	l.work = 0
	if ask.Op != wire.Warm {
		w.others = w.others || w.document != "" && w.document != ask.ID
		w.document = ask.ID
	}
	fresh := !w.others
	type result struct {
		answer wire.Answer
		err    error
	}
	done := make(chan result, 1)
	go func() {
		a, err := w.converse(ask, file)
		done <- result{a, err}
	}()
	tick := time.NewTicker(looked)
	defer tick.Stop()
	watch := p.watch(w, deadline)
	var r result
	for waiting := true; waiting; {
		select {
		case r = <-done:
			waiting = false
		case <-tick.C:
			verdict := watch.look()
			l.work = watch.work
			if w.reading() >= mostReading {
				p.replace(l)
				return wire.Answer{}, errors.New("the file's bytes did not come from storage in time")
			}
			switch verdict {
			case overran:
				p.replace(l)
				p.count("refused: too much work")
				p.options.Log.Warn("a document overran its deadline", "document", ask.ID, "request", string(ask.Op), "page", ask.Page,
					"work", watch.work, "beside others", watch.beside)
				return wire.Answer{}, pdf.Problemf(pdf.TookTooLong, "Reading the file took more than %s of a processor's time.", deadline)
			case stuck:
				p.replace(l)
				return wire.Answer{}, &ended{how: fmt.Sprintf("it did nothing for %s", silent), said: w.stderr.String()}
			case notYet:
				p.replace(l)
				p.options.Log.Warn("a worker hardly gets any of the processor", "document", ask.ID, "request", string(ask.Op), "page", ask.Page,
					"work", watch.work, "in", longest)
				return wire.Answer{}, fmt.Errorf("%w: %s of work in %s", pdf.ErrAway, watch.work, longest)
			}
		}
	}
	l.work = watch.spent()
	if r.err != nil {
		end := w.ending()
		p.replace(l)
		if ask.Op == wire.Warm {
			p.started(fmt.Errorf("%w: %s: %s", r.err, end.how, end.said))
		}
		return wire.Answer{}, end
	}
	if ask.Op == wire.Warm {
		p.started(nil)
	}
	if r.answer.Spent {
		p.options.Log.Warn("a worker is spent", "document", ask.ID, "request", string(ask.Op), "page", ask.Page, "said", w.stderr.String())
		p.replace(l)
		if r.answer.Problem != nil && !fresh {
			// What other documents left behind may have been in its way.
			return p.exchange(l, ask, file, deadline)
		}
	}
	if problem := r.answer.Problem; problem != nil {
		if problem.Kind == wire.Unreadable {
			if w.refused != nil {
				return wire.Answer{}, fmt.Errorf("%s: %w", problem.Message, w.refused)
			}
			return wire.Answer{}, errors.New(problem.Message)
		}
		return wire.Answer{}, problem
	}
	return r.answer, nil
}

// notTheFile is for a worker that ended before it saw the file.
func notTheFile(err error) error {
	var end *ended
	if !errors.As(err, &end) {
		return err
	}
	if end.outside || end.memory {
		return &ended{how: end.how, said: end.said, outside: true}
	}
	return fmt.Errorf("start a worker: %s: %s", end.how, end.said)
}

// started notes whether workers start.
func (p *Pool) started(err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.begun, p.trouble = p.begun || err == nil, err
}

// replace kills the worker of a lane and starts the next one at once, so that
// the next request need not wait for it.
func (p *Pool) replace(l *lane) {
	p.count("worker replaced")
	l.process.kill()
	l.process = nil
	if started, err := spawn(p.options.Command); err == nil {
		l.process = started
	}
}
