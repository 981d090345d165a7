package store

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm/clause"
)

// Picture is a picture that an editor added, in px. It is served in Widths.
type Picture struct {
	ID            int64
	SHA256        string `gorm:"column:sha256"`
	Name          string
	Width, Height int
	MediaType     string
	Widths        []int `gorm:"serializer:json"`
	CreatedAt     time.Time
}

// AddPicture keeps a picture; the same bytes are kept once.
func (s *Store) AddPicture(ctx context.Context, p Picture) (Picture, error) {
	db := s.db.WithContext(ctx)
	if err := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&p).Error; err != nil {
		return p, fmt.Errorf("add a picture: %w", err)
	}
	var kept Picture
	err := db.First(&kept, "sha256 = ?", p.SHA256).Error
	return kept, found(err, "the picture that was added")
}

// Picture reads one.
func (s *Store) Picture(ctx context.Context, id int64) (Picture, error) {
	var p Picture
	err := s.db.WithContext(ctx).First(&p, id).Error
	return p, found(err, fmt.Sprintf("picture %d", id))
}

// Pictures lists them, the latest first.
func (s *Store) Pictures(ctx context.Context) ([]Picture, error) {
	var out []Picture
	err := s.db.WithContext(ctx).Order("id DESC").Limit(500).Find(&out).Error
	return out, found(err, "list pictures")
}
