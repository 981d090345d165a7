// Package account lets editors in: passwords, and the brake on guessing them.
//
// Passwords are kept as argon2id hashes (RFC 9106, its second recommendation
// for memory-constrained settings: 19 MiB, two passes). Failed sign-ins are
// counted for the address typed and for where they come from, in the database,
// so that several servers count together.
package account

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

	"incipit/internal/store"
)

var cost = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// The brake: so many failures within the window, and sign-in pauses.
const (
	Window           = 15 * time.Minute
	MaxPerAddress    = 8
	MaxPerOrigin     = 40
	MinPassword      = 12 // characters
	maxPassword      = 200
	setupValid       = 24 * time.Hour
	concurrentHashes = 4 // each takes 19 MiB
)

// The errors a person can do something about.
var (
	ErrWrong  = errors.New("this e-mail address and password do not go together")
	ErrPaused = errors.New("too many attempts: sign-in pauses for 15 minutes")
)

// Accounts signs people in.
type Accounts struct {
	store  *store.Store
	hashes chan struct{}
	decoy  string
}

// New makes Accounts.
func New(s *store.Store) (*Accounts, error) {
	decoy, err := argon2id.CreateHash("nobody has this password", cost)
	if err != nil {
		return nil, fmt.Errorf("prepare sign-in: %w", err)
	}
	return &Accounts{store: s, hashes: make(chan struct{}, concurrentHashes), decoy: decoy}, nil
}

// Hash makes the hash that is kept of a password.
func Hash(password string) (string, error) {
	h, err := argon2id.CreateHash(password, cost)
	if err != nil {
		return "", fmt.Errorf("hash a password: %w", err)
	}
	return h, nil
}

// SignIn checks a password. origin is where the request comes from. It takes
// the same time whether or not the address has an account.
func (a *Accounts) SignIn(ctx context.Context, email, password, origin string) (store.Account, error) {
	address, from := "address "+store.Fold(email), "origin "+origin
	for subject, limit := range map[string]int{address: MaxPerAddress, from: MaxPerOrigin} {
		n, err := a.store.Failures(ctx, subject, Window)
		if err != nil {
			return store.Account{}, err
		}
		if n >= limit {
			return store.Account{}, ErrPaused
		}
	}
	found, err := a.store.AccountByEmail(ctx, email)
	hash := found.PasswordHash
	if errors.Is(err, store.ErrNotFound) {
		hash = a.decoy
	} else if err != nil {
		return store.Account{}, err
	}
	select {
	case a.hashes <- struct{}{}:
	case <-ctx.Done():
		return store.Account{}, ctx.Err()
	}
	ok, hashErr := argon2id.ComparePasswordAndHash(password, hash)
	<-a.hashes
	if hashErr != nil {
		return store.Account{}, fmt.Errorf("check a password: %w", hashErr)
	}
	if !ok || err != nil || len(password) > maxPassword {
		if err := a.store.NoteFailure(ctx, Window, address, from); err != nil {
			return store.Account{}, err
		}
		return store.Account{}, ErrWrong
	}
	return found, a.store.ForgetFailures(ctx, address)
}

// CheckNew says, in a sentence, what is wrong with a new account, or "".
func CheckNew(name, email, password string) string {
	if strings.TrimSpace(name) == "" || utf8.RuneCountInString(name) > 100 {
		return "Write your name, in at most 100 characters."
	}
	if parsed, err := mail.ParseAddress(strings.TrimSpace(email)); err != nil || parsed.Address != strings.TrimSpace(email) {
		return "Write an e-mail address, as in warden@harrowmere.example."
	}
	if n := utf8.RuneCountInString(password); n < MinPassword || n > maxPassword {
		return fmt.Sprintf("Choose a password of %d to %d characters.", MinPassword, maxPassword)
	}
	return ""
}

// OfferSetup makes the token of a one-time set-up address when nobody has an
// account yet, and "" otherwise.
func (a *Accounts) OfferSetup(ctx context.Context) (string, error) {
	any, err := a.store.HasAccounts(ctx)
	if err != nil || any {
		return "", err
	}
	b := make([]byte, 24)
	if _, err := rand.Read(b); err != nil {
		return "", fmt.Errorf("make a set-up address: %w", err)
	}
	token := base64.RawURLEncoding.EncodeToString(b)
	return token, a.store.OfferSetup(ctx, token, time.Now().Add(setupValid))
}

// SetUp makes the owner's account through a one-time address.
func (a *Accounts) SetUp(ctx context.Context, token, name, email, password string) (store.Account, error) {
	hash, err := Hash(password)
	if err != nil {
		return store.Account{}, err
	}
	owner := store.Account{Name: strings.TrimSpace(name), Email: email, PasswordHash: hash}
	return owner, a.store.SetUp(ctx, token, &owner)
}
