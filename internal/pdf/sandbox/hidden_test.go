package sandbox

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
	"incipit/internal/testkit/hostile"
)

// Text of a layer that is switched off is not there; other text is, in layers or not.
func TestLayersThatAreOffHideTheirText(t *testing.T) {
	d := reading(t, hostile.Build(
		"<</Type /Catalog /Pages 2 0 R /OCProperties <</OCGs [6 0 R 7 0 R] /D <</Order [6 0 R 7 0 R] /OFF [7 0 R]>>>>>>",
		"<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 300 200] /Contents 4 0 R /Resources <</Font <</F 5 0 R>> /Properties <</A 6 0 R /B 7 0 R>>>>>>",
		hostile.Stream("", "BT /F 12 Tf 20 160 Td (Paths of the marsh) Tj ET /OC /B BDC BT /F 12 Tf 20 120 Td (Flood at springs) Tj ET EMC /OC /A BDC BT /F 12 Tf 20 80 Td (Hides in use) Tj ET EMC"),
		"<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>", "<</Type /OCG /Name (Hides)>>", "<</Type /OCG /Name (Flood)>>"))
	l, err := d.layer(1)
	require.NoError(t, err)
	assert.Equal(t, "Paths of the marsh\nHides in use", overlay.Text(l.Runs))
}
