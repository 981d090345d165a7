package revisit_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/revisit"
)

func TestNext(t *testing.T) {
	now := time.Date(2026, 3, 1, 8, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		pace   revisit.Pace
		failed int
		after  time.Duration
	}{
		{1, 0, time.Hour}, {24, 0, 24 * time.Hour}, {168, 0, 168 * time.Hour},
		{1, 1, 2 * time.Hour}, {1, 3, 8 * time.Hour}, {24, 2, 96 * time.Hour}, {24, 9, revisit.Longest}, {168, 1, revisit.Longest},
	} {
		at, ok := c.pace.Next(now, c.failed)
		assert.True(t, ok)
		assert.Equal(t, c.after, at.Sub(now), "%d hours, failed %d times", c.pace, c.failed)
	}
	_, ok := revisit.Pace(0).Next(now, 0)
	assert.False(t, ok, "what was copied once is not looked at again")
	_, ok = revisit.Pace(1).Next(now, revisit.MostFailed)
	assert.False(t, ok)
}

// It is never looked sooner than was chosen, and never sooner after more failures.
func TestLooksBecomeSeldom(t *testing.T) {
	now := time.Unix(1_900_000_000, 0)
	for _, p := range revisit.Paces[1:] {
		assert.True(t, p.Hours.Known())
		assert.NotContains(t, p.Hours.Said(), "hours")
		before := now.Add(time.Duration(p.Hours) * time.Hour)
		for failed := range revisit.MostFailed {
			at, ok := p.Hours.Next(now, failed)
			assert.True(t, ok)
			assert.False(t, at.Before(before), "%d hours, failed %d times", p.Hours, failed)
			assert.LessOrEqual(t, at.Sub(now), revisit.Longest)
			before = at
		}
	}
	assert.False(t, revisit.Pace(2).Known())
	assert.Equal(t, "copied once", revisit.Pace(0).Said())
}

func TestNextLink(t *testing.T) {
	now := time.Unix(1_900_000_000, 0)
	const day = 24 * time.Hour
	for _, c := range []struct {
		every  time.Duration
		failed int
		after  time.Duration
	}{{30 * day, 0, 30 * day}, {30 * day, 1, day}, {30 * day, 2, 7 * day}, {30 * day, 9, 7 * day}, {2 * day, 5, 2 * day}} {
		assert.Equal(t, c.after, revisit.NextLink(now, c.every, c.failed).Sub(now))
	}
}

func TestAChosenTime(t *testing.T) {
	now := time.Date(2027, 1, 4, 8, 30, 40, 0, time.UTC)
	for _, c := range []struct {
		typed string
		off   int
		at    time.Time // zero: refused
	}{
		{"2027-01-04T09:00", 0, time.Date(2027, 1, 4, 9, 0, 0, 0, time.UTC)},
		{"2027-01-04T09:31", 60, time.Date(2027, 1, 4, 8, 31, 0, 0, time.UTC)},
		{"2027-01-04T08:30", 0, time.Date(2027, 1, 4, 8, 30, 0, 0, time.UTC)}, // this minute
		{"2027-01-04T08:29", 0, time.Time{}}, {"2027-01-04T09:00", 60, time.Time{}}, {"2029-02-01T00:00", 0, time.Time{}},
		{"tomorrow", 0, time.Time{}}, {"", 0, time.Time{}}, {"2027-01-05T09:00", 24*60 + 1, time.Time{}},
	} {
		at, ok := revisit.Chosen(c.typed, c.off, now)
		assert.Equal(t, !c.at.IsZero(), ok, c.typed)
		if ok {
			assert.Equal(t, c.at, at)
		}
	}
}
