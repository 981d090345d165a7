package publishing

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm/clause"

	"incipit/internal/database"
)

// Picture is a picture that an editor added, in px. It is served in Widths.
type Picture struct {
	ID            int64
	SHA256        string `gorm:"column:sha256"`
	Name          string
	Width, Height int
	MediaType     string
	Widths        []int `gorm:"serializer:json"`
	GivenOut      bool  // its address stands in code for other websites
	CreatedAt     time.Time
}

// AddPicture keeps a picture; the same bytes are kept once.
func (s *Publisher) AddPicture(ctx context.Context, p Picture) (Picture, error) {
	db := s.db.WithContext(ctx)
	if err := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&p).Error; err != nil {
		return p, fmt.Errorf("add a picture: %w", err)
	}
	var kept Picture
	err := db.First(&kept, "sha256 = ?", p.SHA256).Error
	return kept, database.Found(err, "the picture that was added")
}

// Picture reads one.
func (s *Publisher) Picture(ctx context.Context, id int64) (Picture, error) {
	var p Picture
	err := s.db.WithContext(ctx).First(&p, id).Error
	return p, database.Found(err, fmt.Sprintf("picture %d", id))
}

// GiveOut notes that a picture's address stands on other websites from now on.
func (s *Publisher) GiveOut(ctx context.Context, id int64) error {
	err := s.db.WithContext(ctx).Model(&Picture{}).Where("id = ? AND NOT given_out", id).Update("given_out", true).Error
	return database.Found(err, fmt.Sprintf("give out picture %d", id))
}

// ForgetPictures removes the pictures added before a time that stand nowhere: on
// no page, in none of its versions, not among what an undo brings back, and in no
// code for other websites.
func (s *Publisher) ForgetPictures(ctx context.Context, before time.Time) (int, error) {
	r := s.db.WithContext(ctx).Exec(`
		DELETE FROM pictures WHERE created_at < ? AND NOT given_out AND id NOT IN (
			SELECT (b->>'of')::bigint
			FROM (SELECT content FROM draft_steps WHERE kind = 'page' UNION ALL SELECT content FROM web_page_versions) pages,
			     jsonb_path_query(content, '$.**.blocks[*] ? (@.kind == "picture")') b
			WHERE b->>'of' IS NOT NULL)`, before)
	return int(r.RowsAffected), database.Found(r.Error, "forget pictures that stand nowhere")
}

// OwnsPicture says whether there is a picture with a content hash.
func (s *Publisher) OwnsPicture(ctx context.Context, sha256 string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Picture{}).Where("sha256 = ?", sha256).Count(&n).Error
	return n > 0, database.Found(err, "look for a picture")
}
