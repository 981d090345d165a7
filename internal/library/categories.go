package library

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"gorm.io/gorm"

	"incipit/internal/database"
	"incipit/internal/draft"
)

// Bounds of what is said of a document.
const (
	MostCategory    = 60 // letters
	MostCategories  = 20 // of one document
	MostDescription = 1000
	// mostOffered bounds the categories that are offered to choose from: those with most
	// documents.
	mostOffered = 300
)

// Category is one that documents have.
type Category struct {
	Category  string
	Documents int
}

// Categories lists the categories of documents, by name.
func (s *Library) Categories(ctx context.Context) ([]Category, error) {
	var out []Category
	err := s.db.WithContext(ctx).Raw(`SELECT c.category, count(*) AS documents FROM document_categories c JOIN documents d ON d.id = c.document_id
		GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ?`, mostOffered).Scan(&out).Error
	slices.SortFunc(out, func(a, b Category) int {
		return strings.Compare(strings.ToLower(a.Category), strings.ToLower(b.Category))
	})
	return out, database.Found(err, "list categories")
}

// CategoriesOf lists those of a document, by name.
func (s *Library) CategoriesOf(ctx context.Context, document int64) ([]string, error) {
	var out []string
	err := s.db.WithContext(ctx).Raw("SELECT category FROM document_categories WHERE document_id = ? ORDER BY 1", document).Scan(&out).Error
	return out, database.Found(err, fmt.Sprintf("categories of document %d", document))
}

// CleanCategory gives a category as it is kept, or draft.Refused.
func CleanCategory(typed string) (string, error) {
	c := strings.Join(strings.Fields(strings.ToValidUTF8(strings.ReplaceAll(typed, "\x00", ""), "")), " ")
	if c == "" || utf8.RuneCountInString(c) > MostCategory {
		return "", draft.Refused(fmt.Sprintf("A category has 1 to %d letters. Nothing was changed.", MostCategory))
	}
	return c, nil
}

// Categorise puts documents into a category within a transaction, and gives those that were
// not in it before. Those that have as many as one may have stay as they are.
func Categorise(tx *gorm.DB, category string, documents []int64) (put []int64, err error) {
	return categorised(tx, documents, `INSERT INTO document_categories (document_id, category)
		SELECT d.id, @category FROM documents d WHERE d.id IN @ids AND (SELECT count(*) FROM document_categories WHERE document_id = d.id) < @most
		ON CONFLICT DO NOTHING RETURNING document_id`, category)
}

// Uncategorise takes documents out of a category within a transaction, and gives those that
// were in it.
func Uncategorise(tx *gorm.DB, category string, documents []int64) (taken []int64, err error) {
	return categorised(tx, documents, "DELETE FROM document_categories WHERE category = @category AND document_id IN @ids RETURNING document_id", category)
}

func categorised(tx *gorm.DB, documents []int64, statement, category string) (ids []int64, err error) {
	err = tx.Raw(statement, map[string]any{"ids": documents, "category": category, "most": MostCategories}).Scan(&ids).Error
	if err != nil {
		return nil, fmt.Errorf("change who is in a category: %w", err)
	}
	slices.Sort(ids)
	for _, id := range ids {
		if err := Reword(tx, id); err != nil {
			return nil, err
		}
	}
	return ids, nil
}

// Adder is somebody who added documents.
type Adder struct {
	ID   int64
	Name string
}

// Adders lists who added documents, by name.
func (s *Library) Adders(ctx context.Context) ([]Adder, error) {
	var out []Adder
	err := s.db.WithContext(ctx).Raw("SELECT id, name FROM accounts a WHERE EXISTS (SELECT FROM documents d WHERE d.added_by = a.id) ORDER BY name, id LIMIT 200").Scan(&out).Error
	return out, database.Found(err, "list who added documents")
}
