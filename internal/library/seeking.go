package library

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"incipit/internal/core/find"
	"incipit/internal/database"
)

// sought is what somebody typed, as the index is asked for it: pages and documents that
// have all the words, or any of them, and the forms that are looked for.
type sought struct {
	all, any string
	forms    []string
}

// lexeme writes a word as one of tsquery. Words are letters, marks and digits only.
func lexeme(word string, begun bool) string {
	if begun {
		return "'" + word + "':*"
	}
	return "'" + word + "'"
}

// sought brings words to the stems of each language in which there are documents. A word
// that is too common in one of them to be in its index counts only where no other does.
func (s *Library) sought(ctx context.Context, typed string) (sought, error) {
	terms := find.Terms(typed)
	var words []string
	var of []int32
	for i, t := range terms {
		for _, w := range t.Stems {
			words, of = append(words, lexeme(w, t.Begun)), append(of, int32(i)) //nolint:gosec // MostTerms
		}
	}
	stems, common := make([][]string, len(terms)), make([]bool, len(terms))
	if len(words) > 0 {
		rows, err := s.db.Search().Query(ctx, `
			SELECT w.term, to_tsquery(c.config, w.word)::text FROM unnest($1::int[], $2::text[]) AS w(term, word)
			CROSS JOIN (SELECT DISTINCT config FROM document_words WHERE config <> 'simple'::regconfig) c`, of, words)
		if err != nil {
			return sought{}, fmt.Errorf("bring words to their stems: %w", err)
		}
		defer rows.Close()
		for rows.Next() {
			var term int
			var stem string
			if err := rows.Scan(&term, &stem); err != nil {
				return sought{}, fmt.Errorf("bring words to their stems: %w", err)
			}
			common[term] = common[term] || stem == ""
			if stem != "" {
				// A word that PostgreSQL takes apart is all of its parts: what is known of a
				// page has no order.
				stems[term] = append(stems[term], strings.ReplaceAll(stem, "<->", "&"))
			}
		}
		if err := rows.Err(); err != nil {
			return sought{}, fmt.Errorf("bring words to their stems: %w", err)
		}
	}
	var out sought
	var all, any, rest []string
	for i, t := range terms {
		forms := stems[i]
		for _, w := range t.Exact {
			forms = append(forms, lexeme(w, t.Begun))
		}
		slices.Sort(forms)
		forms = slices.Compact(forms)
		one := "(" + strings.Join(forms, " | ") + ")"
		any = append(any, one)
		if common[i] {
			rest = append(rest, one)
		} else {
			all = append(all, one)
		}
		for _, f := range forms {
			out.forms = append(out.forms, strings.Trim(f, "'():*"))
		}
	}
	if len(all) == 0 {
		all = rest
	}
	out.all, out.any = strings.Join(all, " & "), strings.Join(any, " | ")
	return out, nil
}

// indexed asks for rows by the indexes of words. PostgreSQL takes a look at a document's
// words for as cheap as one at a number, and reads those of all documents where an index
// would name a few.
func (s *Library) indexed(ctx context.Context, what string, ask func(tx pgx.Tx) error) error {
	err := pgx.BeginTxFunc(ctx, s.db.Search(), pgx.TxOptions{AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SET LOCAL enable_seqscan = off"); err != nil {
			return err
		}
		return ask(tx)
	})
	return database.Found(err, what)
}

// hits finds the documents that have what is sought, and where: 0 is in the title, 1 in
// what is said of it, 2 in what it is about, 3 anywhere.
func (s *Library) hits(ctx context.Context, typed string, q sought) (ids []int64, ranks []int32, err error) {
	parts, args := []string{"SELECT id AS document_id, 0 AS rank FROM all_documents WHERE lower(title) LIKE lower($1)"}, []any{"%" + escapeLike(typed) + "%"}
	if q.all != "" {
		args = append(args, q.all)
		for rank, column := range []string{"titled", "said", "about", "words"} {
			parts = append(parts, fmt.Sprintf("SELECT document_id, %d FROM document_words WHERE %s @@ $2::tsquery", rank, column))
		}
	}
	err = s.indexed(ctx, "look for words", func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, "SELECT document_id, min(rank) FROM ("+strings.Join(parts, " UNION ALL ")+") m GROUP BY 1", args...)
		if err != nil {
			return err
		}
		var id int64
		var rank int32
		_, err = pgx.ForEachRow(rows, []any{&id, &rank}, func() error {
			ids, ranks = append(ids, id), append(ranks, rank)
			return nil
		})
		return err
	})
	return ids, ranks, err
}

// Found is a place in the text of a document that was looked for.
type Found struct {
	Page  int
	Label string // of the page
	find.Context
}

const (
	byIndex = "SELECT min(page) AS page FROM (SELECT page FROM page_words w WHERE w.edition_id = i.id AND w.words @@ $2::tsquery OFFSET 0) p"
	// byPage looks at one page after the other, as far as that takes no time.
	byPage = "SELECT page FROM (SELECT page, words FROM page_words w WHERE w.edition_id = i.id AND page <= 100 ORDER BY page OFFSET 0) p WHERE words @@ $2::tsquery LIMIT 1"
)

// places finds the first page of each edition that has all the words, or any of them, and
// quotes it.
func (s *Library) places(ctx context.Context, editions []int64, q sought) (map[int64]Found, error) {
	out := map[int64]Found{}
	whole := func(query string) string { return strings.ReplaceAll(query, ":*", "") }
	for _, try := range []struct {
		query  string
		lookup string // how pages of one edition are found
	}{
		{whole(q.all), byIndex}, {whole(q.any), byIndex},
		// The beginning of a word is that of many: an index would gather the pages of them all.
		{q.all, byPage}, {q.any, byPage},
	} {
		query := try.query
		if try.lookup == byPage && query == whole(query) {
			continue
		}
		left := slices.DeleteFunc(slices.Clone(editions), func(id int64) bool { _, ok := out[id]; return ok })
		if len(left) == 0 || query == "" {
			break
		}
		err := s.indexed(ctx, "look for the pages of words", func(tx pgx.Tx) error {
			rows, err := tx.Query(ctx, `
				SELECT t.edition_id, t.page, coalesce(e.sheets->(t.page - 1)->>'label', ''), t.plain FROM unnest($1::bigint[]) AS i(id)
				CROSS JOIN LATERAL (`+try.lookup+`) p
				JOIN page_texts t ON t.edition_id = i.id AND t.page = p.page JOIN editions e ON e.id = i.id`, left, query)
			if err != nil {
				return err
			}
			var id int64
			var f Found
			var plain string
			_, err = pgx.ForEachRow(rows, []any{&id, &f.Page, &f.Label, &plain}, func() error {
				f.Context, _ = find.Place(plain, q.forms)
				out[id] = f
				return nil
			})
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}
