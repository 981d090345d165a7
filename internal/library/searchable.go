package library

import (
	"context"

	"incipit/internal/database"
)

// Unsearched counts the documents whose text is not found whole, by why: what is denied of a
// word is denied of the others alone.
type Unsearched struct {
	Waiting int // their text has not been read yet, or not been made an index of
	Partly  int // some pages could not be read
	Failed  int // their file cannot be read at all
	Locked  int // their file asks for a password
}

// All counts them.
func (u Unsearched) All() int { return u.Waiting + u.Partly + u.Failed + u.Locked }

// Unsearched counts the documents whose text is not searched, or not all of it.
func (s *Library) Unsearched(ctx context.Context) (u Unsearched, err error) {
	err = s.db.WithContext(ctx).Raw(`
		SELECT count(*) FILTER (WHERE why = 'waiting') AS waiting, count(*) FILTER (WHERE why = 'partly') AS partly,
		       count(*) FILTER (WHERE why = 'failed') AS failed, count(*) FILTER (WHERE why = 'locked') AS locked
		FROM (SELECT CASE WHEN e.locked THEN 'locked' WHEN e.state = 'failed' THEN 'failed'
		                  WHEN e.state <> 'ready' OR e.has_text AND (e.indexed < e.pages OR w.edition_id IS NULL) THEN 'waiting'
		                  WHEN jsonb_array_length(coalesce(e.unread->'text', '[]')) > 0 THEN 'partly' END AS why
		      FROM documents d JOIN editions e ON e.document_id = d.id AND e.number = d.edition
		      LEFT JOIN edition_words w ON w.edition_id = e.id) AS each`).Scan(&u).Error
	return u, database.Found(err, "count what is not searched")
}
