package placing

import (
	"context"
	"fmt"

	"gorm.io/gorm"

	"incipit/internal/core/setting"
	"incipit/internal/database"
	"incipit/internal/draft"
)

// Reinstated is a placement as it was in another installation.
type Reinstated struct {
	Key, Name, Record string
	StaysAt           int // the number of an edition here, or 0
	Start             Start
	Published         *setting.Settings // as readers see it, or nil
	Edition           int64             // that they see
	Pages             int               // of that
}

// Reinstate places a document as it was placed in another installation, under the same key,
// where nothing has it here; what it comes to has to stand. It does not say who published it.
func (s *Placer) Reinstate(ctx context.Context, document int64, r Reinstated) (Placement, error) {
	fresh, err := database.NewKey()
	if err != nil {
		return Placement{}, err
	}
	p := Placement{Key: fresh, DocumentID: document, StaysAt: r.StaysAt}
	if r.Start.Patch == nil {
		r.Start.Patch = setting.Patch{}
	}
	err = s.db.In(ctx, func(tx *gorm.DB) error {
		if database.IsKey(r.Key) {
			var taken bool
			if err := tx.Raw("SELECT EXISTS (SELECT FROM all_placements WHERE key = ?)", r.Key).Scan(&taken).Error; err != nil {
				return fmt.Errorf("look for a key: %w", err)
			}
			if !taken {
				p.Key = r.Key
			}
		}
		house, err := readHouse(tx, "")
		if err != nil {
			return err
		}
		if _, err := r.Start.Patch.Over(house.Settings); err != nil {
			return draft.Refused(fmt.Sprintf("its settings cannot be read: %v", err))
		}
		if err := place(tx, &p, r.Start); err != nil {
			return err
		}
		if r.Published == nil {
			return nil
		}
		if found := setting.Check(*r.Published, r.Pages); len(found) > 0 {
			return setting.Problems(found)
		}
		return publish(tx, p, r.Edition, 0, *r.Published, 0)
	})
	if err != nil {
		return p, err
	}
	if r.Name != "" {
		if err := s.Name(ctx, p.ID, r.Name); err != nil {
			return p, err
		}
	}
	if r.Record != "" {
		if err := s.SetRecord(ctx, p.ID, r.Record); err != nil {
			return p, err
		}
	}
	return p, nil
}
