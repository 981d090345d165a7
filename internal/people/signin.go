package people

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"net/mail"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"

	"incipit/internal/core/share"
	"incipit/internal/database"
)

var cost = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// The brake: so many failures within the window, and sign-in pauses.
const (
	Window           = 15 * time.Minute
	MaxPerAddress    = 8
	MaxPerOrigin     = 40
	MinPassword      = 12 // characters
	MaxPassword      = 200
	mostEmail        = 320 // bytes
	setupValid       = 24 * time.Hour
	mostAtOnce       = 100 // who wait to be looked up; more are sent away at once
	concurrentHashes = 3   // each takes 19 MiB; one more is for known devices
)

// The errors a person can do something about.
var (
	ErrWrong = errors.New("this e-mail address and password do not go together")
	// ErrSuspended is given to those who know the password of a suspended account.
	ErrSuspended = errors.New("this account is suspended")
	ErrPaused    = errors.New("too many attempts: sign-in pauses for 15 minutes")
	ErrBusy      = errors.New("too many people sign in at this moment")
)

// Accounts signs people in.
type Accounts struct {
	rows   *People
	hashes chan struct{}
	known  chan struct{} // for devices that are known
	decoy  string
	// Before the database there are two lines, each origin in turn: whoever has a
	// device is looked up in the first; those whose device is not known wait in the
	// second, so that a crowd of guessers waits among itself.
	devices, strangers *share.Line
}

// NewAccounts makes Accounts.
func NewAccounts(s *People) (*Accounts, error) {
	decoy, err := argon2id.CreateHash("nobody has this password", cost)
	if err != nil {
		return nil, fmt.Errorf("prepare sign-in: %w", err)
	}
	return &Accounts{rows: s, hashes: make(chan struct{}, concurrentHashes), known: make(chan struct{}, 1), decoy: decoy,
		devices:   share.NewLine(share.Rules{Places: 2, Waiting: mostAtOnce, PerOrigin: 1}),
		strangers: share.NewLine(share.Rules{Places: 2, Waiting: mostAtOnce, PerOrigin: 1})}, nil
}

// Hash makes the hash that is kept of a password.
func Hash(password string) (string, error) {
	h, err := argon2id.CreateHash(password, cost)
	if err != nil {
		return "", fmt.Errorf("hash a password: %w", err)
	}
	return h, nil
}

// measured says whether a text can be a password at all: characters count, not
// the bytes that they are written in.
func measured(password string) bool {
	n := utf8.RuneCountInString(password)
	return utf8.ValidString(password) && n >= MinPassword && n <= MaxPassword
}

// SignIn checks a password. origin is where the request comes from, device the
// token of a device, or "". It takes the same time whether or not the address has
// an account.
func (a *Accounts) SignIn(ctx context.Context, email, password, origin, device string) (Account, error) {
	if len(email) > mostEmail {
		return Account{}, ErrWrong
	}
	known := false
	if device != "" {
		leave, err := wait(ctx, a.devices, origin)
		if err != nil {
			return Account{}, err
		}
		known, err = a.knows(ctx, email, device)
		leave()
		if err != nil {
			return Account{}, err
		}
	}
	if !known {
		leave, err := wait(ctx, a.strangers, origin)
		if err != nil {
			return Account{}, err
		}
		defer leave()
	}
	found, err := a.rows.AccountByEmail(ctx, email)
	missing := errors.Is(err, database.ErrNotFound)
	if err != nil && !missing {
		return Account{}, err
	}
	counts := []struct {
		subject string
		most    int
	}{{"origin " + origin, MaxPerOrigin}, {"address " + Fold(email), MaxPerAddress}}
	if known {
		counts = counts[:1]
		counts[0].subject, counts[0].most = "device "+device, MaxPerAddress
	}
	for _, c := range counts {
		n, err := a.rows.Try(ctx, c.subject, Window)
		if err != nil {
			return Account{}, err
		}
		if n > c.most {
			return Account{}, ErrPaused
		}
	}
	hash := found.PasswordHash
	if missing || hash == "" {
		hash = a.decoy
	}
	ok, err := a.compare(ctx, password, hash, known)
	if err != nil {
		return Account{}, err
	}
	if !ok || missing || found.PasswordHash == "" || !measured(password) {
		return Account{}, ErrWrong
	}
	if found.SuspendedAt != nil { // told to those alone who know the password
		return Account{}, ErrSuspended
	}
	for i, c := range counts {
		forget := a.rows.ForgetTries
		if i == 0 && !known {
			forget = a.rows.TakeBack // of the origin, where others are, too
		}
		if err := forget(ctx, c.subject); err != nil {
			return Account{}, err
		}
	}
	return found, nil
}

// wait gives a turn in a line.
func wait(ctx context.Context, line *share.Line, origin string) (leave func(), err error) {
	_, leave, err = line.Enter(ctx, share.Asker{Document: "sign-in", Origin: origin})
	if errors.Is(err, share.ErrFull) {
		return nil, ErrBusy
	}
	return leave, err
}

// knows says whether somebody has signed in on a device before.
func (a *Accounts) knows(ctx context.Context, email, device string) (bool, error) {
	found, err := a.rows.AccountByEmail(ctx, email)
	if errors.Is(err, database.ErrNotFound) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	return a.rows.KnowsDevice(ctx, found.ID, device)
}

