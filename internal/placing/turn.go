package placing

import (
	"context"
	"fmt"
	"maps"
	"time"

	"gorm.io/gorm"

	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
)

// Turned is what became of a placement when an edition came into force: the page it
// opened at, and the one it opens at now. Gone says that the page is in the new edition
// no more.
type Turned struct {
	Placement int64
	From, To  int
	Gone      bool
	Published bool
	Settings  setting.Settings // of its draft
}

// Where gives the page of one edition that a page of another one has become, and whether
// it is there still.
type Where func(page int) (now int, there bool)

// Follows says what a change of edition would do to the placements of a document: those
// that open at another page than the first.
func (s *Placer) Follows(ctx context.Context, document int64, where Where) ([]Turned, error) {
	all, err := s.drafted(s.db.WithContext(ctx), document)
	if err != nil {
		return nil, err
	}
	house, err := s.HouseStyle(ctx)
	if err != nil {
		return nil, err
	}
	var out []Turned
	for _, p := range all {
		settings, err := p.Own.Over(house)
		if err != nil {
			return nil, fmt.Errorf("draft of placement %d: %w", p.ID, err)
		}
		t := Turned{Placement: p.ID, From: settings.OpenAt, Published: p.Published != nil, Settings: settings}
		now, there := where(settings.OpenAt)
		t.To, t.Gone = now, !there
		out = append(out, t)
	}
	return out, nil
}

// OfDocument is a placement as the screen of its document lists it.
type OfDocument struct {
	ID        int64
	Key       string
	Published *int
	Edition   int // the number of the one that readers see
	Name      string
	StaysAt   int // the number of the edition it stays at, or 0
	RemovedBy string
	RemovedAt time.Time
}

// ShownOf lists the placements of a document with what readers see of each, at most a
// hundred.
func (s *Placer) ShownOf(ctx context.Context, document int64) ([]OfDocument, error) {
	var out []OfDocument
	err := s.db.WithContext(ctx).Raw(`SELECT p.id, p.key, p.name, p.published, coalesce(e.number, 0) AS edition, p.stays_at
		FROM placements p LEFT JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		LEFT JOIN editions e ON e.id = v.edition_id WHERE p.document_id = ? ORDER BY p.id LIMIT 100`, document).Scan(&out).Error
	return out, database.Found(err, fmt.Sprintf("list the placements of document %d", document))
}

// RemovedOf lists the placements of a document that were taken away by themselves and can be
// put back, at most a hundred.
func (s *Placer) RemovedOf(ctx context.Context, document int64) ([]OfDocument, error) {
	var out []OfDocument
	err := s.db.WithContext(ctx).Raw(`SELECT id, key, name, published, removed_by, removed_at FROM all_placements
		WHERE document_id = ? AND removed_at IS NOT NULL ORDER BY removed_at DESC, id LIMIT 100`, document).Scan(&out).Error
	return out, database.Found(err, fmt.Sprintf("list the removed placements of document %d", document))
}

// standingRow is a placement with its draft.
type standingRow struct {
	Placement
	Own setting.Patch `gorm:"serializer:json"`
}

func (s *Placer) drafted(db *gorm.DB, document int64) ([]standingRow, error) {
	var out []standingRow
	err := db.Raw(`SELECT p.*, s.content->'settings' AS own FROM placements p
		JOIN draft_steps s ON s.kind = 'placement' AND s.subject = p.id AND s.revision = p.step
		WHERE p.document_id = ? AND p.stays_at = 0 ORDER BY p.id`, document).Scan(&out).Error
	if err != nil {
		return nil, fmt.Errorf("read the placements of document %d: %w", document, err)
	}
	return out, nil
}

// TurnTo puts an edition of a document in force: drafts stand in it, and each placement
// that readers see shows it from now on, at the page that the one it opened at has become.
// Those that stay at an edition are left alone.
// seen is the number of the edition that its maker saw in force; where that is another one
// by now, ErrStale. An edition that is not whole is draft.Refused, and nothing is changed.
func (s *Placer) TurnTo(ctx context.Context, document int64, seen, number int, by int64, who string, where Where) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var now int
		if err := tx.Raw("SELECT edition FROM documents WHERE id = ? FOR UPDATE", document).Take(&now).Error; err != nil {
			return fmt.Errorf("read document %d: %w", document, err)
		}
		if now != seen {
			return ErrStale
		}
		var e usable
		err := tx.Raw("SELECT id, document_id, number, pages, state, problem_message FROM editions WHERE document_id = ? AND number = ?", document, number).Take(&e).Error
		if err != nil {
			return fmt.Errorf("read edition %d of document %d: %w", number, document, err)
		}
		switch e.State {
		case library.Failed:
			return draft.Refused("The file cannot be read: " + e.ProblemMessage)
		case library.Examining:
			return draft.Refused("The file is still being examined. Nothing was changed.")
		}
		if err := tx.Exec("UPDATE documents SET edition = ? WHERE id = ?", number, document).Error; err != nil {
			return fmt.Errorf("put edition %d of document %d in force: %w", number, document, err)
		}
		if err := tx.Exec("UPDATE editions SET live_at = NULL, live_not = '' WHERE id = ?", e.ID).Error; err != nil {
			return fmt.Errorf("let go of the time of edition %d of document %d: %w", number, document, err)
		}
		if err := library.Reword(tx, document); err != nil {
			return err
		}
		if err := tx.Exec("INSERT INTO edition_turns (document_id, number, made_by) VALUES (?, ?, ?)", document, number, who).Error; err != nil {
			return fmt.Errorf("note what came into force: %w", err)
		}
		var ids []int64
		if err := tx.Raw("SELECT id FROM placements WHERE document_id = ? AND stays_at = 0 ORDER BY id FOR UPDATE", document).Scan(&ids).Error; err != nil {
			return fmt.Errorf("lock the placements of document %d: %w", document, err)
		}
		for _, id := range ids {
			if err := turn(tx, id, e, by, who, where); err != nil {
				return err
			}
		}
		return nil
	})
}

// turn has one placement follow.
func turn(tx *gorm.DB, id int64, e usable, by int64, who string, where Where) error {
	h, err := take(tx, id)
	if err != nil {
		return err
	}
	p, step, d, settings := h.Placement, h.step, h.draft, h.settings
	if now := within(where, settings.OpenAt, e.Pages); now != settings.OpenAt {
		next := maps.Clone(d.Patch)
		maps.Copy(next, setting.PatchOf(setting.OpenAt, now))
		if _, err := draft.Next(tx, step, who, placed{next, d.Starter, d.Reason}); err != nil {
			return fmt.Errorf("carry the opening page of placement %d: %w", id, err)
		}
	}
	if p.Published == nil {
		return nil
	}
	var v Version
	if err := tx.First(&v, "placement_id = ? AND number = ?", p.ID, *p.Published).Error; err != nil {
		return fmt.Errorf("read version %d of placement %d: %w", *p.Published, p.ID, err)
	}
	v.Settings.OpenAt = within(where, v.Settings.OpenAt, e.Pages)
	return publish(tx, p, e.ID, by, v.Settings, v.House)
}

func within(where Where, page, pages int) int {
	now, _ := where(page)
	return max(min(now, pages), 1)
}
