package publishing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/webpage"
	"incipit/internal/database"
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
func (s *Publisher) SiteFrame(ctx context.Context) (SiteFrame, error) {
	var f SiteFrame
	err := s.db.WithContext(ctx).First(&f).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return SiteFrame{One: true, Content: webpage.NewFrame()}, nil
	}
	return f, database.Found(err, "the site's frame")
}

// ofSite is the draft of what all pages have in common.
var ofSite = draft.Live{Kind: draft.Site, Subject: 1,
	Lock: func(tx *gorm.DB) (int64, any, error) {
		first := SiteFrame{One: true, Content: webpage.NewFrame()}
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&first).Error; err != nil {
			return 0, nil, fmt.Errorf("keep the site's frame: %w", err)
		}
		var f SiteFrame
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&f).Error
		return f.Revision, f.Content, database.Found(err, "the site's frame")
	},
	Keep: func(tx *gorm.DB, revision int64, content json.RawMessage) error {
		return database.Found(tx.Exec("UPDATE site_frame SET revision = ?, content = ?", revision, string(content)).Error,
			"keep the site's frame")
	}}

// ChangeSiteFrame keeps a change that was made of a revision, beside what others
// changed since; a *draft.Clash where they changed the same, a draft.Refused where it
// cannot be so.
func (s *Publisher) ChangeSiteFrame(ctx context.Context, seen int64, by string, content webpage.Frame) ([]draft.Made, error) {
	return ofSite.Change(ctx, s.db, seen, by, content.Tidied(), func(b json.RawMessage) error {
		var f webpage.Frame
		if err := json.Unmarshal(b, &f); err != nil {
			return fmt.Errorf("read the site's frame: %w", err)
		}
		return draft.Refuse(f.Check())
	}, nil)
}

// MoveSiteFrame goes back (-1) or forward (+1) from what its maker saw, or gives
// a *draft.Stale.
func (s *Publisher) MoveSiteFrame(ctx context.Context, seen int64, by string, way int) error {
	return ofSite.Move(ctx, s.db, seen, by, way)
}

// WaysOfSiteFrame says whether undo and redo lead somewhere from what is in force.
func (s *Publisher) WaysOfSiteFrame(ctx context.Context, f SiteFrame) (undo, redo bool, err error) {
	return ofSite.Ways(ctx, s.db, f.Revision)
}
