package people

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"incipit/internal/database"
)

// Account is somebody who may sign in.
type Account struct {
	ID           int64
	Email        string
	Name         string
	PasswordHash string
	Owner        bool
	CreatedAt    time.Time
	SuspendedAt  *time.Time // since when they cannot sign in; nil is that they can
}

// Fold brings an e-mail address into the form it is kept in.
func Fold(email string) string { return strings.ToLower(strings.TrimSpace(email)) }

// AddAccount adds an account.
func (s *People) AddAccount(ctx context.Context, a *Account) error {
	a.Email = Fold(a.Email)
	return database.Found(s.db.WithContext(ctx).Create(a).Error, "add account")
}

// Account reads an account.
func (s *People) Account(ctx context.Context, id int64) (Account, error) {
	var a Account
	err := s.db.WithContext(ctx).First(&a, id).Error
	return a, database.Found(err, fmt.Sprintf("account %d", id))
}

// AccountByEmail reads an account by its address.
func (s *People) AccountByEmail(ctx context.Context, email string) (Account, error) {
	var a Account
	err := s.db.WithContext(ctx).Where("email = ?", Fold(email)).First(&a).Error
	return a, database.Found(err, "account")
}

// HasAccounts says whether anybody can sign in.
func (s *People) HasAccounts(ctx context.Context) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Account{}).Limit(1).Count(&n).Error
	return n > 0, database.Found(err, "count accounts")
}

// Try counts a try to sign in for a subject (an address, a device, where a
// request came from) before anything is looked at, and gives how many there were
// within the time. Servers that count together agree: it is one statement.
func (s *People) Try(ctx context.Context, subject string, within time.Duration) (int, error) {
	var n int
	err := s.db.WithContext(ctx).Raw(`
		INSERT INTO sign_in_tries AS t (tries, subject) VALUES (1, ?)
		ON CONFLICT (subject) DO UPDATE SET
			tries = CASE WHEN t.since < now() - make_interval(secs => ?) THEN 1 ELSE least(t.tries + 1, 1000000) END,
			since = CASE WHEN t.since < now() - make_interval(secs => ?) THEN now() ELSE t.since END
		RETURNING tries`, hashed(subject), within.Seconds(), within.Seconds()).Scan(&n).Error
	return n, database.Found(err, "count a try to sign in")
}

// ForgetTries clears a subject after a sign-in that worked.
func (s *People) ForgetTries(ctx context.Context, subject string) error {
	return database.Found(s.db.WithContext(ctx).Exec("DELETE FROM sign_in_tries WHERE subject = ?", hashed(subject)).Error,
		"forget tries to sign in")
}

// TakeBack takes one try of a subject back: it was a right one.
func (s *People) TakeBack(ctx context.Context, subject string) error {
	return database.Found(s.db.WithContext(ctx).Exec("UPDATE sign_in_tries SET tries = greatest(tries - 1, 0) WHERE subject = ?",
		hashed(subject)).Error, "take a try to sign in back")
}

func hashed(text string) []byte {
	sum := sha256.Sum256([]byte(text))
	return sum[:]
}

// mostDevices is how many devices an account is known on.
const mostDevices = 20

// KnowDevice notes that somebody has signed in on a device, by its token. Of an
// account's devices the ones that were seen last are known.
func (s *People) KnowDevice(ctx context.Context, account int64, token string) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		err := tx.Exec("INSERT INTO devices (account_id, token_hash) VALUES (?, ?) ON CONFLICT (token_hash) DO UPDATE SET account_id = excluded.account_id, seen = now()", account, hashed(token)).Error
		if err != nil {
			return fmt.Errorf("know a device: %w", err)
		}
		return tx.Exec("DELETE FROM devices WHERE account_id = ? AND token_hash NOT IN (SELECT token_hash FROM devices WHERE account_id = ? ORDER BY seen DESC LIMIT ?)", account, account, mostDevices).Error
	})
}

// KnowsDevice says whether an account has signed in on a device.
func (s *People) KnowsDevice(ctx context.Context, account int64, token string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Table("devices").Where("token_hash = ? AND account_id = ?", hashed(token), account).Count(&n).Error
	return n > 0, database.Found(err, "look for a device")
}

// SignIn is where somebody is signed in.
type SignIn struct {
	ID        int64
	AccountID int64
	Session   string // the name of the session's row
	Agent     string // as the browser names itself, shortened
	Begun     time.Time
	Seen      time.Time
}

// NoteSignIn notes one.
func (s *People) NoteSignIn(ctx context.Context, in SignIn) error {
	err := s.db.WithContext(ctx).Exec("INSERT INTO sign_ins (account_id, session, agent) VALUES (?, ?, ?) ON CONFLICT (session) DO NOTHING",
		in.AccountID, in.Session, in.Agent).Error
	return database.Found(err, "note a sign-in")
}

