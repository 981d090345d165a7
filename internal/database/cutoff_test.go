package database_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// A job that a killed process was at waits again at once, and an attempt that was cut off
// does not count; what somebody else is at, or this process, is left alone.
func TestJobsOfWhoIsGoneWaitAgain(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	here, there := s.DB.Leases(), s.DB.Leases()
	t.Cleanup(func() { here.Close(ctx); there.Close(ctx) })
	require.NoError(t, here.Serving(ctx, "here"))
	require.NoError(t, there.Serving(ctx, "there"))
	require.Error(t, there.Serving(ctx, "here"), "there is one of a name")
	began := map[string]int64{}
	begin := func(name, state string, attempt, most int, ago time.Duration, by ...string) {
		var id int64
		ended := "NULL"
		if state == "completed" {
			ended = "now()"
		}
		require.NoError(t, s.DB.WithContext(ctx).Raw(fmt.Sprintf(`INSERT INTO river_job (state, attempt, max_attempts, attempted_at, attempted_by, kind, args, queue, finalized_at)
			VALUES (CAST(? AS river_job_state), ?, ?, now() - make_interval(secs => ?), CAST(? AS text[]), 'read', '{}', 'default', %s) RETURNING id`, ended),
			state, attempt, most, ago.Seconds(), "{"+strings.Join(by, ",")+"}").Scan(&id).Error)
		began[name] = id
	}
	long := time.Hour
	begin("gone", "running", 2, 5, long, "there", "gone")
	begin("its last", "running", 5, 5, time.Second, "gone")
	begin("too often", "running", 30, 30, time.Second, "gone")
	begin("ended", "completed", 1, 5, long, "gone")
	begin("of another", "running", 1, 5, long, "gone", "there")
	begin("at it", "running", 1, 5, long, "here")
	begin("just begun", "running", 1, 5, time.Second, "here")
	begin("not noted", "running", 1, 5, long, "gone", "here")
	states := func() map[string]string {
		out := map[string]string{}
		for name, id := range began {
			var state string
			var most int
			require.NoError(t, s.DB.WithContext(ctx).Raw("SELECT state::text, max_attempts FROM river_job WHERE id = ?", id).Row().Scan(&state, &most))
			out[name] = fmt.Sprint(state, " ", most)
		}
		return out
	}
	n, err := s.DB.HandBack(ctx, here, "here", func(job int64) bool { return job == began["at it"] })
	require.NoError(t, err)
	assert.Equal(t, 3, n)
	want := map[string]string{
		"gone": "available 5", "its last": "available 6", "too often": "running 30", "ended": "completed 5",
		"of another": "running 5", "at it": "running 5", "just begun": "running 5", "not noted": "available 5",
	}
	assert.Equal(t, want, states())

	there.Close(ctx) // as if it were killed
	patience.Until(t, func() bool {
		n, err = s.DB.HandBack(ctx, here, "here", func(int64) bool { return true })
		return err == nil && n == 1
	})
	want["of another"] = "available 5"
	assert.Equal(t, want, states())
}
