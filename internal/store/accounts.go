package store

import (
	"context"
	"crypto/sha256"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
)

// Account is somebody who may sign in.
type Account struct {
	ID           int64
	Email        string
	Name         string
	PasswordHash string
	Owner        bool
	CreatedAt    time.Time
}

// Fold brings an e-mail address into the form it is kept in.
func Fold(email string) string { return strings.ToLower(strings.TrimSpace(email)) }

// AddAccount adds an account.
func (s *Store) AddAccount(ctx context.Context, a *Account) error {
	a.Email = Fold(a.Email)
	return found(s.db.WithContext(ctx).Create(a).Error, "add account")
}

// Account reads an account.
func (s *Store) Account(ctx context.Context, id int64) (Account, error) {
	var a Account
	err := s.db.WithContext(ctx).First(&a, id).Error
	return a, found(err, fmt.Sprintf("account %d", id))
}

// AccountByEmail reads an account by its address.
func (s *Store) AccountByEmail(ctx context.Context, email string) (Account, error) {
	var a Account
	err := s.db.WithContext(ctx).Where("email = ?", Fold(email)).First(&a).Error
	return a, found(err, "account")
}

// HasAccounts says whether anybody can sign in.
func (s *Store) HasAccounts(ctx context.Context) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Account{}).Limit(1).Count(&n).Error
	return n > 0, found(err, "count accounts")
}

// Failures counts recent failed sign-ins for a subject (an address, or where a
// request came from).
func (s *Store) Failures(ctx context.Context, subject string, within time.Duration) (int, error) {
	var n int64
	err := s.db.WithContext(ctx).Table("sign_in_failures").
		Where("subject = ? AND at > ?", subject, time.Now().Add(-within)).Count(&n).Error
	return int(n), found(err, "count failed sign-ins")
}

// NoteFailure notes failed sign-ins and forgets old ones.
func (s *Store) NoteFailure(ctx context.Context, keep time.Duration, subjects ...string) error {
	return s.in(ctx, func(tx *gorm.DB) error {
		for _, subject := range subjects {
			if err := tx.Exec("INSERT INTO sign_in_failures (subject) VALUES (?)", subject).Error; err != nil {
				return fmt.Errorf("note a failed sign-in: %w", err)
			}
		}
		return tx.Exec("DELETE FROM sign_in_failures WHERE at < ?", time.Now().Add(-keep)).Error
	})
}

// ForgetFailures clears a subject after a sign-in that worked.
func (s *Store) ForgetFailures(ctx context.Context, subject string) error {
	return found(s.db.WithContext(ctx).Exec("DELETE FROM sign_in_failures WHERE subject = ?", subject).Error, "forget failed sign-ins")
}

// ForgetSessions removes the sessions that have run out; nobody can use them any
// more.
func (s *Store) ForgetSessions(ctx context.Context) error {
	return found(s.db.WithContext(ctx).Exec("DELETE FROM sessions WHERE expiry < current_timestamp").Error, "forget sessions that have run out")
}

// OfferSetup keeps a one-time address, and drops the earlier ones. Only the
// hash of its token is kept.
func (s *Store) OfferSetup(ctx context.Context, token string, until time.Time) error {
	hash := sha256.Sum256([]byte(token))
	return s.in(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM setup_addresses").Error; err != nil {
			return fmt.Errorf("drop set-up addresses: %w", err)
		}
		return tx.Exec("INSERT INTO setup_addresses (expires_at, token_hash) VALUES (?, ?)", until, hash[:]).Error
	})
}

// SetupOpen says whether a one-time address may still be used.
func (s *Store) SetupOpen(ctx context.Context, token string) (bool, error) {
	hash := sha256.Sum256([]byte(token))
	var n int64
	err := s.db.WithContext(ctx).Table("setup_addresses").
		Where("token_hash = ? AND expires_at > now()", hash[:]).Count(&n).Error
	return n == 1, found(err, "look for a set-up address")
}

// SetUp uses a one-time address: it makes the owner's account and is gone.
func (s *Store) SetUp(ctx context.Context, token string, a *Account) error {
	hash := sha256.Sum256([]byte(token))
	return s.in(ctx, func(tx *gorm.DB) error {
		r := tx.Exec("DELETE FROM setup_addresses WHERE token_hash = ? AND expires_at > now()", hash[:])
		if r.Error == nil && r.RowsAffected == 0 {
			r.Error = gorm.ErrRecordNotFound
		}
		if r.Error != nil {
			return found(r.Error, "set-up address")
		}
		a.Email, a.Owner = Fold(a.Email), true
		return found(tx.Create(a).Error, "add the owner's account")
	})
}
