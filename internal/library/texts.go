package library

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/riverqueue/river"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/textflow"
	"incipit/internal/database"
	"incipit/internal/pdf"
)

// PageText is the text of one page of an edition.
type PageText struct {
	EditionID int64 `gorm:"primaryKey"`
	Page      int   `gorm:"primaryKey"`
	Plain     string
	Folded    string
	Layer     []byte // see PackLayer
}

// PackLayer compresses a layer: the places of letters are many and alike.
func PackLayer(l pdf.Layer) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	if err := json.NewEncoder(z).Encode(l); err != nil {
		return nil, fmt.Errorf("pack a layer: %w", err)
	}
	if err := z.Close(); err != nil {
		return nil, fmt.Errorf("pack a layer: %w", err)
	}
	return b.Bytes(), nil
}

// Unpacked gives the layer of a page's text.
func (p PageText) Unpacked() (pdf.Layer, error) {
	var l pdf.Layer
	z, err := gzip.NewReader(bytes.NewReader(p.Layer))
	if err == nil {
		err = json.NewDecoder(z).Decode(&l)
	}
	if err != nil {
		return l, fmt.Errorf("unpack the layer of page %d: %w", p.Page, err)
	}
	return l, nil
}

// KeepTexts keeps the texts of some pages, and that all pages up to done have
// theirs, together with the jobs that come after. Keeping a page twice does no harm.
func (s *Library) KeepTexts(ctx context.Context, edition int64, texts []PageText, done int, after ...river.JobArgs) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if len(texts) > 0 {
			err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&texts).Error
			if err != nil {
				return fmt.Errorf("keep the text of edition %d: %w", edition, err)
			}
		}
		for _, job := range after {
			if err := s.db.Enqueue(ctx, tx, job); err != nil {
				return err
			}
		}
		err := tx.Model(&Edition{}).Where("id = ?", edition).Update("indexed", done).Error
		return database.Found(err, fmt.Sprintf("note the index of edition %d", edition))
	})
}

// KeepLayer keeps the layer of a page whose text is kept.
func (s *Library) KeepLayer(ctx context.Context, edition int64, page int, layer []byte) error {
	err := s.db.WithContext(ctx).Model(&PageText{}).Where("edition_id = ? AND page = ?", edition, page).Update("layer", layer).Error
	return database.Found(err, fmt.Sprintf("keep the layer of page %d of edition %d", page, edition))
}

// KeepFlow keeps what the text view knows of a whole document.
func (s *Library) KeepFlow(ctx context.Context, edition int64, style textflow.Style) error {
	err := s.db.WithContext(ctx).Model(&Edition{ID: edition}).Select("Flow").Updates(Edition{Flow: style}).Error
	return database.Found(err, fmt.Sprintf("keep the text style of edition %d", edition))
}

// PageText reads the text of one page.
func (s *Library) PageText(ctx context.Context, edition int64, page int) (PageText, error) {
	var p PageText
	err := s.db.WithContext(ctx).First(&p, "edition_id = ? AND page = ?", edition, page).Error
	return p, database.Found(err, fmt.Sprintf("text of page %d of edition %d", page, edition))
}

// PageTexts reads the texts of pages from..to, in order.
func (s *Library) PageTexts(ctx context.Context, edition int64, from, to int) ([]PageText, error) {
	var out []PageText
	err := s.db.WithContext(ctx).Where("edition_id = ? AND page BETWEEN ? AND ?", edition, from, to).Order("page").Find(&out).Error
	return out, database.Found(err, fmt.Sprintf("texts of edition %d", edition))
}

// PlainText reads the text of a page as it is kept, and whether it is there yet.
func (s *Library) PlainText(ctx context.Context, edition int64, page int) (plain string, there bool, err error) {
	var out []string
	err = s.db.WithContext(ctx).Model(&PageText{}).Where("edition_id = ? AND page = ?", edition, page).Limit(1).Pluck("plain", &out).Error
	if err != nil || len(out) == 0 {
		return "", false, database.Found(err, fmt.Sprintf("text of page %d of edition %d", page, edition))
	}
	return out[0], true, nil
}

// escapeLike makes a text stand for itself in a LIKE pattern.
func escapeLike(text string) string {
	return strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(text)
}

// PagesWith reads the pages of an edition whose folded text contains a folded
// text, in order, from a page on, at most so many; 0 is all. Layers are left
// out.
func (s *Library) PagesWith(ctx context.Context, edition int64, folded string, from, most int) ([]PageText, error) {
	rows, err := s.db.Search().Query(ctx, `SELECT page, plain, folded FROM page_texts
		WHERE edition_id = $1 AND page >= $2 AND folded LIKE $3 ORDER BY page LIMIT NULLIF($4, 0)`, edition, from, "%"+escapeLike(folded)+"%", most)
	if err != nil {
		return nil, fmt.Errorf("look through edition %d: %w", edition, err)
	}
	defer rows.Close()
	var out []PageText
	for rows.Next() {
		p := PageText{EditionID: edition}
		if err := rows.Scan(&p.Page, &p.Plain, &p.Folded); err != nil {
			return nil, fmt.Errorf("look through edition %d: %w", edition, err)
		}
		out = append(out, p)
	}
	return out, database.Found(rows.Err(), fmt.Sprintf("look through edition %d", edition))
}