// compare looks at a password; few are looked at at once.
func (a *Accounts) compare(ctx context.Context, password, hash string, known bool) (bool, error) {
	places := a.hashes
	if known {
		places = a.known
	}
	select {
	case places <- struct{}{}:
	case <-ctx.Done():
		return false, ctx.Err()
	}
	defer func() { <-places }()
	// What is longer than any password may be is not worth the work.
	ok, err := argon2id.ComparePasswordAndHash(password[:min(len(password), 4*MaxPassword)], hash)
	if err != nil {
		return false, fmt.Errorf("check a password: %w", err)
	}
	return ok, nil
}

// ChangePassword gives somebody who is signed in another password; their other
// sign-ins end. What is wrong with it is said in a sentence, or "".
func (a *Accounts) ChangePassword(ctx context.Context, of Account, old, password, session string) (string, error) {
	n, err := a.rows.Try(ctx, fmt.Sprint("change ", of.ID), Window)
	if err != nil {
		return "", err
	}
	if n > MaxPerAddress {
		return "There were too many attempts. Try again in 15 minutes; your password is as it was.", nil
	}
	ok, err := a.compare(ctx, old, of.PasswordHash, true)
	if err != nil {
		return "", err
	}
	if !ok {
		return "The present password is another one. Nothing was changed.", nil
	}
	if said := CheckPassword(password); said != "" {
		return said + " Nothing was changed.", nil
	}
	if err := a.rows.ForgetTries(ctx, fmt.Sprint("change ", of.ID)); err != nil {
		return "", err
	}
	hash, err := Hash(password)
	if err != nil {
		return "", err
	}
	return "", a.rows.SetPassword(ctx, of.ID, hash, session)
}

// CheckPassword says, in a sentence, what is wrong with a new password, or "".
func CheckPassword(password string) string {
	if !measured(password) {
		return fmt.Sprintf("Choose a password of %d to %d characters.", MinPassword, MaxPassword)
	}
	return ""
}

// Reset makes the token of a one-time address at which an account gets a new password. The
// present one, and every sign-in, end at once: somebody else may know it.
func (a *Accounts) Reset(ctx context.Context, email string) (string, error) {
	of, err := a.rows.AccountByEmail(ctx, email)
	if err != nil {
		return "", err
	}
	if err := a.rows.SetPassword(ctx, of.ID, "", ""); err != nil {
		return "", err
	}
	token, err := newToken()
	if err != nil {
		return "", err
	}
	return token, a.rows.OfferPassword(ctx, of.ID, token, time.Now().Add(setupValid))
}

// Add makes an account without a password, and the token of the one-time address
// at which it gets one.
func (a *Accounts) Add(ctx context.Context, name, email string) (string, error) {
	if said := checkPerson(name, email); said != "" {
		return "", errors.New(said)
	}
	if err := a.rows.AddAccount(ctx, &Account{Name: strings.TrimSpace(name), Email: email}); err != nil {
		return "", err
	}
	return a.Reset(ctx, email)
}

// UseOffer gives an account a new password through a one-time address. Every
// sign-in of it ends.
func (a *Accounts) UseOffer(ctx context.Context, token, password string) (Account, error) {
	of, err := a.rows.PasswordOffer(ctx, token)
	if err != nil {
		return of, err
	}
	hash, err := Hash(password)
	if err != nil {
		return of, err
	}
	first, err := a.rows.UsePasswordOffer(ctx, token)
	if err != nil {
		return of, err
	}
	if !first {
		return of, database.ErrNotFound
	}
	if err := a.rows.SetPassword(ctx, of.ID, hash, ""); err != nil {
		return of, err
	}
	return of, a.rows.ForgetTries(ctx, "address "+of.Email)
}

// CheckNew says, in a sentence, what is wrong with a new account, or "".
func CheckNew(name, email, password string) string {
	if said := checkPerson(name, email); said != "" {
		return said
	}
	return CheckPassword(password)
}

func checkPerson(name, email string) string {
	if strings.TrimSpace(name) == "" || utf8.RuneCountInString(name) > 100 {
		return "Write your name, in at most 100 characters."
	}
	if len(email) > mostEmail {
		return "Write an e-mail address of at most 320 characters."
	}
	if parsed, err := mail.ParseAddress(strings.TrimSpace(email)); err != nil || parsed.Address != strings.TrimSpace(email) {
		return "Write an e-mail address, as in warden@harrowmere.example."
	}
	return ""
}

// OfferSetup makes the token of a one-time set-up address when nobody has an
// account yet, and "" otherwise.
func (a *Accounts) OfferSetup(ctx context.Context) (string, error) {
	any, err := a.rows.HasAccounts(ctx)
	if err != nil || any {
		return "", err
	}
	token, err := newToken()
	if err != nil {
		return "", err
	}
	return token, a.rows.OfferSetup(ctx, token, time.Now().Add(setupValid))
}

// SetUp makes the owner's account through a one-time address.
func (a *Accounts) SetUp(ctx context.Context, token, name, email, password string) (Account, error) {
	hash, err := Hash(password)
	if err != nil {
		return Account{}, err
	}
	owner := Account{Name: strings.TrimSpace(name), Email: email, PasswordHash: hash}
	return owner, a.rows.SetUp(ctx, token, &owner)
}

// Device makes the token that a device is known by.
func Device() (string, error) { return newToken() }

func newToken() (string, error) {
	b := make([]byte, 24)
	if _, err := rand.Read(b); err != nil {
		return "", fmt.Errorf("make a one-time address: %w", err)
	}
	return base64.RawURLEncoding.EncodeToString(b), nil
}
