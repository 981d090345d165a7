package database

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"incipit/internal/seal"
)

// keptSecrets is how many secrets for seals are kept, and sealHolds for how long an older
// one is needed at least: what was sealed with it may still be about.
const (
	keptSecrets = 2
	sealHolds   = 24 * time.Hour
)

type sealSecret struct {
	ID     int64
	Secret []byte
	MadeAt time.Time
}

// SealSecrets gives the secrets that keys for seals are made of, the newest first; the
// first server makes the first one.
func (s *DB) SealSecrets(ctx context.Context) ([][]byte, error) {
	return s.sealSecrets(ctx, false)
}

// NewSealSecret makes another secret, which seals from now on. What was sealed with the
// ones before opens for a day at least.
func (s *DB) NewSealSecret(ctx context.Context) error {
	_, err := s.sealSecrets(ctx, true)
	return err
}

func (s *DB) sealSecrets(ctx context.Context, another bool) ([][]byte, error) {
	var rows []sealSecret
	err := s.In(ctx, func(tx *gorm.DB) error {
		// One after the other: else two servers that start together make one each.
		if err := tx.Exec("LOCK TABLE seal_secrets IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
			return err
		}
		if err := tx.Order("id DESC").Find(&rows).Error; err != nil {
			return err
		}
		if len(rows) > 0 && !another {
			return nil
		}
		secret, err := seal.NewSecret()
		if err != nil {
			return err
		}
		next := sealSecret{Secret: secret, MadeAt: time.Now().UTC()}
		if err := tx.Create(&next).Error; err != nil {
			return err
		}
		rows = append([]sealSecret{next}, rows...)
		return tx.Exec(`DELETE FROM seal_secrets WHERE made_at < ? AND id NOT IN (SELECT id FROM seal_secrets ORDER BY id DESC LIMIT ?)`,
			time.Now().UTC().Add(-sealHolds), keptSecrets).Error
	})
	if err != nil {
		return nil, fmt.Errorf("read the secrets for seals: %w", err)
	}
	out := make([][]byte, len(rows))
	for i, r := range rows {
		out[i] = r.Secret
	}
	return out, nil
}
