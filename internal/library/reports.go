package library

import (
	"context"
	"fmt"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/report"
	"incipit/internal/database"
)

// Report is what is wrong with an edition for people who do not see its pages: Result is
// nil until it is known, Trouble says why it cannot be.
type Report struct {
	EditionID int64          `gorm:"primaryKey"`
	Result    *report.Report `gorm:"serializer:json"`
	Findings  int            // how many Result has
	Trouble   string
	Version   int // of what reports tell
}

// reportVersion is that of what they tell now.
const reportVersion = 2

// TableName tells GORM the table.
func (Report) TableName() string { return "edition_reports" }

// ReportLater has an edition reported on, once, and reads what is known by now.
func (s *Library) ReportLater(ctx context.Context, edition int64, job river.JobArgs) (Report, error) {
	var r Report
	err := s.db.In(ctx, func(tx *gorm.DB) error {
		made := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&Report{EditionID: edition, Version: reportVersion})
		if made.Error != nil {
			return database.Found(made.Error, fmt.Sprintf("note a report on edition %d", edition))
		}
		if made.RowsAffected > 0 {
			if err := s.db.Enqueue(ctx, tx, job); err != nil {
				return err
			}
		}
		if err := tx.First(&r, "edition_id = ?", edition).Error; err != nil {
			return database.Found(err, fmt.Sprintf("read the report on edition %d", edition))
		}
		// One that tells less than it would now is made anew, and holds until then.
		anew := tx.Model(&Report{}).Where("edition_id = ? AND version < ? AND result IS NOT NULL", edition, reportVersion).Update("version", reportVersion)
		if anew.Error == nil && anew.RowsAffected > 0 {
			return s.db.Enqueue(ctx, tx, job)
		}
		return database.Found(anew.Error, fmt.Sprintf("make the report on edition %d anew", edition))
	})
	return r, err
}

// Later inserts a job.
func (s *Library) Later(ctx context.Context, job river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error { return s.db.Enqueue(ctx, tx, job) })
}

// KeepReport keeps a report, or why there is none.
func (s *Library) KeepReport(ctx context.Context, r Report) error {
	r.Findings = 0
	if r.Result != nil {
		r.Findings = len(r.Result.Findings)
	}
	err := s.db.WithContext(ctx).Model(&Report{}).Where("edition_id = ?", r.EditionID).Select("Result", "Findings", "Trouble").Updates(r).Error
	return database.Found(err, fmt.Sprintf("keep the report on edition %d", r.EditionID))
}
