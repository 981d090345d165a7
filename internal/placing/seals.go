package placing

import (
	"context"
	"errors"
	"fmt"

	"gorm.io/gorm"

	"incipit/internal/database"
	"incipit/internal/seal"
)

// signingPurpose is what signing secrets are sealed for, and about.
const signingPurpose = "signing secrets"

// ErrSealed is given for a secret that was sealed with what the operator gave once, and
// does not give now.
var ErrSealed = errors.New("the secret is sealed with one that INCIPIT_SECRETS does not name")

// SealWith has signing secrets sealed at rest with a ring made for them, those that are
// there included.
func (s *Placer) SealWith(ctx context.Context, secrets ...[]byte) error {
	ring, err := seal.NewRing(signingPurpose, secrets...)
	if err != nil {
		return err
	}
	s.ring = ring
	return s.db.In(ctx, func(tx *gorm.DB) error {
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

// Sealed counts the signing keys that hold and whose secrets are sealed.
func (s *Placer) Sealed(ctx context.Context) (int, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&SigningKey{}).Where("sealed AND withdrawn IS NULL").Count(&n).Error
	return int(n), database.Found(err, "count sealed signing keys")
}

// plain gives the secret of a key as it signs.
func (s *Placer) plain(k SigningKey) ([]byte, error) {
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
