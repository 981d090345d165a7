package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/webpage"
	"incipit/internal/draft"
)

// SiteFrame is what all pages have in common. Revision counts its changes.
type SiteFrame struct {
	One      bool `gorm:"primaryKey"`
	Revision int64
	Content  webpage.Frame `gorm:"serializer:json"`
}

// TableName tells GORM the table.
func (SiteFrame) TableName() string { return "site_frame" }

// SiteFrame reads it; a house that has set none has the one to begin with.
func (s *Store) SiteFrame(ctx context.Context) (SiteFrame, error) {
	var f SiteFrame
	err := s.db.WithContext(ctx).First(&f).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return SiteFrame{One: true, Content: webpage.NewFrame()}, nil
	}
	return f, found(err, "the site's frame")
}

// ofSite is the draft of what all pages have in common.
var ofSite = live{draft.Site, 1,
	func(tx *gorm.DB) (int64, any, error) {
		first := SiteFrame{One: true, Content: webpage.NewFrame()}
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&first).Error; err != nil {
			return 0, nil, fmt.Errorf("keep the site's frame: %w", err)
		}
		var f SiteFrame
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&f).Error
		return f.Revision, f.Content, found(err, "the site's frame")
	},
	func(tx *gorm.DB, revision int64, content json.RawMessage) error {
		return found(tx.Exec("UPDATE site_frame SET revision = ?, content = ?", revision, string(content)).Error, "keep the site's frame")
	}}

// ChangeSiteFrame keeps a change that was made of a revision, beside what others
// changed since; a *draft.Clash where they changed the same. check, or nil, may
// refuse what it comes to.
func (s *Store) ChangeSiteFrame(ctx context.Context, seen int64, by string, content webpage.Frame,
	check func(webpage.Frame) error) ([]draft.Made, error) {
	return s.change(ctx, ofSite, seen, by, content, func(b json.RawMessage) error {
		if check == nil {
			return nil
		}
		var f webpage.Frame
		if err := json.Unmarshal(b, &f); err != nil {
			return fmt.Errorf("read the site's frame: %w", err)
		}
		return check(f)
	}, nil)
}

// MoveSiteFrame goes back (-1) or forward (+1) from what its maker saw, or gives
// a *draft.Stale.
func (s *Store) MoveSiteFrame(ctx context.Context, seen int64, by string, way int) error {
	return s.move(ctx, ofSite, seen, by, way)
}

// WaysOfSiteFrame says whether undo and redo lead somewhere from what is in force.
func (s *Store) WaysOfSiteFrame(ctx context.Context, f SiteFrame) (undo, redo bool, err error) {
	return s.ways(ctx, ofSite, f.Revision)
}
