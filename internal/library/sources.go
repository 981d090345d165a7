package library

import (
	"context"
	"fmt"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/revisit"
	"incipit/internal/database"
	"incipit/internal/draft"
)

// Bounds of files that come from other websites. What did not come, and nobody tries again,
// is let go of after KeptUploads.
const (
	MostComing   = 50  // of one account, on their way or not come
	MostFollowed = 500 // in all
	mostDue      = 100 // taken up at once
	dueAgain     = time.Hour
	mostSaid     = 600 // letters of why a look was in vain
)

// Source is the address that the file of a document comes from.
type Source struct {
	ID         int64
	AccountID  *int64
	DocumentID *int64 // what became of it; nil while the file is on its way
	Address    string
	Hours      revisit.Pace
	AtOnce     bool   // readers get a changed file without anybody looking at it first
	ETag       string `gorm:"column:etag"`
	Modified   string
	SHA256     string `gorm:"column:sha256"` // of the file as it came last
	Received   int64
	Bytes      int64  // of the file that comes, or -1
	Said       string // why the last look was in vain, or ""
	Failed     int    // looks in vain, one after the other
	Looking    bool
	CreatedAt  time.Time
	LookedAt   *time.Time
	ChangedAt  *time.Time
	DueAt      *time.Time // when it is looked at next
}

// AddSource notes an address that a file is to come from, for a new document or for one that
// is there, with the job that looks; or gives draft.Refused.
func (s *Library) AddSource(ctx context.Context, src *Source, look func(source int64) river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("SELECT FROM accounts WHERE id = ? FOR UPDATE", src.AccountID).Error; err != nil {
			return fmt.Errorf("note an address: %w", err)
		}
		var coming, followed int64
		err := tx.Raw(`SELECT (SELECT count(*) FROM sources WHERE account_id = ? AND document_id IS NULL),
			(SELECT count(*) FROM sources WHERE hours > 0)`, src.AccountID).Row().Scan(&coming, &followed)
		switch {
		case err != nil:
			return fmt.Errorf("count addresses: %w", err)
		case src.DocumentID == nil && coming >= MostComing:
			return draft.Refused(fmt.Sprintf("%d of your files are on their way from other websites. Let them arrive, or let some go, and add this one again.", coming))
		case src.Hours > 0 && followed >= MostFollowed:
			return draft.Refused(fmt.Sprintf("%d documents are followed already, which is as many as there may be. Copy this one once, or stop following another.", followed))
		}
		src.Looking, src.Bytes = true, -1
		if src.DocumentID != nil {
			// Two editors may name an address at once: the later one counts.
			if err := tx.Exec("SELECT FROM all_documents WHERE id = ? FOR UPDATE", *src.DocumentID).Error; err != nil {
				return fmt.Errorf("lock document %d: %w", *src.DocumentID, err)
			}
			if err := tx.Exec("DELETE FROM sources WHERE document_id = ?", *src.DocumentID).Error; err != nil {
				return fmt.Errorf("let go of the address before: %w", err)
			}
		}
		if err := tx.Create(src).Error; err != nil {
			return fmt.Errorf("note an address: %w", err)
		}
		return s.db.Enqueue(ctx, tx, look(src.ID))
	})
}

// sourceArrived notes, in the transaction that adds a document, which address it came from.
func sourceArrived(tx *gorm.DB, source int64, d *Document) error {
	r := tx.Model(&Source{}).Where("id = ? AND document_id IS NULL", source).Update("document_id", d.ID)
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrArrived
	}
	return database.Found(r.Error, "note that a file has arrived")
}

// Source reads an address. One whose document was removed is not found.
func (s *Library) Source(ctx context.Context, id int64) (Source, error) {
	var out Source
	err := s.db.WithContext(ctx).Where("id = ? AND (document_id IS NULL OR document_id IN (SELECT id FROM documents))", id).First(&out).Error
	return out, database.Found(err, "address of a file")
}

// SourceOf reads the address that the file of a document comes from.
func (s *Library) SourceOf(ctx context.Context, document int64) (Source, error) {
	var out Source
	err := s.db.WithContext(ctx).Where("document_id = ?", document).First(&out).Error
	return out, database.Found(err, fmt.Sprintf("address of document %d", document))
}

