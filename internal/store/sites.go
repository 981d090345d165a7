package store

import (
	"context"
	"fmt"
	"time"
)

// RefusedSite is a website that asked for a placement and was refused.
type RefusedSite struct {
	PlacementID int64     `json:"-"`
	Origin      string    `json:"origin"`
	Times       int64     `json:"times"`
	LastSeen    time.Time `json:"last_seen"`
}

// mostRefused bounds the websites that are noted for one placement.
const mostRefused = 50

// NoteRefused counts a refused website.
func (s *Store) NoteRefused(ctx context.Context, placement int64, origin string) error {
	err := s.db.WithContext(ctx).Exec(`INSERT INTO refused_sites (placement_id, origin)
		SELECT ?, ? WHERE (SELECT count(*) FROM refused_sites WHERE placement_id = ?) < ? OR EXISTS (SELECT 1 FROM refused_sites WHERE placement_id = ? AND origin = ?)
		ON CONFLICT (placement_id, origin) DO UPDATE SET times = refused_sites.times + 1, last_seen = now()`,
		placement, origin, placement, mostRefused, placement, origin).Error
	if err != nil {
		return fmt.Errorf("note a refused website: %w", err)
	}
	return nil
}

// RefusedSites lists the websites that were refused, the latest first.
func (s *Store) RefusedSites(ctx context.Context, placement int64) ([]RefusedSite, error) {
	list := []RefusedSite{}
	err := s.db.WithContext(ctx).Where("placement_id = ?", placement).Order("last_seen DESC").Limit(mostRefused).Find(&list).Error
	return list, err
}
