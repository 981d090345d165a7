package library

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/scanned"
	"incipit/internal/database"
	"incipit/internal/draft"
)

// Recognition is the reading of an edition whose pages are pictures, by a program. Languages
// are that program's names for them, with a plus between. Of the first Done pages, Had had
// text of their own, and Unsure are those on which too much was guessed. Made is the edition
// that came of it, 0 for none; Said says why.
type Recognition struct {
	ID        int64
	EditionID int64
	AccountID *int64
	Languages string
	AtOnce    bool // the edition goes to readers by itself
	Done      int
	Had       int
	Unsure    []int `gorm:"serializer:json"`
	Said      string
	Made      int
	CreatedAt time.Time
	EndedAt   *time.Time
}

// In are its languages one by one.
func (r Recognition) In() []string { return strings.Split(r.Languages, "+") }

// Going says whether it has not ended.
func (r Recognition) Going() bool { return r.ID != 0 && r.EndedAt == nil }

type recognisedPage struct {
	RecognitionID int64
	Page          int
	Lines         []scanned.Line `gorm:"serializer:json"`
}

// TableName tells GORM the table.
func (recognisedPage) TableName() string { return "recognised_pages" }

// mostRecognitions bounds how many documents wait to be read.
const mostRecognitions = 100

// Recognise has an edition read. What an earlier reading said of it is forgotten.
func (s *Library) Recognise(ctx context.Context, r *Recognition, job func(recognition int64) river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		var e Edition
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Select("id").First(&e, r.EditionID).Error; err != nil {
			return database.Found(err, fmt.Sprintf("edition %d", r.EditionID))
		}
		var going, own int64
		if err := tx.Raw("SELECT count(*), count(*) FILTER (WHERE edition_id = ?) FROM recognitions WHERE ended_at IS NULL", r.EditionID).Row().Scan(&going, &own); err != nil {
			return fmt.Errorf("count what is being read: %w", err)
		}
		switch {
		case own > 0:
			return draft.Refused("It is being read already. Nothing was changed.")
		case going >= mostRecognitions:
			return draft.Refused(fmt.Sprintf("%d documents wait to be read already. Try again when some are done; nothing was changed.", mostRecognitions))
		}
		if err := tx.Exec("DELETE FROM recognitions WHERE edition_id = ?", r.EditionID).Error; err != nil {
			return fmt.Errorf("forget an earlier reading of edition %d: %w", r.EditionID, err)
		}
		r.Unsure = []int{}
		if err := tx.Create(r).Error; err != nil {
			return fmt.Errorf("note that edition %d is to be read: %w", r.EditionID, err)
		}
		return s.db.Enqueue(ctx, tx, job(r.ID))
	})
}

// Recognition reads how far one has come.
func (s *Library) Recognition(ctx context.Context, id int64) (Recognition, error) {
	var r Recognition
	err := s.db.WithContext(ctx).First(&r, id).Error
	return r, database.Found(err, fmt.Sprintf("recognition %d", id))
}

// RecognitionOf reads that of an edition, or gives database.ErrNotFound.
func (s *Library) RecognitionOf(ctx context.Context, edition int64) (Recognition, error) {
	var r Recognition
	err := s.db.WithContext(ctx).First(&r, "edition_id = ?", edition).Error
	return r, database.Found(err, fmt.Sprintf("recognition of edition %d", edition))
}

// LastRecognition reads the newest of a document's editions, one that goes on before all
// others, or gives database.ErrNotFound. The edition in force may be another by now.
func (s *Library) LastRecognition(ctx context.Context, document int64) (Recognition, error) {
	var r Recognition
	err := s.db.WithContext(ctx).Where("edition_id IN (SELECT id FROM editions WHERE document_id = ?)", document).
		Order("ended_at IS NOT NULL, id DESC").Take(&r).Error
	return r, database.Found(err, fmt.Sprintf("recognition of document %d", document))
}

