package placing

import (
	"context"
	"fmt"
	"time"

	"incipit/internal/database"
)

// ListedPlacement is a placement as the list shows it.
type ListedPlacement struct {
	ID          int64
	Key         string
	Title       string
	Name        string // among those of its document
	Pages       int
	Published   *int
	PublishedAt *time.Time
	UpdatedAt   time.Time
}

// PlacementsBelow lists placements, the one changed last first, from below the one with
// an id; 0 is from the first on.
func (s *Placer) PlacementsBelow(ctx context.Context, below int64) (database.Page[ListedPlacement], error) {
	var out []ListedPlacement
	db := s.db.WithContext(ctx)
	err := db.Raw(`
		SELECT p.id, p.key, p.name, d.title, e.pages, p.published, v.published_at, p.updated_at
		FROM (SELECT * FROM placements WHERE ? = 0 OR (updated_at, id) < (SELECT updated_at, id FROM placements WHERE id = ?) ORDER BY updated_at DESC, id DESC LIMIT ?) p
		JOIN documents d ON d.id = p.document_id
		JOIN editions e ON e.document_id = d.id AND e.number = `+standsIn+`
		LEFT JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		ORDER BY p.updated_at DESC, p.id DESC`, below, below, database.ListRows+1).Scan(&out).Error
	if err != nil {
		return database.Page[ListedPlacement]{}, fmt.Errorf("list placements: %w", err)
	}
	var all int
	if err := db.Raw("SELECT count(*) FROM placements").Scan(&all).Error; err != nil {
		return database.Page[ListedPlacement]{}, fmt.Errorf("count placements: %w", err)
	}
	return database.Part(out, all, func(l ListedPlacement) int64 { return l.ID }), nil
}
