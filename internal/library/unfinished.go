package library

import (
	"context"
	"fmt"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
)

// Jobs are those that rows of the library wait for, of an edition where nothing else is said.
type Jobs struct {
	Examine, Measure, Index, Word, Report, Mend func(edition int64) river.JobArgs
	Compare                                     func(before, edition int64) river.JobArgs
	Recognise                                   func(recognition int64) river.JobArgs
	Fetch                                       func(source int64) river.JobArgs
}

// of is a job about one thing, whose second number is always 0.
func of(job func(int64) river.JobArgs) func(id, second int64) river.JobArgs {
	return func(id, _ int64) river.JobArgs { return job(id) }
}

// promise is a kind of row that waits for a job: rows gives what the job is about, id, and a
// second number; about is what the job's arguments call id. One that is once is not begun
// beside one that runs, since it would do all of it again.
type promise struct {
	rows, about string
	once        bool
	job         func(id, second int64) river.JobArgs
}

func promises(j Jobs) []promise {
	return []promise{
		{"SELECT id, 0 AS second FROM editions WHERE state = 'examining'", "edition", false, of(j.Examine)},
		{"SELECT id, 0 AS second FROM editions WHERE state = 'ready' AND NOT measured", "edition", false, of(j.Measure)},
		{"SELECT id, 0 AS second FROM editions WHERE state = 'ready' AND has_text AND NOT locked AND indexed < pages", "edition", false, of(j.Index)},
		{`SELECT id, 0 AS second FROM editions WHERE state = 'ready' AND (locked OR NOT has_text OR indexed >= pages)
			AND NOT EXISTS (SELECT FROM edition_words w WHERE w.edition_id = editions.id)`, "edition", false, of(j.Word)},
		{"SELECT edition_id AS id, 0 AS second FROM edition_reports WHERE result IS NULL AND trouble = ''", "edition", true, of(j.Report)},
		{`SELECT e.id, 0 AS second FROM editions e JOIN documents d ON d.id = e.document_id AND d.edition = e.number
			WHERE d.write_in AND e.state = 'ready' AND e.mended_says = ''`, "edition", true, of(j.Mend)},
		{"SELECT edition_id AS id, before_id AS second FROM edition_comparisons WHERE result IS NULL AND trouble = ''", "edition", true,
			func(id, second int64) river.JobArgs { return j.Compare(second, id) }},
		{"SELECT id, 0 AS second FROM recognitions WHERE ended_at IS NULL", "recognition", true, of(j.Recognise)},
		{"SELECT id, 0 AS second FROM sources WHERE looking", "source", true, of(j.Fetch)},
	}
}

// Resume inserts a job for all that waits for one and has none that waits: after a crash, or
// in an installation made out of a backup, nobody else may be at it. Where somebody is, the
// two take turns (see database.Leases), and the second finds it done.
func (s *Library) Resume(ctx context.Context, jobs Jobs) (int, error) {
	n := 0
	err := s.db.In(ctx, func(tx *gorm.DB) error {
		for _, u := range promises(jobs) {
			var rows []struct{ ID, Second int64 }
			err := tx.Raw(`SELECT id, second FROM (`+u.rows+`) u WHERE NOT EXISTS (SELECT FROM river_job j WHERE j.kind = ?
				AND (j.state IN ('available', 'pending', 'retryable', 'scheduled') OR ? AND j.state = 'running') AND j.args->>? = u.id::text
				AND (u.second = 0 OR j.args->>'before' = u.second::text)) ORDER BY id, second`, u.job(0, 0).Kind(), u.once, u.about).Scan(&rows).Error
			if err != nil {
				return fmt.Errorf("find what is unfinished: %w", err)
			}
			for _, r := range rows {
				if err := s.db.Enqueue(ctx, tx, u.job(r.ID, r.Second)); err != nil {
					return err
				}
			}
			n += len(rows)
		}
		return nil
	})
	return n, err
}
