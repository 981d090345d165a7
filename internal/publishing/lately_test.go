package publishing_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/people"
	"incipit/internal/publishing"
	"incipit/internal/testkit"
)

// What somebody used last is at hand, for them alone, whatever was changed last; what is
// removed, or stands there already, is not.
func TestWhatWasUsedLastIsAtHand(t *testing.T) {
	s := testkit.Nouns(t)
	ctx := t.Context()
	_, err := s.DB.Pool.Exec(ctx, `
		INSERT INTO documents (title) SELECT 'Report ' || n FROM generate_series(1, 150) n;
		INSERT INTO editions (document_id, number, sha256, bytes, file_name, blob_key, pages, pages_known, state, sheets)
		SELECT id, 1, 'sha' || id, 7, 'r.pdf', 'files/' || id, 1, 1, 'ready', '[]' FROM documents;
		INSERT INTO placements (key, document_id, updated_at) SELECT lpad(id::text, 20, 'a'), id, now() - make_interval(days => id::int) FROM documents`)
	require.NoError(t, err)
	var who [2]int64
	for i := range who {
		a := people.Account{Email: fmt.Sprintf("editor%d@harrowmere.example", i), Name: "Editor", PasswordHash: "-"}
		require.NoError(t, s.People.AddAccount(ctx, &a))
		who[i] = a.ID
	}
	hand := func(account int64, with ...int64) (out []int64) {
		o, err := s.Publishing.AtHand(ctx, account, with...)
		require.NoError(t, err)
		for _, r := range o.Lately() {
			out = append(out, r.ID)
		}
		assert.Len(t, o.Others(), len(o.Rows)-len(out))
		return out
	}
	assert.Empty(t, hand(who[0]))
	for id := int64(100); id <= 145; id++ {
		require.NoError(t, s.Publishing.UsedLately(ctx, who[0], id))
	}
	require.NoError(t, s.Publishing.UsedLately(ctx, who[0], 999), "one that is not there")
	assert.Equal(t, []int64{145, 144, 143, 142, 141, 140}, hand(who[0]))
	assert.Empty(t, hand(who[1]), "of somebody else")
	var kept int
	require.NoError(t, s.DB.Pool.QueryRow(ctx, "SELECT count(*) FROM used_lately").Scan(&kept))
	assert.Equal(t, 20, kept)

	_, err = s.DB.Pool.Exec(ctx, "UPDATE used_lately SET used_at = used_at - interval '1 hour'")
	require.NoError(t, err)
	require.NoError(t, s.Publishing.UsedLately(ctx, who[0], 130))
	require.NoError(t, s.Library.RemoveDocument(ctx, 145, "Maren Oakes"))
	assert.Equal(t, []int64{130, 143, 142, 141, 140, 139}, hand(who[0], 144))
	o, err := s.Publishing.AtHand(ctx, who[0], 144)
	require.NoError(t, err)
	assert.True(t, holds(o, 144) && holds(o, 143) && holds(o, 1), "what was asked for, what was used, what was changed last")
}

func holds(o publishing.Offers, id int64) bool {
	for _, r := range o.Rows {
		if r.ID == id {
			return true
		}
	}
	return false
}
