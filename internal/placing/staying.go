package placing

import (
	"context"
	"fmt"

	"gorm.io/gorm"

	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
)

// standsIn is the number of the edition that the draft of a placement p of a document d
// stands in, in SQL: the one it stays at, or the one in force.
const standsIn = "coalesce(nullif(p.stays_at, 0), d.edition)"

// Stay has a placement stay at an edition of its document, draft and what readers see alike,
// whatever comes into force; with number 0 it follows what is in force, from now on. seen and
// to are the numbers of the editions that it stands in now and then, as its maker saw them,
// or it is ErrStale; where gives the page of the latter that a page of the former has become.
func (s *Placer) Stay(ctx context.Context, id int64, number, seen, to int, by int64, who string, where Where) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		now, err := documentFirst(tx, id)
		if err != nil {
			return err
		}
		p, err := locked(tx, id)
		if err != nil {
			return err
		}
		before, err := inForce(tx, p)
		if err != nil {
			return err
		}
		if before.Number != seen || number == 0 && now != to || number != 0 && number != to {
			return ErrStale
		}
		var e usable
		err = tx.Raw("SELECT id, document_id, number, pages, state, problem_message FROM editions WHERE document_id = ? AND number = ?", p.DocumentID, to).Take(&e).Error
		switch {
		case err != nil:
			return database.Found(err, fmt.Sprintf("edition %d of document %d", to, p.DocumentID))
		case e.State == library.Failed:
			return draft.Refused("The file of this edition cannot be read: " + e.ProblemMessage + " Nothing was changed.")
		case e.State == library.Examining:
			return draft.Refused("The file of this edition is still being examined. Nothing was changed.")
		}
		if err := tx.Model(&p).UpdateColumn("stays_at", number).Error; err != nil {
			return fmt.Errorf("have placement %d stay at an edition: %w", id, err)
		}
		if e.ID == before.ID {
			return nil
		}
		return turn(tx, id, e, by, who, where)
	})
}

// documentFirst locks the document of a placement and gives the number of its edition in
// force. Whoever locks both locks the document first, as TurnTo does: two that waited for
// each other would both be in vain.
func documentFirst(tx *gorm.DB, placement int64) (edition int, err error) {
	err = tx.Raw("SELECT edition FROM all_documents WHERE id = (SELECT document_id FROM placements WHERE id = ?) FOR UPDATE", placement).Take(&edition).Error
	return edition, database.Found(err, fmt.Sprintf("document of placement %d", placement))
}
