package placing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
)

// UndoBulk takes back an act of somebody's, once. What was changed again since stays, and
// is told.
func (s *Placer) UndoBulk(ctx context.Context, act, account int64, by string) (BulkDone, error) {
	var out BulkDone
	err := s.db.In(ctx, func(tx *gorm.DB) error {
		out = BulkDone{}
		r := tx.Exec("UPDATE bulk_acts SET undone = true WHERE id = ? AND account_id = ? AND NOT undone", act, account)
		if r.Error == nil && r.RowsAffected == 0 {
			return draft.Refused("That was undone already, or is too long ago. Nothing was changed.")
		}
		if r.Error != nil {
			return fmt.Errorf("undo act %d: %w", act, r.Error)
		}
		var row actRow
		if err := tx.First(&row, act).Error; err != nil {
			return fmt.Errorf("read act %d: %w", act, err)
		}
		b := row.Before
		note := func(document int64, did bool, why string) {
			if did {
				out.Did++
			} else {
				out.Left = append(out.Left, Left{Document: document, Why: why})
			}
		}
		const since = "It was changed again since."
		switch row.Act {
		case PutIn, TakeOut:
			change := library.Uncategorise
			if row.Act == TakeOut {
				change = library.Categorise
			}
			ids, err := change(tx, b.With, b.Documents)
			if err != nil {
				return err
			}
			for _, id := range b.Documents {
				note(id, slices.Contains(ids, id), since)
			}
		case RemoveAll:
			for _, id := range b.Documents {
				lost, err := library.Restore(tx, id)
				if err != nil && !errors.Is(err, database.ErrNotFound) {
					return err
				}
				note(id, err == nil, "It was put back already, or is gone for good.")
				for _, record := range lost {
					out.Left = append(out.Left, Left{Document: id, Why: fmt.Sprintf("It is back, but what it was attached to, “%s”, has another document by now.", record)})
				}
			}
		}
		for _, p := range b.Placements {
			r := tx.Model(&Placement{}).Where("id = ? AND published IS NOT DISTINCT FROM ?::int", p.ID, p.Now).Updates(map[string]any{"published": p.Was})
			if r.Error != nil {
				return fmt.Errorf("undo what readers see of placement %d: %w", p.ID, r.Error)
			}
			if err := noteOf(tx, p.ID, r.RowsAffected > 0, since, note); err != nil {
				return err
			}
		}
		for _, d := range b.Drafts {
			did, err := unstart(tx, d, by)
			if err != nil {
				return err
			}
			if err := noteOf(tx, d.ID, did, since, note); err != nil {
				return err
			}
		}
		for _, id := range b.Placed {
			r := tx.Table("all_placements").Where("id = ? AND removed_at IS NULL AND published IS NULL AND step = 0", id).
				Updates(map[string]any{"removed_at": time.Now().UTC(), "removed_by": by})
			if r.Error != nil {
				return fmt.Errorf("undo placement %d: %w", id, r.Error)
			}
			if err := noteOf(tx, id, r.RowsAffected > 0, since, note); err != nil {
				return err
			}
		}
		return entitle(tx, out.Left)
	})
	return out, err
}

// noteOf notes what came of a placement by its document.
func noteOf(tx *gorm.DB, placement int64, did bool, why string, note func(int64, bool, string)) error {
	var document int64
	if err := tx.Raw("SELECT document_id FROM all_placements WHERE id = ?", placement).Scan(&document).Error; err != nil {
		return fmt.Errorf("find the document of placement %d: %w", placement, err)
	}
	note(document, did, why)
	return nil
}

// unstart goes back from the step that a draft was begun anew with, if it holds still.
func unstart(tx *gorm.DB, d begun, by string) (bool, error) {
	_, step, _, err := standingDraft(tx, d.ID)
	switch {
	case errors.Is(err, database.ErrNotFound):
		return false, nil
	case err != nil:
		return false, err
	case step.Revision != d.Revision:
		return false, nil
	}
	_, err = draft.Move(tx, step, by, -1)
	return err == nil, err
}
