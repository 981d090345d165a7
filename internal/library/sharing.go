package library

import (
	"context"
	"fmt"

	"gorm.io/gorm"

	"incipit/internal/database"
)

// KeptAs gives the keys under which editions keep bytes with a hash, the oldest first: a few.
func (s *Library) KeptAs(ctx context.Context, sha256 string, bytes int64) ([]string, error) {
	var keys []string
	err := s.db.WithContext(ctx).Raw("SELECT blob_key FROM editions WHERE sha256 = ? AND bytes = ? GROUP BY blob_key ORDER BY min(id) LIMIT 3", sha256, bytes).
		Scan(&keys).Error
	return keys, database.Found(err, "look for equal bytes")
}

// create adds the row of an edition. One that shares the bytes of others (BlobKey is theirs,
// Own where it has its own) holds a row that names them until this one is there, so that they
// have an owner all the time and no sweep takes them. Where they have gone meanwhile it has
// its own.
func create(tx *gorm.DB, e *Edition) error {
	if e.Own != "" && e.Own != e.BlobKey {
		var key string
		err := tx.Raw("SELECT blob_key FROM editions WHERE blob_key = ? AND sha256 = ? ORDER BY id LIMIT 1 FOR KEY SHARE", e.BlobKey, e.SHA256).Scan(&key).Error
		if err != nil {
			return fmt.Errorf("hold equal bytes: %w", err)
		}
		if key == "" {
			e.BlobKey = e.Own
		}
	}
	if err := tx.Create(e).Error; err != nil {
		return fmt.Errorf("add edition: %w", err)
	}
	return nil
}
