package placing

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
	// The room that the viewer last had there, CSS px; 0 is not known.
	RoomWidth  int `json:"room_width"`
	RoomHeight int `json:"room_height"`
}

// Room is what a viewer has on a page: the column, and its own width and height, in
// CSS px.
type Room struct{ Column, Width, Height int }

// mostSeen bounds the pages and widths that are kept for one placement; all of them are
// told.
const mostSeen = 400

// NoteSeen counts that a placement was seen on a page, and which room it had. Nothing
// of who saw it is kept.
// Where as many are known as are kept, the one that was seen least, and longest ago, makes way.
func (s *Placer) NoteSeen(ctx context.Context, placement int64, page string, room Room) error {
	_, err := s.db.Pool.Exec(ctx, `WITH gone AS (
			DELETE FROM seen_pages WHERE ctid IN (SELECT ctid FROM seen_pages WHERE placement_id = $1 ORDER BY times DESC, last_seen DESC OFFSET $4 - 1)
			AND NOT EXISTS (SELECT FROM seen_pages WHERE placement_id = $1 AND page = $2 AND width = $3))
		INSERT INTO seen_pages (placement_id, page, width, room_width, room_height)
		VALUES ($1, $2, $3, $5, $6)
		ON CONFLICT (placement_id, page, width) DO UPDATE SET times = seen_pages.times + 1, last_seen = now(), room_width = $5, room_height = $6`,
		placement, page, room.Column, mostSeen, room.Width, room.Height)
	if err != nil {
		return fmt.Errorf("note where a placement stands: %w", err)
	}
	return nil
}

// Seen gives the pages on which a placement was seen, the latest first, and how
// often in columns of which widths.
func (s *Placer) Seen(ctx context.Context, placement int64) ([]SeenPage, map[int]int64, error) {
	var rows []struct {
		SeenPage
		Width int
		Whole bool // a page, and not a width
	}
	err := s.db.WithContext(ctx).Raw(`SELECT coalesce(page, '') AS page, coalesce(width, 0) AS width, grouping(page) = 0 AS whole, sum(times) AS times, max(last_seen) AS last_seen,
		(array_agg(room_width ORDER BY last_seen DESC))[1] AS room_width, (array_agg(room_height ORDER BY last_seen DESC))[1] AS room_height
		FROM seen_pages WHERE placement_id = ? GROUP BY GROUPING SETS ((page), (width)) ORDER BY max(last_seen) DESC, page`, placement).Scan(&rows).Error
	if err != nil {
		return nil, nil, fmt.Errorf("read where a placement stands: %w", err)
	}
	pages, widths := []SeenPage{}, map[int]int64{}
	for _, r := range rows {
		if r.Whole {
			pages = append(pages, r.SeenPage)
		} else {
			widths[r.Width] = r.Times
		}
	}
	return pages, widths, nil
}
