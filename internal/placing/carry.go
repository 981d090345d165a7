package placing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"

	"incipit/internal/core/setting"
	"incipit/internal/database"
)

// Carry is a change of house style on its way to what readers see: every published
// placement that follows what changes is published anew with it, some at a time. One
// that was published over the changed house style, or a later one, is left as it is.
type Carry struct {
	ID        int64
	Revision  int64         // of house style, that the change made
	Change    setting.Patch `gorm:"serializer:json"`
	MadeBy    *int64
	MadeAt    time.Time
	After     int64 // the placement that was looked at last
	Seen      int   // placements looked at
	Published int   // of which were published anew
	EndedAt   *time.Time
}

// TableName tells GORM the table.
func (Carry) TableName() string { return "house_carries" }

// AtOnce asks for a change of house style to be carried to readers: in whose name, and
// the job that does it.
type AtOnce struct {
	By  int64
	Job river.JobArgs
}

// carriedAtOnce is how many placements are published in one transaction.
const carriedAtOnce = 200

// carryLater keeps a change to be carried, with the job that does it.
func (s *Placer) carryLater(ctx context.Context, tx *gorm.DB, o AtOnce, revision int64, change setting.Patch) error {
	c := Carry{Revision: revision, Change: change, MadeAt: time.Now().UTC()}
	if o.By != 0 {
		c.MadeBy = &o.By
	}
	if len(change) == 0 { // it is done as soon as it is asked for
		c.EndedAt = &c.MadeAt
		return database.Found(tx.Create(&c).Error, "keep a change to carry")
	}
	if err := tx.Create(&c).Error; err != nil {
		return fmt.Errorf("keep a change to carry: %w", err)
	}
	if o.Job == nil {
		return nil
	}
	return s.db.Enqueue(ctx, tx, o.Job)
}

// LastCarry reads the change that was carried last, or is being carried, and of how many
// published placements; nil where there was none.
func (s *Placer) LastCarry(ctx context.Context) (c *Carry, all int, err error) {
	var last []Carry
	db := s.db.WithContext(ctx)
	if err := db.Order("id DESC").Limit(1).Find(&last).Error; err != nil || len(last) == 0 {
		return nil, 0, database.Found(err, "read the change that was carried last")
	}
	err = db.Raw("SELECT count(*) FROM placements WHERE published IS NOT NULL").Scan(&all).Error
	return &last[0], all, database.Found(err, "count published placements")
}

// carried is a published placement as the change finds it.
type carried struct {
	ID        int64
	EditionID int64
	Settings  setting.Settings `gorm:"serializer:json"`
	House     int64
	Own       setting.Patch `gorm:"serializer:json"`
	Last      int           // the number of its last version
}

// CarryOn carries the earliest change that is not carried yet to some more placements,
// in one transaction, and says whether any is left to be carried. It goes on where it
// was, whoever was at it.
func (s *Placer) CarryOn(ctx context.Context) (more bool, err error) {
	err = s.db.In(ctx, func(tx *gorm.DB) error {
		var c Carry
		err := tx.Raw("SELECT * FROM house_carries WHERE ended_at IS NULL ORDER BY id LIMIT 1 FOR UPDATE").Take(&c).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			// Who waited for one that was ended meanwhile finds none, though a later one
			// may be open.
			return stillCarrying(tx, &more)
		}
		if err != nil {
			return fmt.Errorf("read the change to carry: %w", err)
		}
		more = true
		var rows []carried
		err = tx.Raw(`
			SELECT p.id, v.edition_id, v.settings, v.house, s.content->'settings' AS own,
			       (SELECT max(number) FROM placement_versions WHERE placement_id = p.id) AS last
			FROM placements p
			JOIN draft_steps s ON s.kind = 'placement' AND s.subject = p.id AND s.revision = p.step
			JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
			WHERE p.id > ? ORDER BY p.id LIMIT ? FOR UPDATE OF p`, c.After, carriedAtOnce).Scan(&rows).Error
		if err != nil {
			return fmt.Errorf("read placements to carry a change to: %w", err)
		}
		var versions []Version
		var ids []int64
		now := time.Now().UTC()
		for _, r := range rows {
			if r.House >= c.Revision {
				continue
			}
			next, err := setting.Followed(r.Settings, r.Own, c.Change)
			if err != nil {
				return fmt.Errorf("carry house style into placement %d: %w", r.ID, err)
			}
			if len(setting.Diff(r.Settings, next)) == 0 {
				continue
			}
			ids = append(ids, r.ID)
			versions = append(versions, Version{PlacementID: r.ID, Number: r.Last + 1, Settings: next, EditionID: r.EditionID,
				PublishedBy: c.MadeBy, PublishedAt: now, House: c.Revision})
		}
		if len(ids) > 0 {
			if err := tx.Create(&versions).Error; err != nil {
				return fmt.Errorf("keep versions: %w", err)
			}
			err := tx.Exec("UPDATE placements p SET published = (SELECT max(number) FROM placement_versions v WHERE v.placement_id = p.id), updated_at = ? WHERE p.id IN ?", now, ids).Error
			if err != nil {
				return fmt.Errorf("publish placements: %w", err)
			}
		}
		on := map[string]any{"seen": c.Seen + len(rows), "published": c.Published + len(ids)}
		if len(rows) > 0 {
			on["after"] = rows[len(rows)-1].ID
		}
		if len(rows) < carriedAtOnce {
			on["ended_at"] = now
		}
		if err := tx.Model(&Carry{ID: c.ID}).Updates(on).Error; err != nil {
			return fmt.Errorf("note how far a change was carried: %w", err)
		}
		if len(rows) < carriedAtOnce {
			return stillCarrying(tx, &more)
		}
		return nil
	})
	return more, err
}

func stillCarrying(tx *gorm.DB, more *bool) error {
	return database.Found(tx.Raw("SELECT EXISTS (SELECT FROM house_carries WHERE ended_at IS NULL)").Scan(more).Error,
		"look for changes to carry")
}

// ResumeCarrying inserts the job where a change of house style is still to be carried and
// no job for it waits.
func (s *Placer) ResumeCarrying(ctx context.Context, job river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var open bool
		err := tx.Raw(`SELECT EXISTS (SELECT FROM house_carries WHERE ended_at IS NULL)
			AND NOT EXISTS (SELECT FROM river_job WHERE kind = ? AND state IN ('available', 'pending', 'retryable', 'scheduled'))`, job.Kind()).Scan(&open).Error
		if err != nil {
			return fmt.Errorf("look for changes to carry: %w", err)
		}
		if !open {
			return nil
		}
		return s.db.Enqueue(ctx, tx, job)
	})
}

// houseOf reads house style out of a step's content.
func houseOf(content json.RawMessage) (House, error) {
	var c houseContent
	if err := json.Unmarshal(content, &c); err != nil {
		return House{}, fmt.Errorf("read house style: %w", err)
	}
	return c.read()
}
