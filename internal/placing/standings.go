package placing

import (
	"context"
	"fmt"
	"time"

	"incipit/internal/core/collection"
)

// Standing is a placement with what collections and web pages show of it.
type Standing struct {
	ID          int64
	Key         string
	Title       string
	Published   *int
	EditionID   int64 // that readers see, or the latest where they see none
	Pages       int
	Bytes       int64
	Language    string
	Locked      bool    // not everybody may see its cover
	Guarded     bool    // only who was invited may know of it
	CoverHeight float64 // of page 1, over its width
	Changed     time.Time
}

// Standings reads placements by number.
func (s *Placer) Standings(ctx context.Context, ids ...int64) (map[int64]Standing, error) {
	var rows []Standing
	err := s.db.WithContext(ctx).Raw(`
		SELECT p.id, p.key, d.title, p.published, e.id AS edition_id, e.pages, e.bytes, coalesce(e.facts->>'language', '') AS language, e.locked OR coalesce((v.settings->>'guarded')::boolean, false) AS locked, coalesce((v.settings->>'guarded')::boolean, false) AS guarded,
		       coalesce((e.sheets->0->>'height')::float8 / nullif((e.sheets->0->>'width')::float8, 0), 1.414) AS cover_height,
		       coalesce(v.published_at, p.updated_at) AS changed
		FROM placements p
		JOIN documents d ON d.id = p.document_id
		LEFT JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		JOIN editions e ON e.document_id = d.id AND CASE WHEN v.edition_id IS NULL THEN e.number = `+standsIn+` ELSE e.id = v.edition_id END
		WHERE p.id IN ?`, append([]int64{0}, ids...)).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read placements: %w", err)
	}
	out := make(map[int64]Standing, len(rows))
	for _, r := range rows {
		out[r.ID] = r
	}
	return out, nil
}

// Entry is a placement as a collection shows it.
func (st Standing) Entry(category string) collection.Entry {
	return collection.Entry{Key: st.Key, Title: st.Title, Category: category, Language: st.Language, Pages: st.Pages, Bytes: st.Bytes,
		Changed: st.Changed, CoverHeight: st.CoverHeight, Locked: st.Locked}
}
