package publishing

import (
	"context"
	"fmt"

	"incipit/internal/database"
)

// Offer is something that can be chosen to stand somewhere.
type Offer struct {
	ID        int64  `json:"id"`
	Title     string `json:"title"`
	Key       string `json:"key,omitempty"`
	Pages     int    `json:"pages,omitempty"`
	Published bool   `json:"published"`
	Guarded   bool   `json:"guarded,omitempty"` // collections do not name it
	// Lately is its place among those that somebody used last, from 1; 0 is none.
	Lately int `json:"lately,omitempty"`
}

// Offers are what is offered of one kind: those changed last whose title holds some
// words, and how many there are of these. What was asked for by number is among them,
// whatever it is called.
type Offers struct {
	Rows []Offer `json:"rows"`
	All  int     `json:"all"`
}

// mostOffered is how many of a kind are offered at once.
const mostOffered = 100

// OfferedPlacements offers placements.
func (s *Publisher) OfferedPlacements(ctx context.Context, words string, with ...int64) (Offers, error) {
	const found = `
		SELECT p.id, CASE WHEN p.name = '' THEN d.title ELSE d.title || ' · ' || p.name END AS title, p.key, e.pages, p.published IS NOT NULL AS published, coalesce((v.settings->>'guarded')::boolean, false) AS guarded
		FROM %s p
		JOIN documents d ON d.id = p.document_id
		LEFT JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		JOIN editions e ON e.document_id = d.id AND e.number = coalesce(nullif(p.stays_at, 0), d.edition)`
	return s.offers(ctx, "placements",
		fmt.Sprintf(found, `(SELECT p.* FROM placements p JOIN documents d ON d.id = p.document_id
			WHERE @words = '' OR position(lower(@words) IN lower(d.title || ' ' || p.name)) > 0 ORDER BY p.updated_at DESC, p.id DESC LIMIT @most)`),
		fmt.Sprintf(found, `(SELECT * FROM placements WHERE id IN @with)`),
		`SELECT count(*) FROM placements p JOIN documents d ON d.id = p.document_id WHERE @words = '' OR position(lower(@words) IN lower(d.title || ' ' || p.name)) > 0`, words, with)
}

// OfferedCollections offers collections.
func (s *Publisher) OfferedCollections(ctx context.Context, words string, with ...int64) (Offers, error) {
	const found = `SELECT id, content->>'name' AS title, key, true AS published FROM collections WHERE `
	const matching = `(@words = '' OR position(lower(@words) IN lower(content->>'name')) > 0)`
	return s.offers(ctx, "collections", found+matching+` ORDER BY updated_at DESC, id DESC LIMIT @most`, found+`id IN @with`,
		`SELECT count(*) FROM collections WHERE `+matching, words, with)
}

// OfferedPages offers our own web pages.
func (s *Publisher) OfferedPages(ctx context.Context, words string, with ...int64) (Offers, error) {
	const found = `
		SELECT w.id, s.content->>'title' AS title, true AS published
		FROM web_pages w JOIN draft_steps s ON s.kind = 'page' AND s.subject = w.id AND s.revision = w.step WHERE `
	const matching = `(@words = '' OR position(lower(@words) IN lower(s.content->>'title')) > 0)`
	return s.offers(ctx, "web pages", found+matching+` ORDER BY w.updated_at DESC, w.id DESC LIMIT @most`, found+`w.id IN @with`,
		`SELECT count(*) FROM web_pages w JOIN draft_steps s ON s.kind = 'page' AND s.subject = w.id AND s.revision = w.step WHERE `+
			matching, words, with)
}

// OfferedPictures offers pictures, the latest first.
func (s *Publisher) OfferedPictures(ctx context.Context) (pictures []Picture, all int, err error) {
	db := s.db.WithContext(ctx)
	if err := db.Order("id DESC").Limit(mostPictures).Find(&pictures).Error; err != nil {
		return nil, 0, fmt.Errorf("list pictures: %w", err)
	}
	if len(pictures) < mostPictures {
		return pictures, len(pictures), nil
	}
	err = db.Raw("SELECT count(*) FROM pictures").Scan(&all).Error
	return pictures, all, database.Found(err, "count pictures")
}

// mostPictures is how many pictures are offered: each is looked at.
const mostPictures = 200

func (s *Publisher) offers(ctx context.Context, what, matching, named, count, words string, with []int64) (Offers, error) {
	o := Offers{Rows: []Offer{}}
	db := s.db.WithContext(ctx)
	args := map[string]any{"words": words, "most": mostOffered, "with": append([]int64{0}, with...)}
	if err := db.Raw(matching, args).Scan(&o.Rows).Error; err != nil {
		return o, fmt.Errorf("offer %s: %w", what, err)
	}
	o.All = len(o.Rows)
	if len(o.Rows) == mostOffered {
		if err := db.Raw(count, args).Scan(&o.All).Error; err != nil {
			return o, fmt.Errorf("count %s: %w", what, err)
		}
	}
	if len(with) == 0 {
		return o, nil
	}
	var more []Offer
	if err := db.Raw(named, args).Scan(&more).Error; err != nil {
		return o, fmt.Errorf("read %s: %w", what, err)
	}
	there := map[int64]bool{}
	for _, r := range o.Rows {
		there[r.ID] = true
	}
	for _, r := range more {
		if !there[r.ID] {
			o.Rows = append(o.Rows, r)
		}
	}
	return o, nil
}
