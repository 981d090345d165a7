package library

import (
	"cmp"
	"context"
	"fmt"

	"gorm.io/gorm"

	"incipit/internal/core/find"
	"incipit/internal/core/textflow"
	"incipit/internal/database"
)

// wordsAtOnce is how many pages are read and kept in one statement.
const wordsAtOnce = 50

// Of a document's words as many are known as PostgreSQL takes in one value (1 MB), those
// first that stand on most pages. What a document is about stands on one page of so many.
const mostWordBytes, aboutShare = 700_000, 5

// KeepWords makes the index of an edition's words anew, from its texts, and that of its
// document where the edition is in force.
func (s *Library) KeepWords(ctx context.Context, e Edition) error {
	config := find.Stemming(cmp.Or(e.Flow.Language, textflow.Language(e.Facts.Language)))
	for from := 1; from <= e.Pages; from += wordsAtOnce {
		if err := s.keepPageWords(ctx, e.ID, from, from+wordsAtOnce-1, config); err != nil {
			return err
		}
	}
	return s.db.In(ctx, func(tx *gorm.DB) error {
		// The document first, as all do that change it: who removes the edition meanwhile has
		// that, and waits for the edition.
		var held int
		err := tx.Raw("SELECT edition FROM all_documents WHERE id = ? FOR UPDATE", e.DocumentID).Scan(&held).Error
		if err != nil {
			return fmt.Errorf("lock document %d: %w", e.DocumentID, err)
		}
		err = tx.Exec(`
			INSERT INTO edition_words (edition_id, config, about, words)
			SELECT @edition, CAST(@config AS regconfig), coalesce(array_to_tsvector(array_agg(lexeme) FILTER (WHERE @share * n >= @pages)), ''),
			       coalesce(array_to_tsvector(array_agg(lexeme)), '')
			FROM (SELECT lexeme, n, sum(octet_length(lexeme) + 1) OVER (ORDER BY n DESC, lexeme) AS length
			      FROM (SELECT w.lexeme, count(*) AS n FROM page_words p, unnest(p.words) w WHERE p.edition_id = @edition GROUP BY 1) l) b
			WHERE length < @most
			ON CONFLICT (edition_id) DO UPDATE SET config = excluded.config, about = excluded.about, words = excluded.words`,
			map[string]any{"edition": e.ID, "config": config, "share": aboutShare, "pages": e.Pages, "most": mostWordBytes}).Error
		if err != nil {
			return fmt.Errorf("keep the words of edition %d: %w", e.ID, err)
		}
		if held != e.Number {
			return nil
		}
		return Reword(tx, e.DocumentID)
	})
}

func (s *Library) keepPageWords(ctx context.Context, edition int64, from, to int, config string) error {
	var texts []PageText
	err := s.db.WithContext(ctx).Select("edition_id", "page", "plain").Where("edition_id = ? AND page BETWEEN ? AND ?", edition, from, to).
		Order("page").Find(&texts).Error
	if err != nil {
		return fmt.Errorf("read the texts of edition %d: %w", edition, err)
	}
	pages, written, loose := make([]int32, len(texts)), make([]string, len(texts)), make([]string, len(texts))
	for i, t := range texts {
		pages[i] = int32(t.Page) //nolint:gosec // a file has 10,000 pages at most
		written[i], loose[i] = find.Words(t.Plain)
	}
	_, err = s.db.Pool.Exec(ctx, `
		INSERT INTO page_words (edition_id, page, words)
		SELECT $1, page, strip(to_tsvector($2::regconfig, written) || to_tsvector('simple', loose))
		FROM unnest($3::int[], $4::text[], $5::text[]) AS p(page, written, loose)
		ON CONFLICT (edition_id, page) DO UPDATE SET words = excluded.words`, edition, config, pages, written, loose)
	return database.Found(err, fmt.Sprintf("keep the words of pages of edition %d", edition))
}

// Reword makes the index of a document's words anew: of what it is called, what is said of
// it, and the words of the edition that is in force.
func Reword(tx *gorm.DB, document int64) error {
	var d Document
	if err := tx.Raw("SELECT * FROM all_documents WHERE id = ?", document).Take(&d).Error; err != nil {
		return database.Found(err, fmt.Sprintf("document %d", document))
	}
	title, titleLoose := find.Words(d.Title)
	var categories string
	err := tx.Raw("SELECT coalesce(string_agg(category, ' '), '') FROM document_categories WHERE document_id = ?", d.ID).Row().Scan(&categories)
	if err != nil {
		return fmt.Errorf("read the categories of document %d: %w", d.ID, err)
	}
	said, saidLoose := find.Words(d.Description + " " + categories)
	err = tx.Exec(`
		INSERT INTO document_words (document_id, config, titled, said, about, words)
		SELECT id, config, titled, said, said || about, said || words
		FROM (SELECT id, config, titled, titled || strip(to_tsvector(config, @said) || to_tsvector('simple', @saidLoose)) AS said, about, words
		      FROM (SELECT d.id, c.config, strip(to_tsvector(c.config, @title) || to_tsvector('simple', @titleLoose)) AS titled,
		                   coalesce(w.about, '') AS about, coalesce(w.words, '') AS words
		            FROM all_documents d
		            LEFT JOIN editions e ON e.document_id = d.id AND e.number = d.edition LEFT JOIN edition_words w ON w.edition_id = e.id
		            CROSS JOIN LATERAL (SELECT coalesce(w.config, 'simple') AS config) c
		            WHERE d.id = @document) t) a
		ON CONFLICT (document_id) DO UPDATE SET config = excluded.config, titled = excluded.titled, said = excluded.said, about = excluded.about,
		    words = excluded.words`,
		map[string]any{"document": d.ID, "title": title, "titleLoose": titleLoose, "said": said, "saidLoose": saidLoose}).Error
	return database.Found(err, fmt.Sprintf("keep the words of document %d", d.ID))
}
