package people_test

import (
	"context"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/database"
	"incipit/internal/people"
	"incipit/internal/testkit"
)

func TestSetupAddressWorksOnce(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := context.Background()
	require.NoError(t, s.People.OfferSetup(ctx, "old", time.Now().Add(time.Hour)))
	require.NoError(t, s.People.OfferSetup(ctx, "token", time.Now().Add(time.Hour)))
	old, err := s.People.SetupOpen(ctx, "old")
	require.NoError(t, err)
	assert.False(t, old, "a newer address ends the older one")
	require.ErrorIs(t, s.People.SetUp(ctx, "wrong", &people.Account{Email: "a@b.example"}), database.ErrNotFound)
	owner := people.Account{Email: "A@b.example", Name: "A", PasswordHash: "x"}
	require.NoError(t, s.People.SetUp(ctx, "token", &owner))
	assert.True(t, owner.Owner)
	require.ErrorIs(t, s.People.SetUp(ctx, "token", &people.Account{Email: "c@d.example"}), database.ErrNotFound)
	require.NoError(t, s.People.OfferSetup(ctx, "late", time.Now().Add(-time.Second)))
	open, err := s.People.SetupOpen(ctx, "late")
	require.NoError(t, err)
	assert.False(t, open)
}

func TestSessionsThatRanOutAreForgotten(t *testing.T) {
	s := testkit.Nouns(t)
	for token, expiry := range map[string]string{"ran out": "now() - interval '1 second'", "lasts": "now() + interval '1 hour'"} {
		_, err := s.DB.Pool.Exec(t.Context(), "INSERT INTO sessions (token, data, expiry) VALUES ($1, '', "+expiry+")", token)
		require.NoError(t, err)
	}
	require.NoError(t, s.People.ForgetSessions(t.Context(), time.Minute))
	var left []string
	require.NoError(t, s.DB.Pool.QueryRow(t.Context(), "SELECT array_agg(token) FROM sessions").Scan(&left))
	assert.Equal(t, []string{"lasts"}, left)
}

// When a sign-in was last used is noted, now and then.
func TestASignInIsSeen(t *testing.T) {
	s := testkit.Nouns(t)
	a := people.Account{Email: "maren@harrowmere.example", Name: "Maren", PasswordHash: "x"}
	require.NoError(t, s.People.AddAccount(t.Context(), &a))
	_, err := s.DB.Pool.Exec(t.Context(), "INSERT INTO sessions (token, data, expiry) VALUES ('here', '', now() + interval '1 hour')")
	require.NoError(t, err)
	require.NoError(t, s.People.NoteSignIn(t.Context(), people.SignIn{AccountID: a.ID, Session: "here", Agent: "A browser"}))
	_, err = s.DB.Pool.Exec(t.Context(), "UPDATE sign_ins SET begun = now() - interval '1 day', seen = now() - interval '1 day'")
	require.NoError(t, err)
	require.NoError(t, s.People.SeeSignIn(t.Context(), "here"))
	all, err := s.People.SignIns(t.Context(), a.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.WithinDuration(t, time.Now(), all[0].Seen, time.Minute)
}
