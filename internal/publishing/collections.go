package publishing

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/collection"
	"incipit/internal/database"
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

// AddCollection keeps a new one, or gives a draft.Refused.
func (s *Publisher) AddCollection(ctx context.Context, content collection.Collection) (Collection, error) {
	key, err := database.NewKey()
	if err != nil {
		return Collection{}, err
	}
	return s.addCollection(ctx, Collection{Key: key, Content: content})
}

// ReinstateCollection keeps one as it was in another installation, under the same key where
// nothing has it here.
func (s *Publisher) ReinstateCollection(ctx context.Context, key string, content collection.Collection) (Collection, error) {
	var taken bool
	if err := s.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT FROM collections WHERE key = ?)", key).Scan(&taken).Error; err != nil {
		return Collection{}, fmt.Errorf("look for a key: %w", err)
	}
	if taken || !database.IsKey(key) {
		return s.AddCollection(ctx, content)
	}
	return s.addCollection(ctx, Collection{Key: key, Content: content})
}

func (s *Publisher) addCollection(ctx context.Context, c Collection) (Collection, error) {
	if err := draft.Refuse(c.Content.Check()); err != nil {
		return Collection{}, err
	}
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
func (s *Publisher) CollectionsBelow(ctx context.Context, behind int64) (database.Page[ListedCollection], error) {
	var out []ListedCollection
	db := s.db.WithContext(ctx)
	err := db.Raw(`
		SELECT c.id, c.key, c.content->>'name' AS name, c.content->>'arrangement' AS arrangement, coalesce(jsonb_array_length(nullif(c.content->'items', 'null')), 0) AS items,
		       (SELECT count(*) FROM jsonb_path_query(c.content, '$.items[*].placement') i
		        JOIN placements p ON p.id = i::bigint
		        JOIN placement_versions v ON v.placement_id = p.id AND v.number = p.published
		        WHERE NOT coalesce((v.settings->>'guarded')::boolean, false)) AS visible
		FROM (SELECT * FROM collections WHERE id > ? ORDER BY id LIMIT ?) c ORDER BY c.id`, behind, database.ListRows+1).Scan(&out).Error
	if err != nil {
		return database.Page[ListedCollection]{}, fmt.Errorf("list collections: %w", err)
	}
	var all int
	if err := db.Raw("SELECT count(*) FROM collections").Scan(&all).Error; err != nil {
		return database.Page[ListedCollection]{}, fmt.Errorf("count collections: %w", err)
	}
	return database.Part(out, all, func(l ListedCollection) int64 { return l.ID }), nil
}

// Collection reads one.
func (s *Publisher) Collection(ctx context.Context, id int64) (Collection, error) {
	var c Collection
	err := s.db.WithContext(ctx).First(&c, id).Error
	return c, database.Found(err, fmt.Sprintf("collection %d", id))
}

// CollectionByKey reads one by its public key.
func (s *Publisher) CollectionByKey(ctx context.Context, key string) (Collection, error) {
	var c Collection
	err := s.db.WithContext(ctx).Where("key = ?", key).First(&c).Error
	return c, database.Found(err, "collection")
}

// ofCollection is the draft of a collection.
func ofCollection(id int64) draft.Live {
	return draft.Live{Kind: draft.Collection, Subject: id,
		Lock: func(tx *gorm.DB) (int64, any, error) {
			var c Collection
			err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).First(&c, id).Error
			return c.Revision, c.Content, database.Found(err, fmt.Sprintf("collection %d", id))
		},
		Keep: func(tx *gorm.DB, revision int64, content json.RawMessage) error {
			err := tx.Exec("UPDATE collections SET revision = ?, content = ?, updated_at = now() WHERE id = ?", revision, string(content), id).Error
			return database.Found(err, fmt.Sprintf("keep collection %d", id))
		}}
}

// ChangeCollection keeps a change that was made of a revision, beside what others
// changed since; a *draft.Clash where they changed the same, a draft.Refused where it
// cannot be so. Readers see it at once.
func (s *Publisher) ChangeCollection(ctx context.Context, id, seen int64, by string, content collection.Collection) ([]draft.Made, error) {
	return ofCollection(id).Change(ctx, s.db, seen, by, content, func(b json.RawMessage) error {
		var c collection.Collection
		if err := json.Unmarshal(b, &c); err != nil {
			return fmt.Errorf("read collection %d: %w", id, err)
		}
		return draft.Refuse(c.Check())
	}, nil)
}

// MoveCollection goes back (-1) or forward (+1) from what its maker saw, or gives
// a *draft.Stale.
func (s *Publisher) MoveCollection(ctx context.Context, id, seen int64, by string, way int) error {
	return ofCollection(id).Move(ctx, s.db, seen, by, way)
}

// WaysOfCollection says whether undo and redo lead somewhere from what is in force.
func (s *Publisher) WaysOfCollection(ctx context.Context, c Collection) (undo, redo bool, err error) {
	return ofCollection(c.ID).Ways(ctx, s.db, c.Revision)
}

// RemoveCollection removes one. Its documents stay.
func (s *Publisher) RemoveCollection(ctx context.Context, id int64) error {
	return database.Found(s.db.WithContext(ctx).Delete(&Collection{}, id).Error, fmt.Sprintf("remove collection %d", id))
}