// SeeSignIn notes that it is in use, to within five minutes.
func (s *People) SeeSignIn(ctx context.Context, session string) error {
	return database.Found(s.db.WithContext(ctx).Exec("UPDATE sign_ins SET seen = now() WHERE session = ? AND seen < now() - interval '5 minutes'", session).Error, "see a sign-in")
}

// SignIns lists where an account is signed in, the latest first.
func (s *People) SignIns(ctx context.Context, account int64) ([]SignIn, error) {
	var out []SignIn
	err := s.db.WithContext(ctx).Raw("SELECT i.* FROM sign_ins i JOIN sessions s ON s.token = i.session AND s.expiry > now() WHERE i.account_id = ? ORDER BY i.seen DESC, i.id DESC LIMIT 200", account).Scan(&out).Error
	return out, database.Found(err, "list sign-ins")
}

// EndSignIns ends an account's sign-ins: all, or one by its number, but never the
// one whose session is named. What has ended cannot go on: its session is gone.
func (s *People) EndSignIns(ctx context.Context, account, one int64, but string) (int, error) {
	n := 0
	err := s.db.In(ctx, func(tx *gorm.DB) error {
		var sessions []string
		err := tx.Raw("DELETE FROM sign_ins WHERE account_id = ? AND (?::bigint = 0 OR id = ?) AND session <> ? RETURNING session", account,
			one, one, but).Scan(&sessions).Error
		if err != nil {
			return fmt.Errorf("end sign-ins: %w", err)
		}
		if n = len(sessions); n == 0 {
			return nil
		}
		return tx.Exec("DELETE FROM sessions WHERE token IN ?", sessions).Error
	})
	return n, err
}

// EndSession forgets a sign-in whose session ends by itself.
func (s *People) EndSession(ctx context.Context, session string) error {
	return database.Found(s.db.WithContext(ctx).Exec("DELETE FROM sign_ins WHERE session = ?", session).Error, "end a sign-in")
}

// ForgetSessions removes the sessions that have run out, and what was counted
// and offered and holds no more.
func (s *People) ForgetSessions(ctx context.Context, within time.Duration) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		for _, statement := range []string{
			"DELETE FROM sessions WHERE expiry < current_timestamp",
			"DELETE FROM sign_ins WHERE NOT EXISTS (SELECT FROM sessions WHERE token = sign_ins.session) AND begun < now() - interval '1 minute'",
			"DELETE FROM setup_addresses WHERE expires_at < now()",
		} {
			if err := tx.Exec(statement).Error; err != nil {
				return fmt.Errorf("forget sessions that have run out: %w", err)
			}
		}
		return tx.Exec("DELETE FROM sign_in_tries WHERE since < now() - make_interval(secs => ?)", within.Seconds()).Error
	})
}

// Accounts lists all accounts.
func (s *People) Accounts(ctx context.Context) ([]Account, error) {
	var out []Account
	err := s.db.WithContext(ctx).Order("email").Limit(10_000).Find(&out).Error
	return out, database.Found(err, "list accounts")
}

// SetPassword gives an account another password, by its hash. Every sign-in but
// the one whose session is named ends, and no device is known any more.
func (s *People) SetPassword(ctx context.Context, account int64, hash, but string) error {
	err := s.db.In(ctx, func(tx *gorm.DB) error {
		r := tx.Model(&Account{}).Where("id = ?", account).Update("password_hash", hash)
		if r.Error == nil && r.RowsAffected == 0 {
			r.Error = gorm.ErrRecordNotFound
		}
		if r.Error != nil {
			return database.Found(r.Error, "set a password")
		}
		return tx.Exec("DELETE FROM devices WHERE account_id = ?", account).Error
	})
	if err != nil {
		return err
	}
	_, err = s.EndSignIns(ctx, account, 0, but)
	return err
}

// ErrLast is given where nobody could sign in any more.
var ErrLast = errors.New("nobody else can sign in: add somebody first")

// othersEnter says, by its error, whether somebody else can sign in. It holds all accounts
// until the transaction ends, so that two who are the last do not go at once.
func othersEnter(tx *gorm.DB, but int64) error {
	var ids []int64
	err := tx.Raw("SELECT id FROM accounts WHERE suspended_at IS NULL AND password_hash <> '' ORDER BY id FOR UPDATE").Scan(&ids).Error
	if err != nil {
		return fmt.Errorf("look who can sign in: %w", err)
	}
	for _, id := range ids {
		if id != but {
			return nil
		}
	}
	return ErrLast
}

