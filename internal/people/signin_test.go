package people_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/database"
	"incipit/internal/nouns"
	"incipit/internal/people"
	"incipit/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

const (
	owner    = "warden@harrowmere.example"
	password = "wigeon-on-the-scrape"
)

func open(t *testing.T) (*people.Accounts, nouns.All) {
	t.Helper()
	s, err := nouns.Open(t.Context(), testkit.Database(t), database.Share(0))
	require.NoError(t, err)
	t.Cleanup(s.DB.Close)
	hash, err := people.Hash(password)
	require.NoError(t, err)
	require.NoError(t, s.People.AddAccount(t.Context(), &people.Account{Email: owner, Name: "Warden", PasswordHash: hash}))
	a, err := people.NewAccounts(s.People)
	require.NoError(t, err)
	return a, s
}

// However many guess at once, no more guesses are looked at than the limit; the
// owner gets in meanwhile on a device that is known.
func TestAThousandGuessesAtOnce(t *testing.T) {
	a, s := open(t)
	of, err := a.SignIn(t.Context(), owner, password, "198.51.100.7", "")
	require.NoError(t, err)
	require.NoError(t, s.People.KnowDevice(t.Context(), of.ID, "the warden's laptop"))
	var looked, paused, other atomic.Int64
	var guessing sync.WaitGroup
	for i := range 1000 {
		guessing.Go(func() {
			_, err := a.SignIn(context.Background(), owner, fmt.Sprint("guess number ", i), fmt.Sprint("203.0.113.", i%250), "")
			switch {
			case err == people.ErrWrong:
				looked.Add(1)
			case err == people.ErrPaused || err == people.ErrBusy:
				paused.Add(1)
			default:
				other.Add(1)
			}
		})
	}
	_, err = a.SignIn(t.Context(), owner, password, "203.0.113.1", "the warden's laptop")
	require.NoError(t, err, "in the midst of it")
	guessing.Wait()
	assert.LessOrEqual(t, looked.Load(), int64(people.MaxPerAddress))
	assert.Zero(t, other.Load())
	assert.EqualValues(t, 1000, looked.Load()+paused.Load())
	_, err = a.SignIn(t.Context(), owner, password, "198.51.100.7", "")
	require.ErrorIs(t, err, people.ErrPaused, "on a device that nobody knows")
	_, err = a.SignIn(t.Context(), owner, password, "198.51.100.7", "the warden's laptop")
	require.NoError(t, err)
}

func TestAnOriginIsCounted(t *testing.T) {
	a, _ := open(t)
	wrong, paused := 0, 0
	for i := range people.MaxPerOrigin + 20 {
		switch _, err := a.SignIn(t.Context(), fmt.Sprintf("somebody%d@harrowmere.example", i), "a guess of some kind", "203.0.113.9", ""); err {
		case people.ErrWrong:
			wrong++
		case people.ErrPaused:
			paused++
		}
	}
	assert.Equal(t, people.MaxPerOrigin, wrong)
	assert.Equal(t, 20, paused)
	_, err := a.SignIn(t.Context(), owner, password, "203.0.113.10", "")
	require.NoError(t, err, "others are not held up")
}

// A stolen device is no way round the count: it has one of its own.
func TestADeviceIsCounted(t *testing.T) {
	a, s := open(t)
	of, err := s.People.AccountByEmail(t.Context(), owner)
	require.NoError(t, err)
	require.NoError(t, s.People.KnowDevice(t.Context(), of.ID, "stolen"))
	for range people.MaxPerAddress {
		_, err := a.SignIn(t.Context(), owner, "a guess of some kind", "203.0.113.9", "stolen")
		require.ErrorIs(t, err, people.ErrWrong)
	}
	_, err = a.SignIn(t.Context(), owner, password, "203.0.113.9", "stolen")
	require.ErrorIs(t, err, people.ErrPaused)
	_, err = a.SignIn(t.Context(), owner, password, "198.51.100.7", "")
	require.NoError(t, err)
}

// A password that may be chosen can be used, whatever it is written in.
func TestOneMeasureOfLength(t *testing.T) {
	a, s := open(t)
	of, err := s.People.AccountByEmail(t.Context(), owner)
	require.NoError(t, err)
	for _, chosen := range []string{strings.Repeat("ü", 150), strings.Repeat("鶴", 200), strings.Repeat("🐦", 12), strings.Repeat("x", 200)} {
		require.Empty(t, people.CheckPassword(chosen), chosen)
		hash, err := people.Hash(chosen)
		require.NoError(t, err)
		require.NoError(t, s.People.SetPassword(t.Context(), of.ID, hash, ""))
		_, err = a.SignIn(t.Context(), owner, chosen, "198.51.100.7", "")
		require.NoError(t, err, chosen)
		_, err = a.SignIn(t.Context(), owner, chosen+"x", "198.51.100.7", "")
		require.ErrorIs(t, err, people.ErrWrong, chosen)
	}
	for _, not := range []string{"", "eleven char", strings.Repeat("ü", 201), strings.Repeat("x", 12) + "\xff"} {
		assert.NotEmpty(t, people.CheckPassword(not), not)
	}
}

