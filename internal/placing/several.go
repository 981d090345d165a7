package placing

import (
	"context"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"gorm.io/gorm"

	"incipit/internal/database"
	"incipit/internal/draft"
)

// MostPlacements bounds the placements of one document, and mostPlacementName a name, in
// characters.
const MostPlacements, mostPlacementName = 100, 80

// Name gives a placement a name among those of its document; "" is none.
func (s *Placer) Name(ctx context.Context, id int64, name string) error {
	name = strings.Join(strings.Fields(strings.ToValidUTF8(strings.ReplaceAll(name, "\x00", ""), "")), " ")
	if utf8.RuneCountInString(name) > mostPlacementName {
		return draft.Refused(fmt.Sprintf("A name has at most %d characters. Nothing was changed.", mostPlacementName))
	}
	r := s.db.WithContext(ctx).Model(&Placement{}).Where("id = ?", id).UpdateColumn("name", name)
	if r.Error == nil && r.RowsAffected == 0 {
		r.Error = gorm.ErrRecordNotFound
	}
	return database.Found(r.Error, fmt.Sprintf("name placement %d", id))
}

// Copy makes another placement of the same document, whose draft begins as the draft of the
// first one stands. Readers see nothing of it yet.
func (s *Placer) Copy(ctx context.Context, id int64) (Placement, error) {
	key, err := database.NewKey()
	if err != nil {
		return Placement{}, err
	}
	var made Placement
	err = s.db.In(ctx, func(tx *gorm.DB) error {
		if _, err := documentFirst(tx, id); err != nil {
			return err
		}
		from, step, _, err := standingDraft(tx, id)
		if err != nil {
			return err
		}
		var n int64
		if err := tx.Model(&Placement{}).Where("document_id = ?", from.DocumentID).Count(&n).Error; err != nil {
			return fmt.Errorf("count placements: %w", err)
		}
		if n >= MostPlacements {
			return draft.Refused(fmt.Sprintf("A document has at most %d placements. Nothing was changed.", MostPlacements))
		}
		d, err := draftOf(step)
		if err != nil {
			return err
		}
		made = Placement{Key: key, DocumentID: from.DocumentID, StaysAt: from.StaysAt}
		return place(tx, &made, Start{Starter: d.Starter, Reason: d.Reason, Patch: d.Patch})
	})
	return made, err
}

// Remove takes a placement away until it is put back, or for good after
// library.KeptRemoved: readers are told that it is not there.
func (s *Placer) Remove(ctx context.Context, id int64, by string) error {
	return s.removed(ctx, id, "removed_at IS NULL", map[string]any{"removed_at": time.Now().UTC(), "removed_by": by})
}

// PutBack puts a removed placement back, of a document that is there; where what it was
// attached to has another one by now, that is kept there.
func (s *Placer) PutBack(ctx context.Context, id int64) error {
	return s.removed(ctx, id, "removed_at IS NOT NULL AND document_id IN (SELECT id FROM documents)", map[string]any{"removed_at": nil, "removed_by": "",
		"record": gorm.Expr("CASE WHEN EXISTS (SELECT FROM placements o WHERE o.record = all_placements.record) THEN NULL ELSE record END")})
}

func (s *Placer) removed(ctx context.Context, id int64, where string, what map[string]any) error {
	r := s.db.WithContext(ctx).Table("all_placements").Where("id = ? AND "+where, id).Updates(what)
	if r.Error == nil && r.RowsAffected == 0 {
		r.Error = gorm.ErrRecordNotFound
	}
	return database.Found(r.Error, fmt.Sprintf("placement %d", id))
}
