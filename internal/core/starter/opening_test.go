package starter_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/starter"
)

// How a file wants to be opened is where its settings begin, and that is said.
func TestAsked(t *testing.T) {
	patch, said := starter.Facts{Sheets: pages(20, 595, 842), Opening: starter.Opening{Page: 7, Zoom: 125, Layout: "TwoPageRight",
		Direction: "R2L"}}.Asked()
	got, err := patch.Over(setting.Default())
	require.NoError(t, err)
	assert.Empty(t, setting.Check(got, 20))
	assert.Equal(t, []any{7, setting.Opening{Kind: setting.ByNumber, Percent: 125}, setting.Cover, setting.FromRight},
		[]any{got.OpenAt, got.Zoom, got.Facing, got.Order})
	assert.Equal(t, "The file asks to be opened at page 7, at 125 %, with a cover, then two pages beside each other, from right to left: so it begins.", said)
	for name, o := range map[string]starter.Opening{"nothing": {}, "page 1": {Page: 1, Layout: "SinglePage"}, "beyond": {Page: 21},
		"too small": {Zoom: 3}, "unknown": {Layout: "Fancy", Direction: "L2R"}} {
		patch, said := starter.Facts{Sheets: pages(20, 595, 842), Opening: o}.Asked()
		assert.Empty(t, patch, name)
		assert.Empty(t, said, name)
	}
}
