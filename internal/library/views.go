package library

import (
	"context"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/database"
	"incipit/internal/draft"
)

// MostViews bounds the filters that somebody keeps.
const MostViews = 20

// View is a filter of the list of documents that somebody keeps under a name. Query is as
// the list's address has it.
type View struct {
	ID        int64
	AccountID int64
	Name      string
	Query     string
}

// TableName tells GORM the table.
func (View) TableName() string { return "document_views" }

// Views lists what somebody keeps, by name.
func (s *Library) Views(ctx context.Context, account int64) ([]View, error) {
	var out []View
	err := s.db.WithContext(ctx).Where("account_id = ?", account).Order("lower(name), id").Find(&out).Error
	return out, database.Found(err, "list what is kept of the list")
}

// KeepView keeps a filter; one of the same name gives way.
func (s *Library) KeepView(ctx context.Context, v View) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		// One after the other, or together they would be more than may be.
		if err := tx.Exec("SELECT FROM accounts WHERE id = ? FOR UPDATE", v.AccountID).Error; err != nil {
			return fmt.Errorf("keep a filter: %w", err)
		}
		var n int64
		if err := tx.Model(&View{}).Where("account_id = ? AND name <> ?", v.AccountID, v.Name).Count(&n).Error; err != nil {
			return fmt.Errorf("keep a filter: %w", err)
		}
		if n >= MostViews {
			return draft.Refused(fmt.Sprintf("You keep %d already, which is all there is room for. Nothing was changed: let go of one first.", MostViews))
		}
		err := tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "account_id"}, {Name: "name"}}, DoUpdates: clause.AssignmentColumns([]string{"query"})}).
			Create(&v).Error
		return database.Found(err, "keep a filter")
	})
}

// DropView lets go of a filter of somebody's.
func (s *Library) DropView(ctx context.Context, account, id int64) error {
	r := s.db.WithContext(ctx).Where("account_id = ? AND id = ?", account, id).Delete(&View{})
	if r.Error == nil && r.RowsAffected == 0 {
		r.Error = gorm.ErrRecordNotFound
	}
	return database.Found(r.Error, fmt.Sprintf("let go of filter %d", id))
}
