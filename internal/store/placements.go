package store

import (
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/setting"
)

// Placement is a document set on web pages. Step is the step of its draft
// that holds; Published is the version readers see, or nil.
type Placement struct {
	ID         int64
	Key        string
	DocumentID int64
	Step       int
	Published  *int
	// Record is the integrator's own name for what it is attached to, or nil.
	Record    *string
	CreatedAt time.Time
	UpdatedAt time.Time
}

// Start is what a draft begins with: a starter, and what its settings differ
// from house style in.
type Start struct {
	Starter, Reason string
	Patch           setting.Patch
}

// Draft is a placement's draft: what differs from house style, and whether
// there is a step to go back or forward to.
type Draft struct {
	Patch      setting.Patch
	Step       int
	Undo, Redo bool
	// Starter names the set of settings it was last begun with, Reason says why.
	Starter, Reason string
}

// Version is what readers see: all settings, and the edition.
type Version struct {
	PlacementID int64
	Number      int
	Settings    setting.Settings `gorm:"serializer:json"`
	EditionID   int64
	PublishedBy *int64
	PublishedAt time.Time
}

// TableName tells GORM the table.
func (Version) TableName() string { return "placement_versions" }

type placementStep struct {
	PlacementID int64         `gorm:"primaryKey"`
	Step        int           `gorm:"primaryKey"`
	Settings    setting.Patch `gorm:"serializer:json"`

	Starter, StarterReason string
}

func (placementStep) TableName() string { return "placement_steps" }

// ErrStale is given when a draft was changed elsewhere meanwhile.
var ErrStale = errors.New("the draft was changed elsewhere meanwhile")

// newKey makes a public key: 100 bits, readable aloud.
func newKey() (string, error) {
	b := make([]byte, 13)
	if _, err := rand.Read(b); err != nil {
		return "", fmt.Errorf("make a key: %w", err)
	}
	return strings.ToLower(base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(b))[:20], nil
}

// Place sets a document: a new placement whose draft is house style with a
// start over it.
func (s *Store) Place(ctx context.Context, document int64, start Start) (Placement, error) {
	key, err := newKey()
	if err != nil {
		return Placement{}, err
	}
	p := Placement{Key: key, DocumentID: document}
	if start.Patch == nil {
		start.Patch = setting.Patch{}
	}
	err = s.in(ctx, func(tx *gorm.DB) error {
		if err := tx.Create(&p).Error; err != nil {
			return fmt.Errorf("add placement: %w", err)
		}
		return tx.Create(&placementStep{PlacementID: p.ID, Settings: start.Patch, Starter: start.Starter, StarterReason: start.Reason}).Error
	})
	return p, err
}

// Placement reads one placement.
func (s *Store) Placement(ctx context.Context, id int64) (Placement, error) {
	var p Placement
	err := s.db.WithContext(ctx).First(&p, id).Error
	return p, found(err, fmt.Sprintf("placement %d", id))
}

// PlacementByKey reads one placement by its public key.
func (s *Store) PlacementByKey(ctx context.Context, key string) (Placement, error) {
	var p Placement
	err := s.db.WithContext(ctx).Where("key = ?", key).First(&p).Error
	return p, found(err, "placement")
}

// PlacementsOf lists a document's placements, the oldest first.
func (s *Store) PlacementsOf(ctx context.Context, document int64) ([]Placement, error) {
	var out []Placement
	err := s.db.WithContext(ctx).Where("document_id = ?", document).Order("id").Find(&out).Error
	return out, found(err, fmt.Sprintf("placements of document %d", document))
}

// Draft reads a placement's draft.
func (s *Store) Draft(ctx context.Context, p Placement) (Draft, error) {
	var step placementStep
	db := s.db.WithContext(ctx)
	if err := db.First(&step, "placement_id = ? AND step = ?", p.ID, p.Step).Error; err != nil {
		return Draft{}, found(err, fmt.Sprintf("draft of placement %d", p.ID))
	}
	var ahead int64
	if err := db.Model(&placementStep{}).Where("placement_id = ? AND step > ?", p.ID, p.Step).Count(&ahead).Error; err != nil {
		return Draft{}, fmt.Errorf("draft of placement %d: %w", p.ID, err)
	}
	return Draft{Patch: step.Settings, Step: p.Step, Undo: p.Step > 0, Redo: ahead > 0, Starter: step.Starter, Reason: step.StarterReason}, nil
}

// locked reads a placement for change within tx.
func locked(tx *gorm.DB, id int64) (Placement, error) {
	var p Placement
	err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&p, id).Error
	return p, found(err, fmt.Sprintf("placement %d", id))
}

// Redraft keeps a change as the next step of the draft, if step is still the
// one that holds, and drops what lay ahead. What the draft was begun with stays.
func (s *Store) Redraft(ctx context.Context, id int64, step int, patch setting.Patch) error {
	return s.nextStep(ctx, id, step, func(tx *gorm.DB) (placementStep, error) {
		var now placementStep
		err := tx.First(&now, "placement_id = ? AND step = ?", id, step).Error
		now.Settings = patch
		return now, found(err, fmt.Sprintf("draft of placement %d", id))
	})
}

