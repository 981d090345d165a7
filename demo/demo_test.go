package demo_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/demo"
	"incipit/internal/core/proof"
	"incipit/internal/standin"
	"incipit/internal/testkit"
	"incipit/internal/testkit/pace"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// The demo shows documents where its visitors would look for them, and leaves a page to
// try on; of what it publishes one placement alone has something that must be fixed, to
// show what that is.
func TestTheDemoIsSound(t *testing.T) {
	pace.Long(t)
	h := testkit.Open(t)
	ctx := t.Context()
	for _, d := range demo.Documents() {
		require.NoError(t, demo.Add(ctx, h.App, d))
	}
	w, err := standin.Open(t.TempDir())
	require.NoError(t, err)
	require.NoError(t, demo.Website(ctx, h.App, w))
	require.NoError(t, demo.Pages(ctx, h.App, w))

	part, err := h.Placing.PlacementsBelow(ctx, 0)
	require.NoError(t, err)
	house, err := h.Placing.House(ctx)
	require.NoError(t, err)
	keys, faulty := map[string]string{}, []string{}
	for _, p := range part.Rows {
		keys[p.Title] = p.Key
		if p.Published == nil {
			continue
		}
		shown, err := h.Placing.ShownByKey(ctx, p.Key)
		require.NoError(t, err)
		if len(proof.Musts(proof.Run(shown.Edition.ProofFacts(), shown.Version.Settings, house.Terms, proof.Usual(house.Sites[0])))) > 0 {
			faulty = append(faulty, p.Title)
		}
	}
	assert.Equal(t, []string{"Tide and hide access table"}, faulty)

	visiting, err := w.Page("visiting")
	require.NoError(t, err)
	assert.Contains(t, visiting, keys["Tide and hide access table"])
	surveys, err := w.Page("surveys")
	require.NoError(t, err)
	assert.Contains(t, surveys, "incipit-placement")
	empty, err := w.Page("volunteering")
	if assert.NoError(t, err, "a page to try on") {
		assert.False(t, strings.Contains(empty, "<iframe") || strings.Contains(empty, "incipit-placement"))
	}
}
