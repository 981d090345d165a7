package pool

import (
	"errors"
	"fmt"
	"time"

	"incipit/internal/machine"
	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
)

// ended is given where a worker ended without an answer.
type ended struct {
	outside bool   // by a signal that was not ours
	how     string // as the operating system says it
	said    string // the end of its error stream
	memory  bool   // it, or the kernel, says that memory ran out
}

func (e *ended) Error() string { return fmt.Sprintf("a worker ended: %s", e.how) }

const (
	mostOwn     = 2 // workers that a file ends before it is blamed
	mostOutside = 8 // workers ended from outside before we give up for now
)

// work has a request answered; one whose worker ended is tried again alone.
func (p *Pool) work(l *lane, ask wire.Ask, src pdf.Source, deadline time.Duration) (wire.Answer, error) {
	p.quiet.RLock()
	answer, err := p.exchange(l, ask, src.Bytes, deadline)
	p.quiet.RUnlock()
	var end *ended
	if !errors.As(err, &end) {
		return answer, err
	}
	p.options.Log.Warn("a worker ended: its request is tried again alone", "document", ask.ID, "request", string(ask.Op), "page", ask.Page,
		"how", end.how, "said", end.said)
	return p.alone(l, ask, src)
}

// alone tries a request with fresh workers while nobody else is at work.
func (p *Pool) alone(l *lane, ask wire.Ask, src pdf.Source) (wire.Answer, error) {
	p.quiet.Lock()
	defer p.quiet.Unlock()
	own, outside, noMemory := 0, 0, 0
	for {
		p.rest()
		before := machine.OutOfMemory()
		answer, err := p.exchange(l, ask, src.Bytes, p.options.Deadline)
		var end *ended
		if !errors.As(err, &end) {
			return answer, err
		}
		if end.memory || end.outside && machine.OutOfMemory() > before {
			noMemory++
		}
		if end.outside && noMemory < mostOwn {
			if outside++; outside >= mostOutside {
				p.options.Log.Error("workers are ended from outside", "document", ask.ID, "request", string(ask.Op), "page", ask.Page, "how", end.how)
				return wire.Answer{}, fmt.Errorf("%w: %s", pdf.ErrAway, end.how)
			}
			time.Sleep(time.Duration(outside) * 100 * time.Millisecond) // whoever ends them may be done soon
			continue
		}
		if own++; own < mostOwn && noMemory < mostOwn {
			continue
		}
		problem := pdf.Problemf(pdf.Damaged, "The file stopped the engine that reads it; it is damaged, or made to do harm.")
		if noMemory > 0 {
			problem = pdf.Problemf(pdf.OutOfMemory, "The file needs more memory than one document may use.")
		}
		p.options.Log.Error("a file ends workers", "document", ask.ID, "request", string(ask.Op), "page", ask.Page, "how", end.how, "said",
			end.said)
		p.blame(ask, problem)
		return wire.Answer{}, problem
	}
}

func requestOf(ask wire.Ask) string {
	return fmt.Sprintf("%s %s %d %d %d %v %v %s", ask.ID, ask.Op, ask.Page, ask.To, ask.Width, ask.Pages, ask.Tile, ask.Name)
}

// blame remembers what a request did, so that it does it no more.
func (p *Pool) blame(ask wire.Ask, problem *pdf.Problem) {
	n, _ := p.blames.Get(ask.ID)
	p.blames.Add(ask.ID, n+1)
	p.blamed.Add(requestOf(ask), problem)
	if n+1 >= mostBlames {
		p.blamed.Add(ask.ID, problem)
	}
}

// toBlame gives the problem of a request that ended workers lately.
func (p *Pool) toBlame(ask wire.Ask) (*pdf.Problem, bool) {
	if problem, known := p.blamed.Get(ask.ID); known {
		return problem, true
	}
	return p.blamed.Get(requestOf(ask))
}

// Forgive forgets what is held against a document: somebody wants it examined
// again.
func (p *Pool) Forgive(id string) {
	p.slow.Remove(id)
	p.blames.Remove(id)
	for _, request := range p.blamed.Keys() {
		if len(request) >= len(id) && request[:len(id)] == id {
			p.blamed.Remove(request)
		}
	}
}
