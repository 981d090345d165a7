package store

import (
	"context"
	"errors"
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
func (s *Store) SealSecrets(ctx context.Context) ([][]byte, error) {
	return s.sealSecrets(ctx, false)
}

// NewSealSecret makes another secret, which seals from now on. What was sealed with the
// ones before opens for a day at least.
func (s *Store) NewSealSecret(ctx context.Context) error {
	_, err := s.sealSecrets(ctx, true)
	return err
}

func (s *Store) sealSecrets(ctx context.Context, another bool) ([][]byte, error) {
	var rows []sealSecret
	err := s.in(ctx, func(tx *gorm.DB) error {
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

// signingPurpose is what signing secrets are sealed for, and about.
const signingPurpose = "signing secrets"

// ErrSealed is given for a secret that was sealed with what the operator gave once, and
// does not give now.
var ErrSealed = errors.New("the secret is sealed with one that INCIPIT_SECRETS does not name")

// SealWith has signing secrets sealed at rest with a ring made for them, those that are
// there included.
func (s *Store) SealWith(ctx context.Context, secrets ...[]byte) error {
	ring, err := seal.NewRing(signingPurpose, secrets...)
	if err != nil {
		return err
	}
	s.ring = ring
	return s.in(ctx, func(tx *gorm.DB) error {
		var keys []SigningKey
		if err := tx.Raw("SELECT * FROM signing_keys ORDER BY id FOR UPDATE").Scan(&keys).Error; err != nil {
			return fmt.Errorf("read signing keys: %w", err)
		}
		for _, k := range keys {
			if k.Sealed && ring.Newest(k.Secret) {
				continue
			}
			plain, err := s.plain(k)
			if err != nil {
				return err
			}
			sealed, err := ring.Seal(signingPurpose, plain)
			if err != nil {
				return err
			}
			if err := tx.Exec("UPDATE signing_keys SET secret = ?, sealed = true WHERE id = ?", sealed, k.ID).Error; err != nil {
				return fmt.Errorf("seal signing key %d: %w", k.ID, err)
			}
		}
		return nil
	})
}

// plain gives the secret of a key as it signs.
func (s *Store) plain(k SigningKey) ([]byte, error) {
	if !k.Sealed {
		return k.Secret, nil
	}
	if s.ring == nil {
		return nil, fmt.Errorf("signing key %d: %w", k.ID, ErrSealed)
	}
	b, err := s.ring.Open(signingPurpose, k.Secret)
	if errors.Is(err, seal.ErrKey) {
		err = ErrSealed
	}
	if err != nil {
		return nil, fmt.Errorf("signing key %d: %w", k.ID, err)
	}
	return b, nil
}
