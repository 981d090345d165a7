package placing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"incipit/internal/core/setting"
	"incipit/internal/core/starter"
	"incipit/internal/database"
	"incipit/internal/draft"
	"incipit/internal/library"
)

// What can be done with many documents at once.
const (
	PutIn      = "put-in"   // a category
	TakeOut    = "take-out" // of a category
	PublishAll = "publish"  // every placement, as its draft is
	Withdrawn  = "withdraw" // every placement that readers see
	Begun      = "start"    // every draft, with a starter
	RemoveAll  = "remove"
)

// MostAtOnce bounds the documents of one act, and mostActs the acts that somebody can go
// back to.
const MostAtOnce, mostActs = 200, 20

// Bulk is something to be done with many documents. With is a category, or the name of a
// starter.
type Bulk struct {
	Do        string  `json:"do"`
	Documents []int64 `json:"documents"`
	With      string  `json:"with"`
}

// Left is a document that stayed as it was, and why.
type Left struct {
	Document int64  `json:"document"`
	Title    string `json:"title"`
	Why      string `json:"why"`
}

// BulkDone is what came of an act: Did counts documents. Act is what it is undone by, 0
// where nothing was done.
type BulkDone struct {
	Act  int64  `json:"act"`
	Did  int    `json:"did"`
	Left []Left `json:"left,omitempty"`
}

// before is what an act changed, as it is kept to undo it.
type before struct {
	Documents  []int64 `json:"documents,omitempty"`
	With       string  `json:"with,omitempty"`
	Placements []shown `json:"placements,omitempty"`
	Drafts     []begun `json:"drafts,omitempty"`
	Placed     []int64 `json:"placed,omitempty"`
}

// shown is which version readers saw of a placement, and which they see since.
type shown struct {
	ID       int64 `json:"id"`
	Was, Now *int
}

// begun is a draft that was begun anew, by the step that was made.
type begun struct{ ID, Revision int64 }

// actRow is an act as it is kept.
type actRow struct {
	ID        int64
	AccountID int64
	Act       string
	Before    before `gorm:"serializer:json"`
	MadeAt    time.Time
	Undone    bool
}

// TableName tells GORM the table.
func (actRow) TableName() string { return "bulk_acts" }

// Bulk does something with many documents, in one transaction: what cannot be done with one
// of them is told, and done with the others.
func (s *Placer) Bulk(ctx context.Context, a Bulk, account int64, by string) (BulkDone, error) {
	var out BulkDone
	if len(a.Documents) == 0 || len(a.Documents) > MostAtOnce {
		return out, draft.Refused(fmt.Sprintf("Choose 1 to %d documents. Nothing was changed.", MostAtOnce))
	}
	a.Documents = slices.Clone(a.Documents)
	slices.Sort(a.Documents) // whoever locks several does so in one order
	a.Documents = slices.Compact(a.Documents)
	one, err := oneOf(&a, account, by)
	if err != nil {
		return out, err
	}
	err = s.db.In(ctx, func(tx *gorm.DB) error {
		out = BulkDone{}
		kept := before{With: a.With}
		for _, id := range a.Documents {
			part := before{}
			err := tx.Transaction(func(tx *gorm.DB) error { // a savepoint: the others do not go with it
				part = before{}
				return one(tx, id, &part)
			})
			var why draft.Refused
			var problems setting.Problems
			switch {
			case err == nil:
				out.Did++
				kept.Documents, kept.Placements = append(kept.Documents, part.Documents...), append(kept.Placements, part.Placements...)
				kept.Drafts, kept.Placed = append(kept.Drafts, part.Drafts...), append(kept.Placed, part.Placed...)
			case errors.As(err, &why):
				out.Left = append(out.Left, Left{Document: id, Why: string(why)})
			case errors.As(err, &problems):
				out.Left = append(out.Left, Left{Document: id, Why: "Its settings do not fit the document. Open its bench."})
			case errors.Is(err, database.ErrNotFound):
				out.Left = append(out.Left, Left{Document: id, Why: "It is not there any more."})
			default:
				return err
			}
		}
		if err := entitle(tx, out.Left); err != nil || out.Did == 0 {
			return err
		}
		row := actRow{AccountID: account, Act: a.Do, Before: kept, MadeAt: time.Now().UTC()}
		if err := tx.Create(&row).Error; err != nil {
			return fmt.Errorf("note what was done: %w", err)
		}
		out.Act = row.ID
		err := tx.Exec("DELETE FROM bulk_acts WHERE account_id = ? AND id <= (SELECT id FROM bulk_acts WHERE account_id = ? ORDER BY id DESC OFFSET ? LIMIT 1)",
			account, account, mostActs).Error
		return database.Found(err, "forget old acts")
	})
	return out, err
}

// entitle names documents that stayed as they were.
func entitle(tx *gorm.DB, left []Left) error {
	for i := range left {
		if err := tx.Raw("SELECT title FROM all_documents WHERE id = ?", left[i].Document).Scan(&left[i].Title).Error; err != nil {
			return fmt.Errorf("name document %d: %w", left[i].Document, err)
		}
	}
	return nil
}

