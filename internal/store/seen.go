package store

import (
	"context"
	"fmt"
	"time"
)

// SeenPage is a web page on which a placement was seen.
type SeenPage struct {
	Page     string    `json:"page"`
	Times    int64     `json:"times"`
	LastSeen time.Time `json:"last_seen"`
}

// mostSeen bounds the pages and widths that are kept for one placement, and
// mostSeenPages those that are listed.
const (
	mostSeen      = 400
	mostSeenPages = 20
)

// NoteSeen counts that a placement was seen on a page in a column of a width,
// CSS px. Nothing of who saw it is kept.
func (s *Store) NoteSeen(ctx context.Context, placement int64, page string, width int) error {
	_, err := s.Pool.Exec(ctx, `INSERT INTO seen_pages (placement_id, page, width)
		SELECT $1, $2, $3 WHERE (SELECT count(*) FROM seen_pages WHERE placement_id = $1) < $4 OR EXISTS (SELECT 1 FROM seen_pages WHERE placement_id = $1 AND page = $2 AND width = $3)
		ON CONFLICT (placement_id, page, width) DO UPDATE SET times = seen_pages.times + 1, last_seen = now()`, placement, page, width, mostSeen)
	if err != nil {
		return fmt.Errorf("note where a placement stands: %w", err)
	}
	return nil
}

// Seen gives the pages on which a placement was seen, the latest first, and how
// often in columns of which widths.
func (s *Store) Seen(ctx context.Context, placement int64) ([]SeenPage, map[int]int64, error) {
	pages := []SeenPage{}
	db := s.db.WithContext(ctx)
	if err := db.Raw(`SELECT page, sum(times) AS times, max(last_seen) AS last_seen FROM seen_pages WHERE placement_id = ? GROUP BY page ORDER BY 3 DESC, 1 LIMIT ?`, placement, mostSeenPages).Scan(&pages).Error; err != nil {
		return nil, nil, fmt.Errorf("read where a placement stands: %w", err)
	}
	var rows []struct {
		Width int
		Times int64
	}
	if err := db.Raw(`SELECT width, sum(times) AS times FROM seen_pages WHERE placement_id = ? GROUP BY width`, placement).Scan(&rows).Error; err != nil {
		return nil, nil, fmt.Errorf("read how wide a placement stands: %w", err)
	}
	widths := map[int]int64{}
	for _, r := range rows {
		widths[r.Width] = r.Times
	}
	return pages, widths, nil
}
