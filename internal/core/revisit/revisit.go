// Package revisit says when the website that a file comes from is looked at again: as often as
// an editor chose, ever more seldom while it fails, and no more once it has failed for long.
package revisit

import (
	"fmt"
	"time"
)

// Pace is how many hours there are between two looks; 0 is none: it was copied once.
type Pace int

// Paces are those that can be chosen, with what they are called.
var Paces = []struct {
	Hours Pace
	Words string
}{{0, "Copy it once"}, {1, "Look every hour"}, {24, "Look every day"}, {168, "Look every week"}}

// Known says whether a pace is one that can be chosen.
func (p Pace) Known() bool {
	for _, known := range Paces {
		if known.Hours == p {
			return true
		}
	}
	return false
}

// MostFailed is after how many looks in vain, one after the other, none follows.
const MostFailed = 10

// Longest is how long at most is waited after looks in vain.
const Longest = 7 * 24 * time.Hour

// Next says when it is looked next after a look that ended now, the last failed of which
// were in vain; ok is false where none follows.
func (p Pace) Next(now time.Time, failed int) (at time.Time, ok bool) {
	if p <= 0 || failed >= MostFailed {
		return time.Time{}, false
	}
	wait := time.Duration(p) * time.Hour
	for range failed {
		wait = min(2*wait, Longest)
	}
	return now.Add(wait), true
}

// Said is a pace as part of a sentence.
func (p Pace) Said() string {
	switch p {
	case 0:
		return "copied once"
	case 1:
		return "looked at every hour"
	case 24:
		return "looked at every day"
	case 168:
		return "looked at every week"
	}
	return fmt.Sprintf("looked at every %d hours", int(p))
}

// LinkFails is after how many looks in vain, one after the other, a web link is said to lead
// nowhere: a website may be away for a day.
const LinkFails = 2

// NextLink says when a web link in a document is looked at again, of which the last failed
// looks were in vain: every so often, a day after the first time, and each week where it
// leads nowhere.
func NextLink(now time.Time, every time.Duration, failed int) time.Time {
	switch {
	case failed == 0:
		return now.Add(every)
	case failed < LinkFails:
		return now.Add(min(every, 24*time.Hour))
	}
	return now.Add(min(every, 7*24*time.Hour))
}

// MostAhead is how far ahead an edition's time can be chosen, in years.
const MostAhead = 2

// Chosen reads a time that somebody chose as their clock shows it, as 2027-01-04T08:30, off
// minutes ahead of UTC; ok is false for one that is past, too far ahead, or none.
func Chosen(typed string, off int, now time.Time) (at time.Time, ok bool) {
	at, err := time.Parse("2006-01-02T15:04", typed)
	if err != nil || off < -24*60 || off > 24*60 {
		return time.Time{}, false
	}
	at = at.Add(-time.Duration(off) * time.Minute)
	return at, !at.Before(now.Add(-time.Minute)) && !at.After(now.AddDate(MostAhead, 0, 0))
}
