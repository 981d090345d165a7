package publishing

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"github.com/jackc/pgx/v5"

	"incipit/internal/core/address"
)

// Use is a place that changes when a document goes: one of our web pages, a
// collection, or a page of another website where it was seen.
type Use struct {
	WebPage    int64  // its id, or 0
	Collection int64  // its id, or 0
	Name       string // the title or name of one of ours
	Page       string // the address of another website's page
}

// UsesOf lists where a document is used. Of web pages both count: what readers
// see now, and the draft.
func (s *Publisher) UsesOf(ctx context.Context, document int64) ([]Use, error) {
	placements, err := s.placing.PlacementsOf(ctx, document)
	if err != nil {
		return nil, err
	}
	uses := []Use{}
	if len(placements) == 0 {
		return uses, nil
	}
	for _, p := range placements {
		of, err := json.Marshal(map[string]int64{"p": p.ID})
		if err != nil {
			return nil, fmt.Errorf("name a placement: %w", err)
		}
		named := func(use func(id int64, name string) Use, query string, arguments ...any) ([]Use, error) {
			rows, err := s.db.Pool.Query(ctx, query, arguments...)
			if err != nil {
				return nil, fmt.Errorf("find where placement %d stands: %w", p.ID, err)
			}
			out, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Use, error) {
				var id int64
				var name string
				err := row.Scan(&id, &name)
				return use(id, name), err
			})
			if err != nil {
				return nil, fmt.Errorf("find where placement %d stands: %w", p.ID, err)
			}
			return out, nil
		}
		// What readers see is the version of the last turn that has come.
		pages, err := named(func(id int64, name string) Use { return Use{WebPage: id, Name: name} }, `
			SELECT p.id, s.content->>'title'
			FROM web_pages p
			JOIN draft_steps s ON s.kind = 'page' AND s.subject = p.id AND s.revision = p.step
			LEFT JOIN LATERAL (SELECT version FROM web_page_turns WHERE web_page_id = p.id AND due <= now() ORDER BY due DESC, id DESC LIMIT 1) t ON true
			LEFT JOIN web_page_versions v ON v.web_page_id = p.id AND v.number = t.version
			WHERE jsonb_path_exists(s.content, '$.**.blocks[*] ? (@.kind == "placement" && @.of == $p)', $1) OR s.content::text LIKE $2
			   OR jsonb_path_exists(v.content, '$.**.blocks[*] ? (@.kind == "placement" && @.of == $p)', $1) OR v.content::text LIKE $2
			ORDER BY p.id`, string(of), "%"+address.Reader(p.Key)+"%")
		if err != nil {
			return nil, err
		}
		groups, err := named(func(id int64, name string) Use { return Use{Collection: id, Name: name} },
			`SELECT id, content->>'name' FROM collections WHERE jsonb_path_exists(content, '$.items[*] ? (@.placement == $p)', $1) ORDER BY id`,
			string(of))
		if err != nil {
			return nil, err
		}
		for _, u := range append(pages, groups...) {
			if !slices.Contains(uses, u) {
				uses = append(uses, u)
			}
		}
	}
	for _, p := range placements {
		seen, _, err := s.placing.Seen(ctx, p.ID)
		if err != nil {
			return nil, err
		}
		for _, page := range seen {
			if !slices.ContainsFunc(uses, func(u Use) bool { return u.Page == page.Page }) {
				uses = append(uses, Use{Page: page.Page})
			}
		}
	}
	return uses, nil
}