// Coming is a file that is on its way from another website, did not come, or came lately.
type Coming struct {
	Source
	Title string // of what became of it
}

// Coming lists somebody's files from other websites: those under way, those that did not
// come, and those that came since, the last first.
func (s *Library) Coming(ctx context.Context, account int64, since time.Time) ([]Coming, error) {
	var out []Coming
	err := s.db.WithContext(ctx).Raw(`SELECT s.*, coalesce(d.title, '') AS title FROM sources s LEFT JOIN documents d ON d.id = s.document_id
		WHERE s.account_id = ? AND (s.document_id IS NULL OR s.created_at > ? AND d.id IS NOT NULL AND d.created_at >= s.created_at)
		ORDER BY s.id DESC LIMIT ?`, account, since, 2*MostComing).Scan(&out).Error
	return out, database.Found(err, "list files on their way")
}

// Own reads an address of somebody's whose file has not come.
func (s *Library) Own(ctx context.Context, account, id int64) (Source, error) {
	var out Source
	err := s.db.WithContext(ctx).Where("id = ? AND account_id = ? AND document_id IS NULL", id, account).First(&out).Error
	return out, database.Found(err, "address of a file on its way")
}

// SourceSoFar keeps how much has come; all is -1 where nobody knows how much there is. It is
// ErrNotFound where the address was let go of meanwhile.
func (s *Library) SourceSoFar(ctx context.Context, id, has, all int64) error {
	r := s.db.WithContext(ctx).Model(&Source{}).Where("id = ?", id).Updates(map[string]any{"received": has, "bytes": all})
	if r.Error == nil && r.RowsAffected == 0 {
		r.Error = gorm.ErrRecordNotFound
	}
	return database.Found(r.Error, "note how much has come")
}

// Looked keeps what came of a look, and when the next one is: after a failure, which said
// tells, later than was chosen.
func (s *Library) Looked(ctx context.Context, src Source, now time.Time) error {
	if r := []rune(src.Said); len(r) > mostSaid {
		src.Said = string(r[:mostSaid-1]) + "…"
	}
	src.Failed++
	if src.Said == "" {
		src.Failed = 0
	}
	src.LookedAt, src.Looking, src.DueAt = &now, false, nil
	if at, ok := src.Hours.Next(now, src.Failed); ok && src.DocumentID != nil {
		src.DueAt = &at
	}
	// How it is followed may have been changed meanwhile: what is looked at is left alone.
	err := s.db.WithContext(ctx).Model(&Source{}).Where("id = ?", src.ID).
		Select("Failed", "Said", "ETag", "Modified", "SHA256", "LookedAt", "ChangedAt", "Looking", "DueAt").Updates(src).Error
	return database.Found(err, "keep what came of a look at an address")
}

// Look has an address looked at now. One that is being looked at is left alone.
func (s *Library) Look(ctx context.Context, id int64, look func(source int64) river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		r := tx.Model(&Source{}).Where("id = ? AND NOT looking", id).Updates(map[string]any{"looking": true, "said": "", "received": 0, "bytes": -1})
		if r.Error != nil || r.RowsAffected == 0 {
			return database.Found(r.Error, "look at an address")
		}
		return s.db.Enqueue(ctx, tx, look(id))
	})
}

// Pace changes how often the address of a document is looked at, and whether readers get a
// changed file at once.
func (s *Library) Pace(ctx context.Context, document int64, pace revisit.Pace, atOnce bool, now time.Time) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var src Source
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("document_id = ?", document).First(&src).Error; err != nil {
			return database.Found(err, "address of a document")
		}
		var due *time.Time
		if at, ok := pace.Next(now, 0); ok {
			due = &at
		}
		return database.Found(tx.Model(&src).Updates(map[string]any{"hours": pace, "at_once": atOnce, "failed": 0, "due_at": due}).Error, "change how an address is followed")
	})
}

// DropSource lets go of an address; a document that came from it stays.
func (s *Library) DropSource(ctx context.Context, id int64) error {
	return database.Found(s.db.WithContext(ctx).Delete(&Source{}, id).Error, "let go of an address")
}

