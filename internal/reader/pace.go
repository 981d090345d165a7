package reader

import (
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// mostPaced is how many names a pace remembers; the one that was used least
// lately is forgotten first.
const mostPaced = 10_000

// pace bounds how often something may be done under a name: so many at once,
// then so many a second.
type pace struct {
	mu    sync.Mutex
	names *lru.Cache[string, *rate.Limiter]
	often rate.Limit
	once  int
}

func newPace(often rate.Limit, once int) *pace {
	names, err := lru.New[string, *rate.Limiter](mostPaced)
	if err != nil {
		panic(err) // the size is above zero
	}
	return &pace{names: names, often: often, once: once}
}

// allows says whether it may be done now, and counts it.
func (p *pace) allows(name string) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	l, known := p.names.Get(name)
	if !known {
		l = rate.NewLimiter(p.often, p.once)
		p.names.Add(name, l)
	}
	return l.Allow()
}
