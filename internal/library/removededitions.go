package library

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/sheet"
	"incipit/internal/database"
)

// MostRemovedEditions is how many removed editions of a document can be put back; of more the
// ones removed first go for good.
const MostRemovedEditions = 20

// RemovedEdition is an edition that was removed and can be put back. Sheets has the first.
type RemovedEdition struct {
	DocumentID   int64
	Number       int
	SHA256       string `gorm:"column:sha256"`
	Bytes        int64
	FileName     string
	BlobKey      string
	Pages        int
	Sheets       []sheet.Sheet  `gorm:"serializer:json"`
	Alternatives map[int]string `gorm:"serializer:json"`
	Recognised   []int          `gorm:"serializer:json"`
	RecognisedIn string
	Opened       *Opened `gorm:"serializer:json"` // of a file that asks for a password
	AddedBy      *int64
	CreatedAt    time.Time
	RemovedAt    time.Time
	RemovedBy    string
}

// RemoveEdition takes away an edition that nobody but editors ever saw, until it is put back
// or KeptRemoved has passed.
func (s *Library) RemoveEdition(ctx context.Context, document int64, number int, by string) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var d Document
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&d, document).Error; err != nil {
			return database.Found(err, fmt.Sprintf("document %d", document))
		}
		var e Edition
		if err := tx.Where("document_id = ? AND number = ?", document, number).Limit(1).Find(&e).Error; err != nil {
			return fmt.Errorf("edition %d of document %d: %w", number, document, err)
		}
		opened, err := json.Marshal(e.Opened())
		if err != nil {
			return fmt.Errorf("keep what was found of edition %d of document %d: %w", number, document, err)
		}
		args := map[string]any{"document": document, "number": number, "now": d.Edition, "by": by, "most": MostRemovedEditions, "opened": string(opened)}
		r := tx.Exec(`
			WITH gone AS (
				DELETE FROM editions e WHERE document_id = @document AND number = @number AND number <> @now
				AND NOT EXISTS (SELECT FROM all_placements p WHERE p.document_id = e.document_id AND p.stays_at = e.number)
				AND NOT EXISTS (SELECT FROM placement_versions v WHERE v.edition_id = e.id) RETURNING e.*)
			INSERT INTO removed_editions (document_id, number, sha256, bytes, file_name, blob_key, pages, sheets, alternatives, recognised, recognised_in, opened, added_by, created_at, removed_by)
			SELECT document_id, number, sha256, bytes, file_name, blob_key, pages, CASE WHEN jsonb_array_length(sheets) > 0 THEN jsonb_build_array(sheets->0) ELSE sheets END, alternatives, recognised, recognised_in, CAST(@opened AS jsonb), added_by, created_at, @by FROM gone`, args)
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrInUse
		}
		if r.Error == nil {
			r = tx.Exec(`DELETE FROM removed_editions WHERE document_id = @document AND number NOT IN
				(SELECT number FROM removed_editions WHERE document_id = @document ORDER BY removed_at DESC, number DESC LIMIT @most)`, args)
		}
		return database.Found(r.Error, fmt.Sprintf("remove edition %d of document %d", number, document))
	})
}

// RemovedEditions lists those of a document, what was removed last first.
func (s *Library) RemovedEditions(ctx context.Context, document int64) ([]RemovedEdition, error) {
	var out []RemovedEdition
	err := s.db.WithContext(ctx).Where("document_id = ?", document).Order("removed_at DESC, number DESC").Limit(MostRemovedEditions).Find(&out).Error
	return out, database.Found(err, fmt.Sprintf("list the removed editions of document %d", document))
}

// PutBackEdition puts a removed edition back at its number; it is examined anew, unless it
// asks for a password.
func (s *Library) PutBackEdition(ctx context.Context, document int64, number int, examine, word func(edition int64) river.JobArgs) error {
	if number < 1 || number > math.MaxInt32 {
		return fmt.Errorf("removed edition %d of document %d: %w", number, document, database.ErrNotFound)
	}
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var d Document
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&d, document).Error; err != nil {
			return database.Found(err, fmt.Sprintf("document %d", document))
		}
		var was RemovedEdition
		if err := tx.Where("document_id = ? AND number = ?", document, number).First(&was).Error; err != nil {
			return database.Found(err, fmt.Sprintf("removed edition %d of document %d", number, document))
		}
		var all int64
		if err := tx.Model(&Edition{}).Where("document_id = ?", document).Count(&all).Error; err != nil {
			return fmt.Errorf("count the editions of document %d: %w", document, err)
		}
		if all >= MostEditions {
			return ErrTooManyEditions
		}
		e := Edition{DocumentID: document, Number: number, SHA256: was.SHA256, Bytes: was.Bytes, FileName: was.FileName, BlobKey: was.BlobKey, State: Examining,
			Pages: was.Pages, PagesKnown: 1, Sheets: was.Sheets, Images: map[int]int64{}, Alternatives: was.Alternatives, Recognised: was.Recognised,
			RecognisedIn: was.RecognisedIn, AddedBy: was.AddedBy, CreatedAt: was.CreatedAt, Said: d.Language}
		next := examine
		if was.Opened != nil {
			was.Opened.Of(&e)
			e.State, next = Ready, word
		}
		if err := tx.Create(&e).Error; err != nil {
			return fmt.Errorf("put back edition %d of document %d: %w", number, document, err)
		}
		if err := tx.Where("document_id = ? AND number = ?", document, number).Delete(&RemovedEdition{}).Error; err != nil {
			return fmt.Errorf("put back edition %d of document %d: %w", number, document, err)
		}
		return s.db.Enqueue(ctx, tx, next(e.ID))
	})
}
