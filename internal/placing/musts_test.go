package placing_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/library"
	"incipit/internal/testkit"
)

// What has to be fixed of a placement that readers see is found once, and again whenever its
// version, its edition or house style is another; what nobody sees needs no care.
func TestWhatHasToBeFixedIsFound(t *testing.T) {
	h := testkit.Open(t)
	ctx := t.Context()
	bad := func(s *setting.Settings) { s.LeastWidth = 400 }
	p, e := h.Published(t, "spring-notes.pdf", bad)
	h.Measured(t, e.DocumentID)
	d := h.Add(t, "leaflet-welcome.pdf")
	h.Measured(t, d.ID)
	proofed := func() (n int) {
		for {
			some, err := h.Placing.ProofDue(ctx)
			require.NoError(t, err)
			if n += some; some == 0 {
				return n
			}
		}
	}
	care := func() []library.Listed {
		page, err := h.Library.Find(ctx, library.Wanted{Care: "glosses", Most: 8})
		require.NoError(t, err)
		assert.Equal(t, len(page.Rows), page.All)
		return page.Rows
	}
	assert.Equal(t, 1, proofed())
	assert.Zero(t, proofed(), "nothing is another than it was")
	require.Len(t, care(), 1)
	assert.Equal(t, "on a phone: The frame sticks out", care()[0].Must)

	h.Publish(t, p.ID, setting.Default())
	assert.Equal(t, 1, proofed())
	for _, c := range care() {
		assert.NotContains(t, c.Must, "sticks out")
	}
	s := setting.Default()
	bad(&s)
	h.Publish(t, p.ID, s)
	assert.Equal(t, 1, proofed())
	assert.Len(t, care(), 1)
	house, err := h.Placing.House(ctx)
	require.NoError(t, err)
	house.Terms.Budget /= 2
	_, err = h.Placing.ChangeTerms(ctx, house.Revision, "Maren Oakes", house.Terms, house.Sites)
	require.NoError(t, err)
	assert.Equal(t, 1, proofed(), "house style is another")
	h.Withdraw(t, p.ID)
	assert.Empty(t, care())
	assert.Zero(t, proofed())
}