// Restart is Redraft with another beginning.
func (s *Store) Restart(ctx context.Context, id int64, step int, start Start) error {
	return s.nextStep(ctx, id, step, func(*gorm.DB) (placementStep, error) {
		return placementStep{PlacementID: id, Settings: start.Patch, Starter: start.Starter, StarterReason: start.Reason}, nil
	})
}

func (s *Store) nextStep(ctx context.Context, id int64, step int, next func(tx *gorm.DB) (placementStep, error)) error {
	return s.in(ctx, func(tx *gorm.DB) error {
		p, err := locked(tx, id)
		if err != nil {
			return err
		}
		if p.Step != step {
			return ErrStale
		}
		if err := tx.Where("placement_id = ? AND step > ?", id, step).Delete(&placementStep{}).Error; err != nil {
			return fmt.Errorf("drop later steps: %w", err)
		}
		row, err := next(tx)
		if err != nil {
			return err
		}
		row.Step = step + 1
		if err := tx.Create(&row).Error; err != nil {
			return fmt.Errorf("keep the change: %w", err)
		}
		return tx.Model(&p).Updates(map[string]any{"step": step + 1}).Error
	})
}

// Move goes one step back (-1) or forward (+1) in the draft. Where there is no
// such step it stays.
func (s *Store) Move(ctx context.Context, id int64, by int) error {
	return s.in(ctx, func(tx *gorm.DB) error {
		p, err := locked(tx, id)
		if err != nil {
			return err
		}
		var n int64
		if err := tx.Model(&placementStep{}).Where("placement_id = ? AND step = ?", id, p.Step+by).Count(&n).Error; err != nil {
			return fmt.Errorf("look for a step: %w", err)
		}
		if n == 0 {
			return nil
		}
		return tx.Model(&p).Updates(map[string]any{"step": p.Step + by}).Error
	})
}

// Publish makes settings and edition the version readers see.
func (s *Store) Publish(ctx context.Context, id, edition, by int64, settings setting.Settings) error {
	return s.in(ctx, func(tx *gorm.DB) error {
		p, err := locked(tx, id)
		if err != nil {
			return err
		}
		return publish(tx, p, edition, by, settings)
	})
}

// publish makes the next version of a locked placement.
func publish(tx *gorm.DB, p Placement, edition, by int64, settings setting.Settings) error {
	var last int
	if err := tx.Model(&Version{}).Where("placement_id = ?", p.ID).Select("coalesce(max(number), 0)").Scan(&last).Error; err != nil {
		return fmt.Errorf("count versions: %w", err)
	}
	v := Version{PlacementID: p.ID, Number: last + 1, Settings: settings, EditionID: edition, PublishedAt: time.Now().UTC()}
	if by != 0 {
		v.PublishedBy = &by
	}
	if err := tx.Create(&v).Error; err != nil {
		return fmt.Errorf("keep the version: %w", err)
	}
	return tx.Model(&p).Updates(map[string]any{"published": v.Number}).Error
}

// Withdraw takes a placement from its readers; publishing brings it back.
func (s *Store) Withdraw(ctx context.Context, id int64) error {
	return s.in(ctx, func(tx *gorm.DB) error {
		p, err := locked(tx, id)
		if err != nil {
			return err
		}
		return tx.Model(&p).Updates(map[string]any{"published": nil}).Error
	})
}

// WasPublished says whether readers ever saw a placement.
func (s *Store) WasPublished(ctx context.Context, id int64) (bool, error) {
	var versions int64
	err := s.db.WithContext(ctx).Model(&Version{}).Where("placement_id = ?", id).Count(&versions).Error
	return versions > 0, err
}

// PublishedVersion reads what readers see of a placement, or ErrNotFound.
func (s *Store) PublishedVersion(ctx context.Context, p Placement) (Version, error) {
	if p.Published == nil {
		return Version{}, fmt.Errorf("placement %d is not published: %w", p.ID, ErrNotFound)
	}
	var v Version
	err := s.db.WithContext(ctx).First(&v, "placement_id = ? AND number = ?", p.ID, *p.Published).Error
	return v, found(err, fmt.Sprintf("version %d of placement %d", *p.Published, p.ID))
}

// DraftSettings reads all settings of a placement's draft, house style
// included.
func (s *Store) DraftSettings(ctx context.Context, p Placement) (setting.Settings, error) {
	house, err := s.HouseStyle(ctx)
	if err != nil {
		return setting.Settings{}, err
	}
	d, err := s.Draft(ctx, p)
	if err != nil {
		return setting.Settings{}, err
	}
	settings, err := d.Patch.Over(house)
	if err != nil {
		return setting.Settings{}, fmt.Errorf("draft of placement %d: %w", p.ID, err)
	}
	return settings, nil
}
