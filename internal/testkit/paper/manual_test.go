package paper_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf/plain"
	"incipit/internal/testkit/paper"
)

func TestManual(t *testing.T) {
	f, err := plain.Read(paper.Manual(20, 60))
	require.NoError(t, err)
	assert.Len(t, f.Pages(), 20)
	all := f.Outline(1000, 10)
	require.Len(t, all, 62)
	assert.Equal(t, []int{1, 2, 2, 1, 1}, []int{all[0].Level, all[1].Level, all[11].Level, all[12].Level, all[61].Level})
	assert.Equal(t, "tides.pdf", all[60].File)
	assert.Equal(t, plain.Target{}, all[61].Target)
	assert.InDelta(t, 842-100-40*7, all[47].Place.Top.Value, 0)
	assert.Len(t, f.Links(1, 10), 3)
	assert.Equal(t, 2, f.Named("high-water").Page)
}
