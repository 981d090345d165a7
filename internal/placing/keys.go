package placing

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"incipit/internal/core/access"
	"incipit/internal/database"
)

// SigningKey is what an integrator's server signs tokens with.
type SigningKey struct {
	ID        int64
	Name      string
	Secret    []byte
	Sealed    bool // the secret is closed, at rest
	CreatedAt time.Time
	Withdrawn *time.Time
}

// ErrTaken is given when a record belongs to another placement already.
var ErrTaken = errors.New("another placement has that record")

const secretBytes = 32

// AddSigningKey makes one. Its secret is shown once.
func (s *Placer) AddSigningKey(ctx context.Context, name string) (SigningKey, error) {
	k := SigningKey{Name: name, Secret: make([]byte, secretBytes)}
	if _, err := rand.Read(k.Secret); err != nil {
		return k, fmt.Errorf("make a secret: %w", err)
	}
	row := k
	if s.ring != nil {
		var err error
		if row.Secret, err = s.ring.Seal(signingPurpose, k.Secret); err != nil {
			return k, err
		}
		row.Sealed = true
	}
	if err := s.db.WithContext(ctx).Create(&row).Error; err != nil {
		return k, fmt.Errorf("keep a signing key: %w", err)
	}
	k.ID, k.CreatedAt = row.ID, row.CreatedAt
	return k, nil
}

// SigningKeys lists them without their secrets.
func (s *Placer) SigningKeys(ctx context.Context) ([]SigningKey, error) {
	var out []SigningKey
	err := s.db.WithContext(ctx).Omit("secret").Order("id").Find(&out).Error
	return out, database.Found(err, "list signing keys")
}

// WithdrawSigningKey has what was signed with a key open nothing any more.
func (s *Placer) WithdrawSigningKey(ctx context.Context, id int64) error {
	err := s.db.WithContext(ctx).Model(&SigningKey{}).Where("id = ? AND withdrawn IS NULL", id).Update("withdrawn", time.Now().UTC()).Error
	return database.Found(err, fmt.Sprintf("withdraw signing key %d", id))
}

// SigningSecret gives the secret of a key that holds, or access.ErrToken.
func (s *Placer) SigningSecret(ctx context.Context, id int64) ([]byte, error) {
	var k SigningKey
	err := s.db.WithContext(ctx).Where("withdrawn IS NULL").First(&k, id).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, access.ErrToken
	}
	if err != nil {
		return nil, database.Found(err, fmt.Sprintf("signing key %d", id))
	}
	return s.plain(k)
}

type usedToken struct {
	KeyID int64  `gorm:"primaryKey"`
	ID    string `gorm:"primaryKey"`
	Until time.Time
}

// UseToken uses a token that may be used once, and says whether it was the first
// time. What has ended anyway is forgotten.
func (s *Placer) UseToken(ctx context.Context, t access.Token) (bool, error) {
	db := s.db.WithContext(ctx)
	if err := db.Where("until < now()").Delete(&usedToken{}).Error; err != nil {
		return false, fmt.Errorf("forget ended tokens: %w", err)
	}
	done := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&usedToken{KeyID: t.KeyID, ID: t.ID, Until: t.Until})
	return done.RowsAffected == 1, database.Found(done.Error, "use a token")
}

// PlacementByRecord reads the placement that belongs to a record of the
// integrator's.
func (s *Placer) PlacementByRecord(ctx context.Context, record string) (Placement, error) {
	var p Placement
	err := s.db.WithContext(ctx).Where("record = ?", record).First(&p).Error
	return p, database.Found(err, "placement of a record")
}

// SetRecord gives a placement the record that it belongs to, or none; ErrTaken
// where another one has it.
func (s *Placer) SetRecord(ctx context.Context, id int64, record string) error {
	var value any
	if record != "" {
		value = record
	}
	err := s.db.WithContext(ctx).Model(&Placement{}).Where("id = ?", id).Update("record", value).Error
	var refused *pgconn.PgError
	if errors.Is(err, gorm.ErrDuplicatedKey) || errors.As(err, &refused) && refused.Code == "23505" {
		return ErrTaken
	}
	return database.Found(err, fmt.Sprintf("record of placement %d", id))
}
