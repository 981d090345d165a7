package library_test

import (
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/intake"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// After a crash every edition that is not done has a job again, and one only, however
// often servers start.
func TestResumeMakesOneJob(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	_, e := testkit.Added(t, s, "tides")
	in := &intake.Intake{All: s}
	waiting := func() (n int) {
		require.NoError(t, s.DB.Pool.QueryRow(ctx, "SELECT count(*) FROM river_job WHERE kind = 'examine' AND state = 'available'").Scan(&n))
		return n
	}
	_, err := s.DB.Pool.Exec(ctx, "UPDATE river_job SET state = 'running', attempt = 1, attempted_at = now() WHERE kind = 'examine'")
	require.NoError(t, err)
	for range 3 {
		_, err := in.Resume(ctx)
		require.NoError(t, err)
	}
	assert.Equal(t, 1, waiting(), "the one that runs may be of a server that is no more")
	_, err = s.DB.Pool.Exec(ctx, "UPDATE editions SET state = 'failed' WHERE id = $1", e.ID)
	require.NoError(t, err)
	n, err := in.Resume(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
}
