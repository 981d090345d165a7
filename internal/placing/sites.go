package placing

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

// NoteRefused counts a refused website. Where there are as many as may be, the
// one that was seen least often, and of those the one seen longest ago, makes way:
// invented ones, each of them seen once, push out nobody but each other.
func (s *Placer) NoteRefused(ctx context.Context, placement int64, origin string) error {
	err := s.db.WithContext(ctx).Exec(`
		WITH known AS (
			UPDATE refused_sites SET times = times + 1, last_seen = now() WHERE placement_id = ? AND origin = ? RETURNING 1
		), gone AS (
			DELETE FROM refused_sites WHERE placement_id = ? AND NOT EXISTS (SELECT FROM known)
			AND origin IN (SELECT origin FROM refused_sites WHERE placement_id = ? ORDER BY times DESC, last_seen DESC OFFSET ?)
		)
		INSERT INTO refused_sites (placement_id, origin) SELECT ?, ? WHERE NOT EXISTS (SELECT FROM known) ON CONFLICT DO NOTHING`,
		placement, origin, placement, placement, mostRefused-1, placement, origin).Error
	if err != nil {
		return fmt.Errorf("note a refused website: %w", err)
	}
	return nil
}

// RefusedSites lists the websites that were refused, the latest first.
func (s *Placer) RefusedSites(ctx context.Context, placement int64) ([]RefusedSite, error) {
	list := []RefusedSite{}
	err := s.db.WithContext(ctx).Where("placement_id = ?", placement).Order("last_seen DESC").Limit(mostRefused).Find(&list).Error
	return list, err
}