// Suspend keeps an account from signing in from now on, and ends its sign-ins; resuming it
// lets it in again with the password it had. The last one that can sign in is left.
func (s *People) Suspend(ctx context.Context, account int64, suspend bool) error {
	err := s.db.In(ctx, func(tx *gorm.DB) error {
		at := gorm.Expr("NULL")
		if suspend {
			if err := othersEnter(tx, account); err != nil {
				return err
			}
			at = gorm.Expr("coalesce(suspended_at, now())")
		}
		r := tx.Model(&Account{}).Where("id = ?", account).Update("suspended_at", at)
		if r.Error == nil && r.RowsAffected == 0 {
			r.Error = gorm.ErrRecordNotFound
		}
		if r.Error != nil || !suspend {
			return database.Found(r.Error, "suspend an account")
		}
		return tx.Exec("DELETE FROM devices WHERE account_id = ?", account).Error
	})
	if err != nil || !suspend {
		return err
	}
	_, err = s.EndSignIns(ctx, account, 0, "")
	return err
}

// Remove removes an account. What its owner made stays, under the name it was made by.
func (s *People) Remove(ctx context.Context, account int64) error {
	if _, err := s.EndSignIns(ctx, account, 0, ""); err != nil {
		return err
	}
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if err := othersEnter(tx, account); err != nil {
			return err
		}
		// Who signed in meanwhile is signed out as well.
		if err := tx.Exec("DELETE FROM sessions WHERE token IN (SELECT session FROM sign_ins WHERE account_id = ?)", account).Error; err != nil {
			return fmt.Errorf("end sign-ins: %w", err)
		}
		r := tx.Exec("DELETE FROM accounts WHERE id = ?", account)
		if r.Error == nil && r.RowsAffected == 0 {
			r.Error = gorm.ErrRecordNotFound
		}
		return database.Found(r.Error, "remove an account")
	})
}

// OfferPassword keeps a one-time address at which an account gets a new password;
// earlier ones of it hold no more.
func (s *People) OfferPassword(ctx context.Context, account int64, token string, until time.Time) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM setup_addresses WHERE account_id = ?", account).Error; err != nil {
			return fmt.Errorf("drop one-time addresses: %w", err)
		}
		return tx.Exec("INSERT INTO setup_addresses (expires_at, token_hash, account_id) VALUES (?, ?, ?)", until, hashed(token), account).Error
	})
}

// PasswordOffer gives the account of a one-time address that may still be used.
func (s *People) PasswordOffer(ctx context.Context, token string) (Account, error) {
	var a Account
	err := s.db.WithContext(ctx).Where("id = (SELECT account_id FROM setup_addresses WHERE token_hash = ? AND expires_at > now())",
		hashed(token)).First(&a).Error
	return a, database.Found(err, "account of a one-time address")
}

// UsePasswordOffer uses a one-time address up.
func (s *People) UsePasswordOffer(ctx context.Context, token string) (bool, error) {
	r := s.db.WithContext(ctx).Exec("DELETE FROM setup_addresses WHERE token_hash = ? AND expires_at > now() AND account_id IS NOT NULL",
		hashed(token))
	return r.RowsAffected == 1, database.Found(r.Error, "use a one-time address")
}

// OfferSetup keeps a one-time address, and drops the earlier ones. Only the
// hash of its token is kept.
func (s *People) OfferSetup(ctx context.Context, token string, until time.Time) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		if err := tx.Exec("DELETE FROM setup_addresses WHERE account_id IS NULL").Error; err != nil {
			return fmt.Errorf("drop set-up addresses: %w", err)
		}
		return tx.Exec("INSERT INTO setup_addresses (expires_at, token_hash) VALUES (?, ?)", until, hashed(token)).Error
	})
}

// SetupOpen says whether a one-time address may still be used.
func (s *People) SetupOpen(ctx context.Context, token string) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Table("setup_addresses").
		Where("token_hash = ? AND expires_at > now() AND account_id IS NULL", hashed(token)).Count(&n).Error
	return n == 1, database.Found(err, "look for a set-up address")
}

// SetUp uses a one-time address: it makes the owner's account and is gone.
func (s *People) SetUp(ctx context.Context, token string, a *Account) error {
	return s.db.In(ctx, func(tx *gorm.DB) error {
		r := tx.Exec("DELETE FROM setup_addresses WHERE token_hash = ? AND expires_at > now() AND account_id IS NULL", hashed(token))
		if r.Error == nil && r.RowsAffected == 0 {
			r.Error = gorm.ErrRecordNotFound
		}
		if r.Error != nil {
			return database.Found(r.Error, "set-up address")
		}
		a.Email, a.Owner = Fold(a.Email), true
		return database.Found(tx.Create(a).Error, "add the owner's account")
	})
}
