package share

import (
	"math"
	"time"
)

// halfLife is how long it takes until half of what was had is forgotten.
const halfLife = 10 * time.Second

// mostNames bounds how many names are remembered; beyond it those that have had
// least are forgotten, which costs nobody anything.
const mostNames = 4096

// used counts what names have had, in seconds, forgetting with time.
type used struct {
	had map[string]amount
}

type amount struct {
	seconds float64
	at      time.Time
}

func (a amount) now(t time.Time) float64 {
	return a.seconds * math.Exp2(-float64(t.Sub(a.at))/float64(halfLife))
}

func (u *used) of(name string, t time.Time) float64 { return u.had[name].now(t) }

func (u *used) add(name string, seconds float64, t time.Time) {
	if u.had == nil {
		u.had = map[string]amount{}
	}
	u.had[name] = amount{u.had[name].now(t) + seconds, t}
	if len(u.had) <= mostNames {
		return
	}
	for name, a := range u.had {
		if a.now(t) < 0.01 {
			delete(u.had, name)
		}
	}
	for name := range u.had { // many names that had much: any half
		if len(u.had) <= mostNames/2 {
			break
		}
		delete(u.had, name)
	}
}
