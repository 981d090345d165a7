package placing_test

import (
	"fmt"
	"testing"

	_ "github.com/jackc/pgx/v5/stdlib"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/placing"
	"incipit/internal/testkit"
)

// Invented websites, each named once, push out nobody who was refused more often.
func TestInventedWebsitesPushNobodyOut(t *testing.T) {
	s := testkit.Nouns(t)
	d, _ := testkit.Added(t, s, "Tides")
	p, err := s.Placing.Place(t.Context(), d.ID, placing.Start{})
	require.NoError(t, err)
	for range 3 {
		require.NoError(t, s.Placing.NoteRefused(t.Context(), p.ID, "https://school.example"))
	}
	for i := range 120 {
		require.NoError(t, s.Placing.NoteRefused(t.Context(), p.ID, fmt.Sprintf("https://invented-%d.example", i)))
	}
	all, err := s.Placing.RefusedSites(t.Context(), p.ID)
	require.NoError(t, err)
	assert.Len(t, all, 50)
	times := map[string]int64{}
	for _, r := range all {
		times[r.Origin] = r.Times
	}
	assert.EqualValues(t, 3, times["https://school.example"])
	assert.EqualValues(t, 1, times["https://invented-119.example"], "the latest is among them")
	require.NoError(t, s.Placing.NoteRefused(t.Context(), p.ID, "https://school.example"))
	all, err = s.Placing.RefusedSites(t.Context(), p.ID)
	require.NoError(t, err)
	assert.Equal(t, "https://school.example", all[0].Origin)
}
