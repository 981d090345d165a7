package people_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/database"
	"incipit/internal/people"
	"incipit/internal/testkit"
)

// The first account is made through a one-time address, further ones by somebody who has
// one; each sees where it is signed in, and ends it.
func TestAccountsBegin(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	accounts, err := people.NewAccounts(s.People)
	require.NoError(t, err)
	token, err := accounts.OfferSetup(ctx)
	require.NoError(t, err)
	require.NotEmpty(t, token)
	of, err := accounts.SetUp(ctx, token, " Maren Oakes ", owner, password)
	require.NoError(t, err)
	assert.Equal(t, []any{"Maren Oakes", true}, []any{of.Name, of.Owner})
	again, err := accounts.OfferSetup(ctx)
	require.NoError(t, err)
	assert.Empty(t, again, "there is somebody")
	_, err = accounts.SetUp(ctx, token, "Somebody", "somebody@harrowmere.example", password)
	require.ErrorIs(t, err, database.ErrNotFound)

	_, err = accounts.Add(ctx, "Piet", "piet at harrowmere")
	require.Error(t, err)
	offer, err := accounts.Add(ctx, "Piet", "piet@harrowmere.example")
	require.NoError(t, err)
	piet, err := accounts.UseOffer(ctx, offer, "two-curlews-and-a-tide")
	require.NoError(t, err)
	_, err = accounts.UseOffer(ctx, offer, "another-password-entirely")
	require.ErrorIs(t, err, database.ErrNotFound, "an address works once")
	in, err := accounts.SignIn(ctx, "Piet@harrowmere.example", "two-curlews-and-a-tide", "198.51.100.9", "")
	require.NoError(t, err)
	assert.Equal(t, piet.ID, in.ID)
	all, err := s.People.Accounts(ctx)
	require.NoError(t, err)
	assert.Len(t, all, 2)

	require.NoError(t, s.People.NoteSignIn(ctx, people.SignIn{AccountID: piet.ID, Session: "one"}))
	require.NoError(t, s.People.EndSession(ctx, "one"))
	left, err := s.People.SignIns(ctx, piet.ID)
	require.NoError(t, err)
	assert.Empty(t, left)
	one, err := people.Device()
	require.NoError(t, err)
	two, err := people.Device()
	require.NoError(t, err)
	assert.NotEqual(t, one, two)
}

func TestWhatANewAccountNeeds(t *testing.T) {
	assert.Empty(t, people.CheckNew("Maren", owner, password))
	for said, c := range map[string][3]string{
		"Write your name, in at most 100 characters.":                     {" ", owner, password},
		"Write an e-mail address of at most 320 characters.":              {"Maren", strings.Repeat("a", 321) + "@b.example", password},
		"Write an e-mail address, as in warden@harrowmere.example.":       {"Maren", "Maren <a@b.example>", password},
		people.CheckPassword("short"):                                     {"Maren", owner, "short"},
		people.CheckPassword(strings.Repeat("long ", people.MaxPassword)): {"Maren", owner, strings.Repeat("long ", people.MaxPassword)},
	} {
		require.NotEmpty(t, said)
		assert.Equal(t, said, people.CheckNew(c[0], c[1], c[2]))
	}
}
