package patience

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// A wait ends twenty seconds after the last move, as far as the machine gives them.
func TestAWaitEndsWhenNothingMoves(t *testing.T) {
	for name, x := range map[string]struct {
		share float64
		works func(at time.Duration) time.Duration // what has been used by then
		sees  func(at time.Duration) string
		ends  time.Duration
	}{
		"nothing ever moves":        {1, func(time.Duration) time.Duration { return 0 }, nil, 20 * time.Second},
		"little moves":              {1, func(at time.Duration) time.Duration { return at / 10 }, nil, 20 * time.Second},
		"it works for a minute":     {1, func(at time.Duration) time.Duration { return min(at, time.Minute) }, nil, 80 * time.Second},
		"a third of the machine":    {1. / 3, func(time.Duration) time.Duration { return 0 }, nil, time.Minute},
		"busy, and it works slowly": {1. / 3, func(at time.Duration) time.Duration { return min(at, time.Minute) / 3 }, nil, 2 * time.Minute},
		"something is seen": {1, func(time.Duration) time.Duration { return 0 },
			func(at time.Duration) string { return min(at, time.Minute).Round(10 * time.Second).String() }, 75 * time.Second},
		"it moves for ever": {1, func(at time.Duration) time.Duration { return at }, nil, 8 * time.Minute},
	} {
		t.Run(name, func(t *testing.T) {
			now := time.Unix(0, 0)
			w := begin(surroundings{func() time.Time { return now }, func(d time.Duration) { now = now.Add(d) }, func() float64 { return x.share },
				func() time.Duration { return x.works(now.Sub(time.Unix(0, 0))) }})
			for w.Next() {
				if x.sees != nil {
					w.Saw(x.sees(now.Sub(time.Unix(0, 0))))
				}
			}
			assert.InDelta(t, x.ends.Seconds(), now.Sub(time.Unix(0, 0)).Seconds(), 0.05*x.ends.Seconds()+1.5)
		})
	}
}

func TestUntil(t *testing.T) {
	n := 0
	Until(t, func() bool { n++; return n == 5 }, "five looks at %d", n)
	assert.Equal(t, 5, n)
}
