package webpage

import (
	"cmp"
	"slices"
	"time"
)

// Turn is a decision about what readers see from a moment on: a version of a
// page, or nothing. Turns in the future are plans.
type Turn struct {
	ID      int64
	Version int // 0 is nothing: the page is withdrawn
	Due     time.Time
	Made    time.Time
	By      string
}

// Holding gives the version that readers see at a moment, or 0: that of the
// latest turn that is due. Of two that are due at once the one made later
// holds.
func Holding(turns []Turn, at time.Time) int {
	var last *Turn
	for i, t := range turns {
		if t.Due.After(at) {
			continue
		}
		if last == nil || cmp.Or(t.Due.Compare(last.Due), cmp.Compare(t.ID, last.ID)) > 0 {
			last = &turns[i]
		}
	}
	if last == nil {
		return 0
	}
	return last.Version
}

// Planned gives the turns that are still to come, the next one first.
func Planned(turns []Turn, at time.Time) []Turn {
	out := slices.DeleteFunc(slices.Clone(turns), func(t Turn) bool { return !t.Due.After(at) })
	slices.SortFunc(out, func(a, b Turn) int { return cmp.Or(a.Due.Compare(b.Due), cmp.Compare(a.ID, b.ID)) })
	return out
}

// Plan is what an editor asks for: from when to when readers see a page. A zero
// From is now, a zero Until never ends.
type Plan struct {
	From, Until time.Time
}

// mostAhead is how far ahead can be planned.
const mostAhead = 5 * 365 * 24 * time.Hour

// Check says in a sentence what is wrong with a plan, or "".
func (p Plan) Check(now time.Time) string {
	switch {
	case !p.From.IsZero() && p.From.Before(now.Add(-time.Minute)):
		return "The time to publish has passed. Choose a later one, or publish now."
	case !p.Until.IsZero() && !p.Until.After(now), !p.Until.IsZero() && !p.From.IsZero() && !p.Until.After(p.From):
		return "The time to withdraw must come after the time to publish."
	case p.From.After(now.Add(mostAhead)), p.Until.After(now.Add(mostAhead)):
		return "Plans reach at most five years ahead."
	}
	return ""
}
