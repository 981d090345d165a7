package library

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"incipit/internal/database"
)

// KeptRemoved is for how long what was removed can be put back.
const KeptRemoved = 30 * 24 * time.Hour

// MostRemoved bounds the list of what can be put back; the rest goes when its time comes.
const MostRemoved = 500

// Removed is a document that was removed and can be put back.
type Removed struct {
	ID         int64
	Title      string
	RemovedAt  time.Time
	RemovedBy  string
	Placements int
	Published  int // of these, readers saw them
	Pages      int
	Bytes      int64 // of all editions
}

// Until is when it goes for good.
func (r Removed) Until() time.Time { return r.RemovedAt.Add(KeptRemoved) }

// RemoveDocument takes a document away, with its placements: as if it were not there any
// more, until it is put back or KeptRemoved has passed.
func (s *Library) RemoveDocument(ctx context.Context, id int64, by string) error {
	return s.db.In(ctx, func(tx *gorm.DB) error { return Remove(tx, id, by) })
}

// Remove is RemoveDocument within a transaction.
func Remove(tx *gorm.DB, id int64, by string) error {
	// The time tells what was removed with it from what was removed before.
	gone := map[string]any{"removed_at": time.Now().UTC(), "removed_by": by}
	r := tx.Table("all_documents").Where("id = ? AND removed_at IS NULL", id).Updates(gone)
	if r.Error == nil && r.RowsAffected == 0 {
		r.Error = gorm.ErrRecordNotFound
	}
	if r.Error != nil {
		return database.Found(r.Error, fmt.Sprintf("remove document %d", id))
	}
	err := tx.Table("all_placements").Where("document_id = ? AND removed_at IS NULL", id).Updates(gone).Error
	return database.Found(err, fmt.Sprintf("remove placements of document %d", id))
}

// RestoreDocument puts a document back as it was, with the placements that were removed
// with it. A record that another placement has by now stays with that one: lost names it.
func (s *Library) RestoreDocument(ctx context.Context, id int64) (lost []string, err error) {
	err = s.db.In(ctx, func(tx *gorm.DB) error {
		lost, err = Restore(tx, id)
		return err
	})
	return lost, err
}

// Restore is RestoreDocument within a transaction.
func Restore(tx *gorm.DB, id int64) (lost []string, err error) {
	var at time.Time
	err = tx.Raw("SELECT removed_at FROM all_documents WHERE id = ? AND removed_at IS NOT NULL FOR UPDATE", id).Take(&at).Error
	if err != nil {
		return nil, database.Found(err, fmt.Sprintf("removed document %d", id))
	}
	err = tx.Raw(`UPDATE all_placements p SET record = NULL FROM placements o WHERE p.document_id = ? AND p.removed_at = ? AND o.record = p.record
		RETURNING o.record`, id, at).Scan(&lost).Error
	if err != nil {
		return nil, fmt.Errorf("free records of document %d: %w", id, err)
	}
	back := map[string]any{"removed_at": nil, "removed_by": ""}
	if err := tx.Table("all_documents").Where("id = ?", id).Updates(back).Error; err != nil {
		return nil, fmt.Errorf("put back document %d: %w", id, err)
	}
	err = tx.Table("all_placements").Where("document_id = ? AND removed_at = ?", id, at).Updates(back).Error
	return lost, database.Found(err, fmt.Sprintf("put back placements of document %d", id))
}

// RemovedDocuments lists what can be put back, what was removed last first.
func (s *Library) RemovedDocuments(ctx context.Context) ([]Removed, error) {
	var out []Removed
	err := s.db.WithContext(ctx).Raw(`
		SELECT d.id, d.title, d.removed_at, d.removed_by, e.pages, (SELECT sum(bytes) FROM editions WHERE document_id = d.id) AS bytes, p.placements, p.published
		FROM all_documents d JOIN editions e ON e.document_id = d.id AND e.number = d.edition
		JOIN LATERAL (SELECT count(*) AS placements, count(published) AS published FROM all_placements WHERE document_id = d.id AND removed_at = d.removed_at) p ON true
		WHERE d.removed_at IS NOT NULL ORDER BY d.removed_at DESC, d.id DESC LIMIT ?`, MostRemoved).Scan(&out).Error
	return out, database.Found(err, "list what was removed")
}

// AnyRemoved says whether there is anything to put back.
func (s *Library) AnyRemoved(ctx context.Context) (any bool, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT FROM all_documents WHERE removed_at IS NOT NULL)").Scan(&any).Error
	return any, database.Found(err, "look for removed documents")
}

// ForgetRemoved removes for good what was removed before a time: documents with all that
// belongs to them, placements, and editions. The bytes go with the next sweep.
func (s *Library) ForgetRemoved(ctx context.Context, before time.Time) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		err := tx.Exec("DELETE FROM all_placements WHERE removed_at < ? OR document_id IN (SELECT id FROM all_documents WHERE removed_at < ?)",
			before, before).Error
		if err != nil {
			return fmt.Errorf("forget removed placements: %w", err)
		}
		if err := tx.Exec("DELETE FROM removed_editions WHERE removed_at < ?", before).Error; err != nil {
			return fmt.Errorf("forget removed editions: %w", err)
		}
		err = tx.Exec("DELETE FROM all_documents WHERE removed_at < ?", before).Error
		return database.Found(err, "forget removed documents")
	})
}
