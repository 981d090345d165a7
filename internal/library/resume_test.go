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

// In an installation made out of a backup nothing has a job: all that was promised gets one,
// and one only, which a job that runs is, too, where it would do all of it again.
func TestWhatWasPromisedHasAJob(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	testkit.Added(t, s, "tides")
	in := &intake.Intake{All: s}
	for _, sql := range []string{
		`UPDATE editions SET state = 'ready', has_text = true`,
		`INSERT INTO editions OVERRIDING SYSTEM VALUE SELECT (jsonb_populate_record(e, jsonb_build_object('id', 90, 'number', 2, 'blob_key', 'files/other'))).* FROM editions e`,
		`INSERT INTO edition_reports (edition_id) SELECT id FROM editions`,
		`UPDATE edition_reports SET trouble = 'It asks for a password.' WHERE edition_id = 90`,
		`INSERT INTO edition_comparisons (before_id, edition_id) SELECT min(id), max(id) FROM editions`,
		`INSERT INTO edition_comparisons (before_id, edition_id) SELECT max(id), min(id) FROM editions`,
		`INSERT INTO recognitions (edition_id, languages) SELECT min(id), 'eng' FROM editions`,
		`UPDATE all_documents SET write_in = true`,
		`INSERT INTO sources (address, hours, looking) VALUES ('https://museum.example/a.pdf', 0, true), ('https://museum.example/b.pdf', 0, false)`,
		`DELETE FROM river_job`,
	} {
		_, err := s.DB.Pool.Exec(ctx, sql)
		require.NoError(t, err, sql)
	}
	kinds := func() map[string]int {
		all, err := s.Library.Jobs(ctx)
		require.NoError(t, err)
		out := map[string]int{}
		for _, of := range all {
			out[of.Kind] += of.N
		}
		return out
	}
	want := map[string]int{"measure": 2, "index": 2, "report": 1, "compare": 2, "recognise": 1, "mend": 1, "fetch": 1}
	for range 2 {
		_, err := in.Resume(ctx)
		require.NoError(t, err)
		assert.Equal(t, want, kinds())
	}
	_, err := s.DB.Pool.Exec(ctx, "UPDATE river_job SET state = 'running', attempt = 1, attempted_at = now() WHERE kind IN ('report', 'compare', 'recognise', 'mend', 'fetch')")
	require.NoError(t, err)
	_, err = in.Resume(ctx)
	require.NoError(t, err)
	assert.Equal(t, want, kinds())
}
