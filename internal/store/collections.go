package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/collection"
	"incipit/internal/draft"
)

// Collection is a named group of documents. Revision counts its changes.
type Collection struct {
	ID        int64
	Key       string
	Revision  int64
	Content   collection.Collection `gorm:"serializer:json"`
	CreatedAt time.Time
	UpdatedAt time.Time
}

// AddCollection keeps a new one.
func (s *Store) AddCollection(ctx context.Context, content collection.Collection) (Collection, error) {
	key, err := newKey()
	if err != nil {
		return Collection{}, err
	}
	c := Collection{Key: key, Content: content}
	if err := s.db.WithContext(ctx).Create(&c).Error; err != nil {
		return c, fmt.Errorf("add a collection: %w", err)
	}
	return c, nil
}

// ListedCollection is a collection as the list shows it.
type ListedCollection struct {
	ID          int64
	Key         string
	Name        string
	Arrangement collection.Arrangement
	Items       int
	Visible     int // of which readers see
}

// CollectionsBelow lists collections, the oldest first, from behind the one with an id.
func (s *Store) CollectionsBelow(ctx context.Context, behind int64) (Page[ListedCollection], error) {
	var out []ListedCollection
	db := s.db.WithContext(ctx)
	err := db.Raw(`
		SELECT c.id, c.key, c.content->>'name' AS name, c.content->>'arrangement' AS arrangement, coalesce(jsonb_array_length(nullif(c.content->'items', 'null')), 0) AS items,
		       (SELECT count(*) FROM jsonb_path_query(c.content, '$.items[*].placement') i
		        JOIN placements p ON p.id = i::bigint
		        JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		        WHERE NOT coalesce((v.settings->>'guarded')::boolean, false)) AS visible
		FROM (SELECT * FROM collections WHERE id > ? ORDER BY id LIMIT ?) c ORDER BY c.id`, behind, listRows+1).Scan(&out).Error
	if err != nil {
		return Page[ListedCollection]{}, fmt.Errorf("list collections: %w", err)
	}
	var all int
	if err := db.Raw("SELECT count(*) FROM collections").Scan(&all).Error; err != nil {
		return Page[ListedCollection]{}, fmt.Errorf("count collections: %w", err)
	}
	return part(out, all, func(l ListedCollection) int64 { return l.ID }), nil
}

// Collection reads one.
func (s *Store) Collection(ctx context.Context, id int64) (Collection, error) {
	var c Collection
	err := s.db.WithContext(ctx).First(&c, id).Error
	return c, found(err, fmt.Sprintf("collection %d", id))
}

// CollectionByKey reads one by its public key.
func (s *Store) CollectionByKey(ctx context.Context, key string) (Collection, error) {
	var c Collection
	err := s.db.WithContext(ctx).Where("key = ?", key).First(&c).Error
	return c, found(err, "collection")
}

// ofCollection is the draft of a collection.
func ofCollection(id int64) live {
	return live{draft.Collection, id,
		func(tx *gorm.DB) (int64, any, error) {
			var c Collection
			err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&c, id).Error
			return c.Revision, c.Content, found(err, fmt.Sprintf("collection %d", id))
		},
		func(tx *gorm.DB, revision int64, content json.RawMessage) error {
			err := tx.Exec("UPDATE collections SET revision = ?, content = ?, updated_at = now() WHERE id = ?", revision, string(content), id).Error
			return found(err, fmt.Sprintf("keep collection %d", id))
		}}
}

// ChangeCollection keeps a change that was made of a revision, beside what others
// changed since; a *draft.Clash where they changed the same. check, or nil, may
// refuse what it comes to.
func (s *Store) ChangeCollection(ctx context.Context, id, seen int64, by string, content collection.Collection,
	check func(collection.Collection) error) ([]draft.Made, error) {
	return s.change(ctx, ofCollection(id), seen, by, content, func(b json.RawMessage) error {
		if check == nil {
			return nil
		}
		var c collection.Collection
		if err := json.Unmarshal(b, &c); err != nil {
			return fmt.Errorf("read collection %d: %w", id, err)
		}
		return check(c)
	}, nil)
}

// MoveCollection goes back (-1) or forward (+1) from what its maker saw, or gives
// a *draft.Stale.
func (s *Store) MoveCollection(ctx context.Context, id, seen int64, by string, way int) error {
	return s.move(ctx, ofCollection(id), seen, by, way)
}

// WaysOfCollection says whether undo and redo lead somewhere from what is in force.
func (s *Store) WaysOfCollection(ctx context.Context, c Collection) (undo, redo bool, err error) {
	return s.ways(ctx, ofCollection(c.ID), c.Revision)
}

// RemoveCollection removes one. Its documents stay.
func (s *Store) RemoveCollection(ctx context.Context, id int64) error {
	return found(s.db.WithContext(ctx).Delete(&Collection{}, id).Error, fmt.Sprintf("remove collection %d", id))
}

// Standing is a placement with what collections and web pages show of it.
type Standing struct {
	ID          int64
	Key         string
	Title       string
	Published   *int
	EditionID   int64 // that readers see, or the latest where they see none
	Pages       int
	Bytes       int64
	Language    string
	Locked      bool    // not everybody may see its cover
	Guarded     bool    // only who was invited may know of it
	CoverHeight float64 // of page 1, over its width
	Changed     time.Time
}

// Standings reads placements by number.
func (s *Store) Standings(ctx context.Context, ids ...int64) (map[int64]Standing, error) {
	var rows []Standing
	err := s.db.WithContext(ctx).Raw(`
		SELECT p.id, p.key, d.title, p.published, e.id AS edition_id, e.pages, e.bytes, coalesce(e.facts->>'language', '') AS language, e.locked OR coalesce((v.settings->>'guarded')::boolean, false) AS locked, coalesce((v.settings->>'guarded')::boolean, false) AS guarded,
		       coalesce((e.sheets->0->>'height')::float8 / nullif((e.sheets->0->>'width')::float8, 0), 1.414) AS cover_height,
		       coalesce(v.published_at, p.updated_at) AS changed
		FROM placements p
		JOIN documents d ON d.id = p.document_id
		LEFT JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		JOIN LATERAL (SELECT * FROM editions WHERE document_id = d.id AND (v.edition_id IS NULL OR id = v.edition_id) ORDER BY number DESC LIMIT 1) e ON true
		WHERE p.id IN ?`, append([]int64{0}, ids...)).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read placements: %w", err)
	}
	out := make(map[int64]Standing, len(rows))
	for _, r := range rows {
		out[r.ID] = r
	}
	return out, nil
}

// Entry is a placement as a collection shows it.
func (st Standing) Entry(category string) collection.Entry {
	return collection.Entry{Key: st.Key, Title: st.Title, Category: category, Language: st.Language, Pages: st.Pages, Bytes: st.Bytes,
		Changed: st.Changed, CoverHeight: st.CoverHeight, Locked: st.Locked}
}