// TakeDue has the addresses looked at whose time has come. Those whose look is lost, with a
// server that is killed, come again after an hour.
func (s *Library) TakeDue(ctx context.Context, now time.Time, look func(source int64) river.JobArgs) (int, error) {
	var ids []int64
	err := s.db.In(ctx, func(tx *gorm.DB) error {
		err := tx.Raw(`UPDATE sources SET due_at = ?, looking = true, received = 0, bytes = -1 WHERE id IN (
			SELECT s.id FROM sources s JOIN documents d ON d.id = s.document_id WHERE s.due_at <= ? ORDER BY s.due_at LIMIT ? FOR UPDATE OF s SKIP LOCKED)
			RETURNING id`, now.Add(dueAgain), now, mostDue).Scan(&ids).Error
		if err != nil {
			return fmt.Errorf("find addresses to look at: %w", err)
		}
		for _, id := range ids {
			if err := s.db.Enqueue(ctx, tx, look(id)); err != nil {
				return err
			}
		}
		return nil
	})
	return len(ids), err
}

// ForgetSources lets go of addresses that nothing came from, and that nobody tried again since.
func (s *Library) ForgetSources(ctx context.Context, before time.Time) error {
	err := s.db.WithContext(ctx).Where("document_id IS NULL AND coalesce(looked_at, created_at) < ?", before).Delete(&Source{}).Error
	return database.Found(err, "forget addresses")
}

// LiveLater has an edition go to readers by itself at a time; nil is no time. Only one that
// is not in force waits for one, and of a document one at a time.
func (s *Library) LiveLater(ctx context.Context, document int64, number int, at *time.Time, by string) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var d Document
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&d, document).Error; err != nil {
			return database.Found(err, fmt.Sprintf("document %d", document))
		}
		if d.Edition == number {
			return draft.Refused("This edition is in force already.")
		}
		if err := tx.Exec("UPDATE editions SET live_at = NULL, live_by = '', live_not = '' WHERE document_id = ? AND (live_at IS NOT NULL OR live_not <> '')", document).Error; err != nil {
			return fmt.Errorf("let go of the time of an edition: %w", err)
		}
		if at == nil {
			return nil
		}
		r := tx.Model(&Edition{}).Where("document_id = ? AND number = ? AND state <> ?", document, number, Failed).
			Updates(map[string]any{"live_at": at.UTC(), "live_by": by})
		if r.Error == nil && r.RowsAffected == 0 {
			return draft.Refused("The file of this edition cannot be read: it cannot go to readers.")
		}
		return database.Found(r.Error, fmt.Sprintf("set the time of edition %d of document %d", number, document))
	})
}

// Due is an edition whose time has come.
type Due struct {
	DocumentID int64
	Number     int
	InForce    int // the number of the edition that readers see
	By         string
}

// DueEditions lists editions whose time has come, the first first.
func (s *Library) DueEditions(ctx context.Context, now time.Time) ([]Due, error) {
	var out []Due
	err := s.db.WithContext(ctx).Raw(`SELECT e.document_id, e.number, d.edition AS in_force, e.live_by AS by FROM editions e
		JOIN documents d ON d.id = e.document_id WHERE e.live_at <= ? ORDER BY e.live_at, e.id LIMIT ?`, now, mostDue).Scan(&out).Error
	return out, database.Found(err, "find editions whose time has come")
}

// LiveNot notes that an edition did not go to readers, and why; "" is that it did.
func (s *Library) LiveNot(ctx context.Context, d Due, why string) error {
	err := s.db.WithContext(ctx).Model(&Edition{}).Where("document_id = ? AND number = ?", d.DocumentID, d.Number).
		Updates(map[string]any{"live_at": nil, "live_not": why}).Error
	return database.Found(err, "note what became of an edition's time")
}

// NewestIs says whether the newest edition of a document has these bytes.
func (s *Library) NewestIs(ctx context.Context, document int64, sha256 string) (bool, error) {
	var is bool
	err := s.db.WithContext(ctx).Raw("SELECT coalesce((SELECT sha256 = ? FROM editions WHERE document_id = ? ORDER BY number DESC LIMIT 1), false)", sha256, document).Scan(&is).Error
	return is, database.Found(err, "compare with the newest edition")
}