// StopRecognition ends those of a document that somebody no longer wants. What was read is
// forgotten.
func (s *Library) StopRecognition(ctx context.Context, document int64) error {
	err := s.db.WithContext(ctx).Exec("DELETE FROM recognitions WHERE edition_id IN (SELECT id FROM editions WHERE document_id = ?) AND ended_at IS NULL", document).Error
	return database.Found(err, fmt.Sprintf("stop the recognition of document %d", document))
}

// RecognisedSoFar keeps how far a reading has come and, if there are any, the lines of its
// newest page. One that was stopped meanwhile is database.ErrNotFound.
func (s *Library) RecognisedSoFar(ctx context.Context, r Recognition, lines []scanned.Line) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		u := tx.Model(&Recognition{}).Where("id = ? AND ended_at IS NULL", r.ID).Select("Done", "Had", "Unsure").Updates(r)
		if u.Error == nil && u.RowsAffected == 0 {
			u.Error = gorm.ErrRecordNotFound
		}
		if u.Error != nil {
			return database.Found(u.Error, fmt.Sprintf("keep how far recognition %d is", r.ID))
		}
		if len(lines) == 0 {
			return nil
		}
		row := recognisedPage{RecognitionID: r.ID, Page: r.Done, Lines: lines}
		err := tx.Clauses(clause.OnConflict{UpdateAll: true, Columns: []clause.Column{{Name: "recognition_id"}, {Name: "page"}}}).Create(&row).Error
		return database.Found(err, fmt.Sprintf("keep what was read of page %d", r.Done))
	})
}

// RecognisedLines are the lines of all pages that were read, by page.
func (s *Library) RecognisedLines(ctx context.Context, recognition int64) (map[int][]scanned.Line, error) {
	var rows []recognisedPage
	if err := s.db.WithContext(ctx).Where("recognition_id = ?", recognition).Limit(scanned.MostPages).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read what was recognised: %w", err)
	}
	out := map[int][]scanned.Line{}
	for _, r := range rows {
		out[r.Page] = r.Lines
	}
	return out, nil
}

// RecognisedNone ends a reading of which no edition came.
func (s *Library) RecognisedNone(ctx context.Context, id int64, said string) error {
	return s.db.In(ctx, func(tx *gorm.DB) error { return endRecognition(tx, id, said, 0) })
}

func endRecognition(tx *gorm.DB, id int64, said string, made int) error {
	r := tx.Exec("UPDATE recognitions SET ended_at = now(), said = ?, made = ? WHERE id = ? AND ended_at IS NULL", said, made, id)
	if r.Error == nil && r.RowsAffected == 0 {
		r.Error = gorm.ErrRecordNotFound
	}
	if r.Error == nil {
		r.Error = tx.Exec("DELETE FROM recognised_pages WHERE recognition_id = ?", id).Error
	}
	return database.Found(r.Error, fmt.Sprintf("end recognition %d", id))
}

// AddRecognised adds the edition that came of a reading, and ends that, in one: who is ended
// in between makes no second one. One that was stopped meanwhile is database.ErrNotFound.
func (s *Library) AddRecognised(ctx context.Context, recognition, document int64, e *Edition, examine func(edition int64) river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if err := s.addEdition(ctx, tx, document, e, examine); err != nil {
			return err
		}
		return endRecognition(tx, recognition, "", e.Number)
	})
}

// KeepRecognised keeps which pages of an edition have a text that a program recognised, as
// it was kept before.
func (s *Library) KeepRecognised(ctx context.Context, edition int64, pages []int, languages string) error {
	clean := slices.Compact(slices.Sorted(slices.Values(pages)))
	clean = slices.DeleteFunc(clean, func(n int) bool { return n < 1 })
	if len(clean) > scanned.MostPages || len(languages) > 100 {
		return draft.Refused("The pages whose text was recognised are not named as they should be.")
	}
	err := s.db.WithContext(ctx).Model(&Edition{ID: edition}).Select("Recognised", "RecognisedIn").Updates(Edition{Recognised: clean, RecognisedIn: languages}).Error
	return database.Found(err, fmt.Sprintf("keep which pages of edition %d were recognised", edition))
}
