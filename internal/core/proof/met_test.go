package proof_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
)

func TestMeet(t *testing.T) {
	met := proof.Meet(tides(), setting.Default(), proof.Terms{}, site, map[int]int64{320: 6, 960: 3, 640: 1})
	require.Len(t, met, 3)
	assert.InDelta(t, 320, met[0].Column, 0)
	assert.InDelta(t, 0.6, met[0].Share, 1e-9)
	assert.Equal(t, proof.MustFix, met[0].Worst.Level, "type of 6.3 pt in 320 px")
	assert.Greater(t, met[2].Body.XHeight, met[0].Body.XHeight)
	same := proof.Look(tides(), setting.Default(), proof.Terms{}, []proof.Screen{{Page: 352, Column: 320, Height: 800, Density: 3}})[0]
	assert.Equal(t, same.Body, met[0].Body, "it is the proof of that column")
	many := map[int]int64{}
	for i := range 60 {
		many[160+40*i] = int64(i)
	}
	assert.Len(t, proof.Meet(tides(), setting.Default(), proof.Terms{}, site, many), 16)
	assert.Empty(t, proof.Meet(tides(), setting.Default(), proof.Terms{}, site, nil))
	for column, want := range map[float64]int{0: 160, 327: 320, 341: 360, 9999: 2400} {
		assert.Equal(t, want, proof.Round(column))
	}
}