func TestGettingBackIn(t *testing.T) {
	a, s := open(t)
	token, err := a.Reset(t.Context(), " Warden@Harrowmere.example ")
	require.NoError(t, err)
	_, err = a.SignIn(t.Context(), owner, password, "198.51.100.7", "")
	require.ErrorIs(t, err, people.ErrWrong, "the old one has ended: somebody else may know it")
	of, err := a.UseOffer(t.Context(), token, "another one, and a long one")
	require.NoError(t, err)
	_, err = a.UseOffer(t.Context(), token, "and a third one, as long")
	require.ErrorIs(t, err, database.ErrNotFound, "once alone")
	_, err = a.SignIn(t.Context(), owner, password, "198.51.100.7", "")
	require.ErrorIs(t, err, people.ErrWrong)
	_, err = a.SignIn(t.Context(), owner, "another one, and a long one", "198.51.100.7", "")
	require.NoError(t, err)
	said, err := a.ChangePassword(t.Context(), mustAccount(t, s, of.ID), "not the present one", password, "")
	require.NoError(t, err)
	assert.Contains(t, said, "Nothing was changed")
	said, err = a.ChangePassword(t.Context(), mustAccount(t, s, of.ID), "another one, and a long one", "short", "")
	require.NoError(t, err)
	assert.Contains(t, said, "12 to 200")
	said, err = a.ChangePassword(t.Context(), mustAccount(t, s, of.ID), "another one, and a long one", password, "")
	require.NoError(t, err)
	assert.Empty(t, said)
	_, err = a.SignIn(t.Context(), owner, password, "198.51.100.7", "")
	require.NoError(t, err)
	// An account without a password opens to nobody, until it has one.
	token, err = a.Add(t.Context(), "A volunteer", "volunteer@harrowmere.example")
	require.NoError(t, err)
	_, err = a.SignIn(t.Context(), "volunteer@harrowmere.example", "", "198.51.100.7", "")
	require.ErrorIs(t, err, people.ErrWrong)
	require.NoError(t, s.People.OfferPassword(t.Context(), of.ID, "late", time.Now().Add(-time.Second)))
	_, err = a.UseOffer(t.Context(), "late", "a password that is long enough")
	require.ErrorIs(t, err, database.ErrNotFound)
	_, err = a.UseOffer(t.Context(), token, "a password that is long enough")
	require.NoError(t, err)
}

func mustAccount(t *testing.T, s nouns.All, id int64) people.Account {
	t.Helper()
	a, err := s.People.Account(t.Context(), id)
	require.NoError(t, err)
	return a
}

// Whoever is locked out is out at once, everywhere, and comes back as they were; what they
// made stays, and the last one that can sign in stays, too.
func TestLockingOut(t *testing.T) {
	a, s := open(t)
	ctx := t.Context()
	first, err := s.People.AccountByEmail(ctx, owner)
	require.NoError(t, err)
	require.ErrorIs(t, s.People.Suspend(ctx, first.ID, true), people.ErrLast)
	require.ErrorIs(t, s.People.Remove(ctx, first.ID), people.ErrLast)
	token, err := a.Add(ctx, "A volunteer", "volunteer@harrowmere.example")
	require.NoError(t, err)
	require.ErrorIs(t, s.People.Suspend(ctx, first.ID, true), people.ErrLast, "who has no password cannot sign in either")
	of, err := a.UseOffer(ctx, token, "a password that is long enough")
	require.NoError(t, err)
	enter := func() error {
		_, err := a.SignIn(ctx, of.Email, "a password that is long enough", "198.51.100.7", "")
		return err
	}
	signedIn := func() int {
		require.NoError(t, s.People.NoteSignIn(ctx, people.SignIn{AccountID: of.ID, Session: "s"}))
		_, err := s.DB.Pool.Exec(ctx, "INSERT INTO sessions (token, data, expiry) VALUES ('s', '', now() + interval '1 hour') ON CONFLICT DO NOTHING")
		require.NoError(t, err)
		in, err := s.People.SignIns(ctx, of.ID)
		require.NoError(t, err)
		return len(in)
	}
	require.NoError(t, enter())
	require.Equal(t, 1, signedIn())
	require.NoError(t, s.People.KnowDevice(ctx, of.ID, "a phone"))
	require.NoError(t, s.People.Suspend(ctx, of.ID, true))
	require.NoError(t, s.People.Suspend(ctx, of.ID, true), "twice does no harm")
	in, err := s.People.SignIns(ctx, of.ID)
	require.NoError(t, err)
	assert.Empty(t, in)
	known, err := s.People.KnowsDevice(ctx, of.ID, "a phone")
	require.NoError(t, err)
	assert.False(t, known)
	require.ErrorIs(t, enter(), people.ErrSuspended)
	_, err = a.SignIn(ctx, of.Email, "not the password of it", "198.51.100.7", "")
	require.ErrorIs(t, err, people.ErrWrong, "who does not know the password is not told")
	require.ErrorIs(t, s.People.Suspend(ctx, first.ID, true), people.ErrLast)
	require.NoError(t, s.People.Suspend(ctx, of.ID, false))
	require.NoError(t, enter())

	// Reset ends the old password and whoever is signed in with it.
	require.Equal(t, 1, signedIn())
	_, err = a.Reset(ctx, of.Email)
	require.NoError(t, err)
	in, err = s.People.SignIns(ctx, of.ID)
	require.NoError(t, err)
	assert.Empty(t, in)

	d, _ := testkit.Added(t, s, "tides")
	_, err = s.DB.Pool.Exec(ctx, "UPDATE all_documents SET added_by = $1 WHERE id = $2", of.ID, d.ID)
	require.NoError(t, err)
	require.NoError(t, s.People.Remove(ctx, of.ID))
	require.ErrorIs(t, s.People.Remove(ctx, of.ID), database.ErrNotFound)
	_, err = s.Library.Document(ctx, d.ID)
	require.NoError(t, err, "the work stays")
	require.ErrorIs(t, enter(), people.ErrWrong)
}
