package sandbox

import (
	"bytes"
	"fmt"
	"image"
	_ "image/jpeg"
	_ "image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/contrast"
	"incipit/internal/testkit/hostile"
)

// coloured is a page for each of four turns, with words in several colours on several
// grounds, some of them not to be seen.
func coloured() []byte {
	content := `1 1 1 rg 0 0 500 500 re f
0 0 0 rg BT /F 12 Tf 120 420 Td (black) Tj ET
0.6 0.6 0.6 rg BT /F 12 Tf 120 390 Td (grey) Tj ET
0 0 0.4 rg 100 340 200 40 re f 0.9 0.9 1 rg BT /F 12 Tf 120 355 Td (pale) Tj ET
0.2 0.2 0.5 rg BT /F 12 Tf 200 355 Td (sunk) Tj ET
3 Tr 0.9 0.9 0.9 rg BT /F 12 Tf 120 300 Td (unseen) Tj ET 0 Tr
1 1 1 rg BT /F 12 Tf 120 280 Td (white) Tj ET
0.7 0.2 0.2 rg BT /F 20 Tf 120 250 Td (large) Tj ET`
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R 4 0 R 5 0 R 6 0 R] /Count 4>>"}
	for turn := 0; turn < 360; turn += 90 {
		objects = append(objects, fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 500 500] /CropBox [80 80 480 480] /Rotate %d /Contents 7 0 R /Resources <</Font <</F 8 0 R>>>>>>", turn))
	}
	return hostile.Build(append(objects, hostile.Stream("", content), "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>")...)
}

// What a word's colours have is measured on the page as it is drawn, however it is turned.
func TestInksAreMeasured(t *testing.T) {
	d := reading(t, coloured())
	for page := 1; page <= 4; page++ {
		inks, err := d.inks(page)
		require.NoError(t, err)
		made, err := d.image(page, 800)
		require.NoError(t, err)
		picture, _, err := image.Decode(bytes.NewReader(made.Bytes))
		require.NoError(t, err)
		got := map[string]float64{}
		for _, i := range inks {
			if ratio, ok := i.On(picture, 2); ok {
				got[i.Colour] = ratio
			}
		}
		want := map[string]float64{"#000000": 21, "#999999": contrast.Ratio("#999999", "#ffffff"), "#e6e6ff": contrast.Ratio("#e6e6ff", "#000066"),
			"#333380": contrast.Ratio("#333380", "#000066"), "#b33333": contrast.Ratio("#b33333", "#ffffff")}
		require.Len(t, got, len(want), "page %d: %v", page, got)
		for colour, ratio := range want {
			assert.InDelta(t, ratio, got[colour], 0.25, "page %d: %s", page, colour)
		}
	}
	assert.Equal(t, []string{"Helvetica"}, d.objects().Absent(1))
}
