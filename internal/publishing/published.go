package publishing

import (
	"context"
	"fmt"
	"time"

	"incipit/internal/core/webpage"
	"incipit/internal/database"
)

// Lead is where one of our pages is found at a moment, and what readers see of it.
type Lead struct {
	WebPageID int64
	Path      string
	Version   int        // that readers see, 0 for none
	Next      *time.Time // when that changes as planned
}

// PublishedPage is a page as readers see it.
type PublishedPage struct {
	Lead    `gorm:"embedded"`
	Content webpage.Page `gorm:"serializer:json"`
}

// lead gives, of a page whose address is h, its place and what readers see of it.
const (
	lead = `h.web_page_id, h.path, coalesce(t.version, 0) AS version,
		(SELECT min(due) FROM web_page_turns WHERE web_page_id = h.web_page_id AND due > @now) AS next`
	leadTurn = `LEFT JOIN LATERAL (SELECT version FROM web_page_turns WHERE web_page_id = h.web_page_id AND due <= @now ORDER BY due DESC, id DESC LIMIT 1) t ON true`
)

// PublishedPage reads, in one statement, the page that an address leads to as readers see
// it at a moment; its Path is another one where the page has moved. ErrNotFound where they
// see nothing.
func (s *Publisher) PublishedPage(ctx context.Context, path string, now time.Time) (PublishedPage, error) {
	var p PublishedPage
	err := s.db.WithContext(ctx).Raw(`SELECT `+lead+`, v.content
		FROM web_page_paths a
		JOIN web_page_paths h ON h.web_page_id = a.web_page_id AND h.holds
		`+leadTurn+`
		JOIN web_page_versions v ON v.web_page_id = h.web_page_id AND v.number = t.version
		WHERE a.path = @path`, map[string]any{"path": path, "now": now.UTC()}).Take(&p).Error
	return p, database.Found(err, "a published page")
}

// Leads reads where some pages are found, and the one that the site begins with.
func (s *Publisher) Leads(ctx context.Context, now time.Time, pages ...int64) (map[int64]Lead, error) {
	var rows []Lead
	err := s.db.WithContext(ctx).Raw(`SELECT `+lead+` FROM web_page_paths h `+leadTurn+
		` WHERE h.holds AND (h.path = '' OR h.web_page_id IN @pages)`,
		map[string]any{"pages": append([]int64{0}, pages...), "now": now.UTC()}).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read where pages are found: %w", err)
	}
	out := map[int64]Lead{}
	for _, r := range rows {
		out[r.WebPageID] = r
	}
	return out, nil
}

// PicturesByID reads pictures.
func (s *Publisher) PicturesByID(ctx context.Context, ids ...int64) (map[int64]Picture, error) {
	return database.ByID(s.db.WithContext(ctx), ids, func(p Picture) int64 { return p.ID })
}

// CollectionsByID reads collections.
func (s *Publisher) CollectionsByID(ctx context.Context, ids ...int64) (map[int64]Collection, error) {
	return database.ByID(s.db.WithContext(ctx), ids, func(c Collection) int64 { return c.ID })
}
