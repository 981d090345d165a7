package sheet_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/sheet"
)

func TestSpan(t *testing.T) {
	for text, want := range map[string][]int{
		"":           {1, 2, 3, 4, 5, 6, 7, 8},
		" , ":        {1, 2, 3, 4, 5, 6, 7, 8},
		"3":          {3},
		"2-4, 8":     {2, 3, 4, 8},
		"8;2 – 4":    {2, 3, 4, 8},
		"4,3-5,4":    {3, 4, 5},
		"٢-٤، ٨":     {2, 3, 4, 8},
		"۷؛۸":        {7, 8},
		"２〜４、８":      {2, 3, 4, 8},
		"२—३":        {2, 3},
		"1-8":        {1, 2, 3, 4, 5, 6, 7, 8},
		"\u20021, 2": {1, 2},
		"𝟏-𝟑":        {1, 2, 3},
	} {
		got, err := sheet.Span(text, 8)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"0", "9", "5-3", "2-", "-2", "-", "1-2-3", "iv", "1.5", "1-99999999999999999999", "a,1"} {
		_, err := sheet.Span(text, 8)
		assert.ErrorIs(t, err, sheet.ErrSpan, text)
	}
}
