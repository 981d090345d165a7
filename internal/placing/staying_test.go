package placing_test

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/setting"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/testkit"
	"incipit/internal/testkit/patience"
)

// A placement that stays at an edition stays there, draft and readers alike, whatever comes
// into force, also when it is published anew; until it follows again.
func TestAPlacementThatStaysAtAnEdition(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	stays, e := h.Published(t, "annual-report.pdf", func(s *setting.Settings) { s.OpenAt = 3 })
	follows, err := h.Placing.Copy(ctx, stays.ID)
	require.NoError(t, err)
	h.Publish(t, follows.ID, setting.Default())
	b, err := demo.PDF("annual-report-2.pdf")
	require.NoError(t, err)
	second, err := h.Intake.Replace(ctx, e.DocumentID, "second.pdf", bytes.NewReader(b), 0, "")
	require.NoError(t, err)
	patience.Until(t, func() bool {
		now, err := h.Library.Edition(ctx, second.ID)
		return err == nil && now.State == library.Ready
	})
	same := func(page int) (int, bool) { return page, true }
	later := func(page int) (int, bool) { return page + 1, true }
	sees := func(id int64) (edition, openAt int) {
		shown, err := h.Placing.ShownByID(ctx, id)
		require.NoError(t, err)
		return shown[id].Edition.Number, shown[id].Version.Settings.OpenAt
	}
	standsIn := func(id int64) int {
		w, err := h.Placing.Whole(ctx, id)
		require.NoError(t, err)
		return w.Edition.Number
	}

	require.NoError(t, h.Placing.Stay(ctx, stays.ID, 1, 1, 1, 0, "Maren Oakes", same))
	require.NoError(t, h.Placing.TurnTo(ctx, e.DocumentID, 1, 2, 0, "Maren Oakes", later))
	for _, c := range []struct {
		id                 int64
		edition, opens, in int
	}{{stays.ID, 1, 3, 1}, {follows.ID, 2, 2, 2}} {
		edition, opens := sees(c.id)
		assert.Equal(t, c.edition, edition)
		assert.Equal(t, c.opens, opens)
		assert.Equal(t, c.in, standsIn(c.id))
	}
	// Published anew, it is the same edition; so is one that is made like it.
	w, err := h.Placing.Whole(ctx, stays.ID)
	require.NoError(t, err)
	require.NoError(t, h.Placing.PublishDraft(ctx, stays.ID, placing.Seen{Revision: w.Draft.Revision, House: w.House.Revision}, 0))
	edition, _ := sees(stays.ID)
	assert.Equal(t, 1, edition)
	like, err := h.Placing.Copy(ctx, stays.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, standsIn(like.ID))
	require.ErrorIs(t, h.Library.RemoveEdition(ctx, e.DocumentID, 1, "Maren Oakes"), library.ErrInUse)

	// What its maker did not see is not done; what was seen is.
	require.ErrorIs(t, h.Placing.Stay(ctx, stays.ID, 0, 2, 2, 0, "Maren Oakes", same), placing.ErrStale)
	require.ErrorIs(t, h.Placing.Stay(ctx, stays.ID, 0, 1, 1, 0, "Maren Oakes", same), placing.ErrStale)
	require.NoError(t, h.Placing.Stay(ctx, stays.ID, 0, 1, 2, 0, "Maren Oakes", later))
	edition, opens := sees(stays.ID)
	assert.Equal(t, 2, edition)
	assert.Equal(t, 4, opens, "its opening page goes with its content")
	// It may go back by itself.
	require.NoError(t, h.Placing.Stay(ctx, stays.ID, 1, 2, 1, 0, "Maren Oakes", same))
	edition, _ = sees(stays.ID)
	assert.Equal(t, 1, edition)
	assert.Equal(t, 2, standsIn(follows.ID))
}
