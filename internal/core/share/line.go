package share

import (
	"container/list"
	"context"
	"errors"
	"sync"
	"time"
)

// ErrFull is given to who has had most when the line is full.
var ErrFull = errors.New("too many wait; try again in a moment")

// Rules bound a line.
type Rules struct {
	Places      int // how many are served at once
	Waiting     int // how many may wait, but for the house's own work, which is bounded by its jobs
	PerDocument int // how many places one document may have while others could use them; 0 is all
	PerOrigin   int // how many places one origin may have; 0 is all
	Later       int // how many places the class Later may have; 0 is all
	// Aged is how long somebody waits at most behind more urgent classes.
	Aged time.Duration
	// Free says whether a place is free for somebody, beyond these rules; nil is
	// always. Take is called at once for who is given it and names the place;
	// Left is told when it is free again. All are called one at a time and must
	// not call the line.
	Free func(Asker) bool
	Take func(Asker) int
	Left func(place int, who Asker)
	// Clock is time.Now, but for tests.
	Clock func() time.Time
}

// Line is a line of people before a few places. The zero value is of no use.
type Line struct {
	rules Rules

	mu        sync.Mutex
	waiting   list.List // of *waiter, the one who came first at the front
	strangers int       // of them
	taken     int
	later     int
	documents map[string]int // places had
	origins   map[string]int
	had       used
}

type waiter struct {
	who    Asker
	since  time.Time
	called chan error // nil: it is your turn
	place  int
}

// NewLine makes a line.
func NewLine(r Rules) *Line {
	if r.Clock == nil {
		r.Clock = time.Now
	}
	if r.Aged == 0 {
		r.Aged = 30 * time.Second
	}
	return &Line{rules: r, documents: map[string]int{}, origins: map[string]int{}}
}

// Enter waits for a place and gives it, and what leaves it again, which must be
// called. The error is ErrFull, or that of the context: who goes away no longer
// waits.
func (l *Line) Enter(ctx context.Context, who Asker) (place int, leave func(), err error) {
	if err := ctx.Err(); err != nil {
		return 0, nil, err
	}
	w := &waiter{who: who, since: l.rules.Clock(), called: make(chan error, 1)}
	l.mu.Lock()
	at := l.waiting.PushBack(w)
	if who.Origin != "" {
		l.strangers++
	}
	l.call()
	if l.strangers > l.rules.Waiting {
		l.sendAway()
	}
	l.mu.Unlock()
	select {
	case err := <-w.called:
		if err != nil {
			return 0, nil, err
		}
	case <-ctx.Done():
		l.mu.Lock()
		defer l.mu.Unlock()
		select {
		case err := <-w.called: // called at the same moment
			if err == nil {
				l.left(w, 0)
			}
		default:
			l.drop(at)
		}
		return 0, nil, ctx.Err()
	}
	begun := l.rules.Clock()
	var once sync.Once
	return w.place, func() {
		once.Do(func() {
			l.mu.Lock()
			defer l.mu.Unlock()
			l.left(w, l.rules.Clock().Sub(begun))
		})
	}, nil
}

// Waiting says how many wait.
func (l *Line) Waiting() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.waiting.Len()
}

func (l *Line) drop(place *list.Element) {
	w := place.Value.(*waiter)
	l.waiting.Remove(place)
	if w.who.Origin != "" {
		l.strangers--
	}
}

func (l *Line) left(w *waiter, after time.Duration) {
	now, who := l.rules.Clock(), w.who
	if l.rules.Left != nil {
		l.rules.Left(w.place, who)
	}
	l.taken--
	if who.Class == Later {
		l.later--
	}
	less(l.documents, who.Document)
	less(l.origins, who.Origin)
	l.had.add("d "+who.Document, after.Seconds(), now)
	if who.Origin != "" {
		l.had.add("o "+who.Origin, after.Seconds(), now)
	}
	l.call()
}

func less(m map[string]int, name string) {
	if m[name]--; m[name] <= 0 {
		delete(m, name)
	}
}

// cost is what somebody's document and origin have had, whichever had more; a
// place that is taken now counts a second.
func (l *Line) cost(who Asker, now time.Time) float64 {
	c := l.had.of("d "+who.Document, now) + float64(l.documents[who.Document])
	if who.Origin == "" {
		return c
	}
	return max(c, l.had.of("o "+who.Origin, now)+float64(l.origins[who.Origin]))
}

// call gives free places to whose turn it is.
func (l *Line) call() {
	for l.taken < l.rules.Places {
		next := l.next()
		if next == nil {
			return
		}
		w := next.Value.(*waiter)
		l.drop(next)
		l.taken++
		if w.who.Class == Later {
			l.later++
		}
		l.documents[w.who.Document]++
		l.origins[w.who.Origin]++
		if l.rules.Take != nil {
			w.place = l.rules.Take(w.who)
		}
		w.called <- nil
	}
}

// next finds whose turn it is, or nobody.
func (l *Line) next() *list.Element {
	now := l.rules.Clock()
	var best *list.Element
	var bestClass Class
	var bestCost float64
	for e := l.waiting.Front(); e != nil; e = e.Next() {
		w := e.Value.(*waiter)
		if !l.may(w.who) {
			continue
		}
		class := w.who.Class
		if now.Sub(w.since) > l.rules.Aged {
			class = Now
		}
		cost := l.cost(w.who, now)
		if best == nil || class < bestClass || class == bestClass && cost < bestCost {
			best, bestClass, bestCost = e, class, cost
		}
	}
	return best
}

// may says whether somebody could have a place that is free.
func (l *Line) may(who Asker) bool {
	switch {
	case l.rules.PerDocument > 0 && l.documents[who.Document] >= l.rules.PerDocument,
		who.Origin != "" && l.rules.PerOrigin > 0 && l.origins[who.Origin] >= l.rules.PerOrigin,
		who.Class == Later && l.rules.Later > 0 && l.later >= l.rules.Later:
		return false
	}
	return l.rules.Free == nil || l.rules.Free(who)
}

// sendAway has one leave a line that is too long: of those whose document or
// origin waits in the greatest number and has had most, the one who came last.
func (l *Line) sendAway() {
	now := l.rules.Clock()
	documents, origins := map[string]int{}, map[string]int{}
	for e := l.waiting.Front(); e != nil; e = e.Next() {
		w := e.Value.(*waiter)
		documents[w.who.Document]++
		origins[w.who.Origin]++
	}
	var worst *list.Element
	var most float64
	for e := l.waiting.Front(); e != nil; e = e.Next() {
		w := e.Value.(*waiter)
		if w.who.Origin == "" {
			continue
		}
		c := l.cost(w.who, now) + float64(max(documents[w.who.Document], origins[w.who.Origin]))
		if c >= most {
			worst, most = e, c
		}
	}
	if worst != nil {
		w := worst.Value.(*waiter)
		l.drop(worst)
		w.called <- ErrFull
	}
}