// oneOf gives what an act does with one document; what it changed goes into the last
// argument. Where there is nothing to do it is draft.Refused.
func oneOf(a *Bulk, account int64, by string) (func(*gorm.DB, int64, *before) error, error) {
	switch a.Do {
	case PutIn, TakeOut:
		category, err := library.CleanCategory(a.With)
		if err != nil {
			return nil, err
		}
		a.With = category
		change, why := library.Categorise, fmt.Sprintf("It is in “%s” already, or in as many categories as there is room for.", category)
		if a.Do == TakeOut {
			change, why = library.Uncategorise, fmt.Sprintf("It is not in “%s”.", category)
		}
		return func(tx *gorm.DB, id int64, b *before) error {
			ids, err := change(tx, category, []int64{id})
			if err == nil && len(ids) == 0 {
				return draft.Refused(why)
			}
			b.Documents = ids
			return err
		}, nil
	case RemoveAll:
		return func(tx *gorm.DB, id int64, b *before) error {
			b.Documents = []int64{id}
			return library.Remove(tx, id, by)
		}, nil
	case PublishAll:
		return func(tx *gorm.DB, id int64, b *before) error { return publishAll(tx, id, account, b) }, nil
	case Withdrawn:
		return withdrawAll, nil
	case Begun:
		set, ok := starter.Named(a.With)
		if !ok {
			return nil, draft.Refused("There is no such starter. Nothing was changed.")
		}
		return func(tx *gorm.DB, id int64, b *before) error { return startAll(tx, id, set, by, b) }, nil
	}
	return nil, draft.Refused("There is no such act. Nothing was changed.")
}

// placementsIn locks the placements of a document and gives their ids.
func placementsIn(tx *gorm.DB, document int64) ([]int64, error) {
	var ids []int64
	var there bool
	if err := tx.Raw("SELECT EXISTS (SELECT FROM documents WHERE id = ?)", document).Scan(&there).Error; err != nil || !there {
		return nil, errors.Join(err, fmt.Errorf("document %d: %w", document, database.ErrNotFound))
	}
	err := tx.Raw("SELECT id FROM placements WHERE document_id = ? ORDER BY id FOR UPDATE", document).Scan(&ids).Error
	return ids, database.Found(err, fmt.Sprintf("lock the placements of document %d", document))
}

func publishAll(tx *gorm.DB, document, account int64, b *before) error {
	ids, err := placementsIn(tx, document)
	if err != nil {
		return err
	}
	if len(ids) == 0 {
		return draft.Refused("It has no placement yet. Give it a starter, or open its bench.")
	}
	for _, id := range ids {
		h, err := take(tx, id)
		if err != nil {
			return err
		}
		e, err := inForce(tx, h.Placement)
		if err != nil {
			return err
		}
		if found := setting.Check(h.settings, e.Pages); len(found) > 0 {
			return setting.Problems(found)
		}
		p := h.Placement
		if p.Published != nil {
			var v Version
			if err := tx.First(&v, "placement_id = ? AND number = ?", id, *p.Published).Error; err != nil {
				return fmt.Errorf("read version %d of placement %d: %w", *p.Published, id, err)
			}
			if v.EditionID == e.ID && len(setting.Diff(v.Settings, h.settings)) == 0 {
				continue
			}
		}
		was := p.Published
		if err := publish(tx, p, e.ID, account, h.settings, h.house.Revision); err != nil {
			return err
		}
		if p, err = locked(tx, id); err != nil {
			return err
		}
		b.Placements = append(b.Placements, shown{ID: id, Was: was, Now: p.Published})
	}
	if len(b.Placements) == 0 {
		return draft.Refused("Readers see it already, as its draft is.")
	}
	return nil
}

func withdrawAll(tx *gorm.DB, document int64, b *before) error {
	ids, err := placementsIn(tx, document)
	if err != nil {
		return err
	}
	for _, id := range ids {
		p, err := locked(tx, id)
		if err != nil {
			return err
		}
		if p.Published == nil {
			continue
		}
		b.Placements = append(b.Placements, shown{ID: id, Was: p.Published})
		if err := tx.Model(&p).Updates(map[string]any{"published": nil}).Error; err != nil {
			return fmt.Errorf("withdraw placement %d: %w", id, err)
		}
	}
	if len(b.Placements) == 0 {
		return draft.Refused("Readers do not see it.")
	}
	return nil
}

// startAll begins every draft of a document with a starter; where there is no placement
// yet, one is made.
func startAll(tx *gorm.DB, document int64, set starter.Starter, by string, b *before) error {
	ids, err := placementsIn(tx, document)
	if err != nil {
		return err
	}
	const byHand = "Chosen for several documents at once."
	if len(ids) == 0 {
		house, err := readHouse(tx, "")
		if err != nil {
			return err
		}
		settings, err := set.Set.Over(house.Settings)
		if err != nil {
			return err
		}
		key, err := database.NewKey()
		if err != nil {
			return err
		}
		p := Placement{Key: key, DocumentID: document}
		b.Placed = []int64{}
		if err := place(tx, &p, Start{set.Name, byHand, setting.Diff(house.Settings, settings)}); err != nil {
			return err
		}
		b.Placed = append(b.Placed, p.ID)
		return nil
	}
	for _, id := range ids {
		h, err := take(tx, id)
		if err != nil {
			return err
		}
		next, err := set.Set.Over(h.house.Settings)
		if err != nil {
			return err
		}
		next.OpenAt = h.settings.OpenAt // a place in this document, not a purpose
		if h.draft.Starter == set.Name && len(setting.Diff(h.settings, next)) == 0 {
			continue
		}
		made, err := draft.Next(tx, h.step, by, placed{setting.Diff(h.house.Settings, next), set.Name, byHand})
		if err != nil {
			return err
		}
		b.Drafts = append(b.Drafts, begun{id, made.Revision})
	}
	if len(b.Drafts) == 0 {
		return draft.Refused("Its drafts begin with that starter already.")
	}
	return nil
}
