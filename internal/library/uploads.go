package library

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/database"
	"incipit/internal/draft"
)

// Bounds of files on their way. Parts that nobody sends more of are let go of.
const (
	MostUploads     = 2000     // of one account, unfinished
	MostUploadBytes = 20 << 30 // of one account, of unfinished files in all
	KeptUploads     = 7 * 24 * time.Hour
)

// Upload is a file on its way.
type Upload struct {
	ID         string `gorm:"primaryKey"`
	AccountID  int64
	Name       string
	Bytes      int64 // of the whole file
	Received   int64
	DocumentID *int64 // what became of it
	Title      string // of that
	Edition    int    // that it became of a document that was there; 0 is a document of its own
	CreatedAt  time.Time
	TouchedAt  time.Time
}

// UploadPart is a part that has arrived, by where in the file it begins.
type UploadPart struct {
	UploadID string `gorm:"primaryKey"`
	At       int64  `gorm:"primaryKey"`
	Bytes    int64
	BlobKey  string
}

// AddUpload notes a file that is about to come, or gives draft.Refused.
func (s *Library) AddUpload(ctx context.Context, u Upload) error {
	u.TouchedAt = time.Now().UTC()
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("SELECT FROM accounts WHERE id = ? FOR UPDATE", u.AccountID).Error; err != nil {
			return fmt.Errorf("note a file on its way: %w", err)
		}
		var files, bytes int64
		err := tx.Raw("SELECT count(*), coalesce(sum(bytes), 0)::bigint FROM uploads WHERE account_id = ? AND document_id IS NULL", u.AccountID).
			Row().Scan(&files, &bytes)
		switch {
		case err != nil:
			return fmt.Errorf("count files on their way: %w", err)
		case files >= MostUploads || bytes+u.Bytes > MostUploadBytes:
			return draft.Refused(fmt.Sprintf("%d of your files are on their way already. Let them arrive, or cancel some, and add this one again.", files))
		}
		return database.Found(tx.Create(&u).Error, "note a file on its way")
	})
}

// Upload reads a file on its way of somebody's.
func (s *Library) Upload(ctx context.Context, account int64, id string) (Upload, error) {
	var u Upload
	err := s.db.WithContext(ctx).Where("account_id = ? AND id = ?", account, id).First(&u).Error
	return u, database.Found(err, "file on its way")
}

// ErrElsewhere is given for a part that does not begin where the last one ends: it came
// already, or one before it did not.
var ErrElsewhere = errors.New("the part begins elsewhere")

// AddPart notes a part whose bytes are kept.
func (s *Library) AddPart(ctx context.Context, p UploadPart) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var u Upload
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("id = ?", p.UploadID).First(&u).Error; err != nil {
			return database.Found(err, "file on its way")
		}
		if u.Received != p.At || u.DocumentID != nil || u.Received+p.Bytes > u.Bytes {
			return ErrElsewhere
		}
		if err := tx.Create(&p).Error; err != nil {
			return fmt.Errorf("note a part: %w", err)
		}
		err := tx.Model(&u).Updates(map[string]any{"received": u.Received + p.Bytes, "touched_at": time.Now().UTC()}).Error
		return database.Found(err, "note how much has arrived")
	})
}

// CountParts counts the parts of a file that have arrived.
func (s *Library) CountParts(ctx context.Context, upload string) (n int, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT count(*) FROM upload_parts WHERE upload_id = ?", upload).Scan(&n).Error
	return n, database.Found(err, "count the parts of a file")
}

// Parts lists the parts of a file in their order.
func (s *Library) Parts(ctx context.Context, upload string) ([]UploadPart, error) {
	var out []UploadPart
	err := s.db.WithContext(ctx).Where("upload_id = ?", upload).Order("at").Find(&out).Error
	return out, database.Found(err, "list the parts of a file")
}

// ErrArrived is given where a file became a document already.
var ErrArrived = errors.New("the file is a document already")

// arrived notes, in the transaction that adds a document, which file it came from.
func arrived(tx *gorm.DB, upload string, d *Document) error {
	r := tx.Model(&Upload{}).Where("id = ? AND document_id IS NULL AND received = bytes", upload).
		Updates(map[string]any{"document_id": d.ID, "title": d.Title, "touched_at": time.Now().UTC()})
	if r.Error == nil && r.RowsAffected == 0 {
		return ErrArrived
	}
	return database.Found(r.Error, "note that a file has arrived")
}

// AddEditionOf is AddEdition for a file that came in parts, or gives ErrArrived.
func (s *Library) AddEditionOf(ctx context.Context, document int64, e *Edition, upload string, examine func(edition int64) river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if err := s.addEdition(ctx, tx, document, e, examine); err != nil {
			return err
		}
		if upload == "" {
			return nil
		}
		r := tx.Model(&Upload{}).Where("id = ? AND document_id IS NULL AND received = bytes", upload).
			Updates(map[string]any{"document_id": document, "edition": e.Number, "touched_at": time.Now().UTC()})
		if r.Error == nil && r.RowsAffected == 0 {
			return ErrArrived
		}
		return database.Found(r.Error, "note that a file has arrived")
	})
}

// DropUpload lets go of a file on its way. Its parts go with the next sweep.
func (s *Library) DropUpload(ctx context.Context, account int64, id string) error {
	r := s.db.WithContext(ctx).Where("account_id = ? AND id = ?", account, id).Delete(&Upload{})
	if r.Error == nil && r.RowsAffected == 0 {
		r.Error = gorm.ErrRecordNotFound
	}
	return database.Found(r.Error, "let go of a file on its way")
}

// ForgetUploads lets go of files that nobody has sent anything of since a time.
func (s *Library) ForgetUploads(ctx context.Context, before time.Time) error {
	err := s.db.WithContext(ctx).Where("touched_at < ?", before).Delete(&Upload{}).Error
	return database.Found(err, "let go of files that do not come")
}

// OwnsPart says whether bytes are those of a part that is waited for: of a file that is
// not a document yet.
func (s *Library) OwnsPart(ctx context.Context, blobKey string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Raw("SELECT count(*) FROM upload_parts p JOIN uploads u ON u.id = p.upload_id WHERE p.blob_key = ? AND u.document_id IS NULL", blobKey).Scan(&n).Error
	return n > 0, database.Found(err, "look for the file of a part")
}

// Known is a document whose file has some bytes.
type Known struct {
	SHA256   string `gorm:"column:sha256" json:"sha256"`
	Document int64  `json:"document"`
	Title    string `json:"title"`
}

// KnownFiles finds documents by the SHA-256 of the file that is in force.
func (s *Library) KnownFiles(ctx context.Context, sha256 []string) ([]Known, error) {
	var out []Known
	err := s.db.WithContext(ctx).Raw(`SELECT DISTINCT ON (e.sha256) e.sha256, d.id AS document, d.title
		FROM documents d JOIN editions e ON e.document_id = d.id AND e.number = d.edition WHERE e.sha256 IN ? ORDER BY e.sha256, d.id`, sha256).Scan(&out).Error
	return out, database.Found(err, "look for files by their bytes")
}
