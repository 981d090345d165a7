package sandbox

import (
	"bytes"
	"image"
	_ "image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf"
	"incipit/internal/pdf/wire"
	"incipit/internal/testkit/hostile"
)

// blue says which of the three squares of hostile.Layered are drawn.
func blue(t *testing.T, d *document) [3]bool {
	t.Helper()
	made, err := d.image(1, 200)
	require.NoError(t, err)
	img, _, err := image.Decode(bytes.NewReader(made.Bytes))
	require.NoError(t, err)
	var out [3]bool
	for i := range out {
		r, _, b, _ := img.At(40+60*i, 40).RGBA()
		out[i] = b > 0xC000 && r < 0x4000
	}
	return out
}

func TestLayersAreSwitched(t *testing.T) {
	b := hostile.Layered()
	d := reading(t, b)
	f, err := d.facts()
	require.NoError(t, err)
	assert.Equal(t, []pdf.Content{{Number: 1, Name: "Paths", On: true}, {Number: 2, Name: "Flood (5.0 m)"}, {Number: 3, Name: "湿地", On: true}}, f.Layers)
	assert.Equal(t, [3]bool{true, false, true}, blue(t, d), "as the file says")
	for choice, want := range map[string][3]bool{"2": {false, true, false}, "1.2": {true, true, false}, "-": {}, "1.2.3": {true, true, true}} {
		chosen, err := d.engine.document(wire.Ask{ID: "x", Size: int64(len(b)), Layers: choice})
		require.NoError(t, err, choice)
		assert.Equal(t, want, blue(t, chosen), choice)
	}
	_, err = d.engine.document(wire.Ask{ID: "x", Size: int64(len(b)), Layers: "9"})
	assert.Equal(t, pdf.NoSuchPage, pdf.KindOf(err))
}

func TestUnitsMakePagesLarge(t *testing.T) {
	b := hostile.Large()
	d := reading(t, b)
	f, err := d.facts()
	require.NoError(t, err)
	require.Equal(t, map[int]float64{2: 2.5}, f.Units)
	d, err = d.engine.document(wire.Ask{ID: "x", Size: int64(len(b)), Units: f.Units})
	require.NoError(t, err)
	sheets, err := d.sheets(1, 2)
	require.NoError(t, err)
	assert.InDelta(t, 400, sheets[0].Width, 1e-3)
	assert.InDelta(t, 1000, sheets[1].Width, 1e-3)
	assert.InDelta(t, 750, sheets[1].Height, 1e-3)
	one, err := d.layer(1)
	require.NoError(t, err)
	two, err := d.layer(2)
	require.NoError(t, err)
	require.Len(t, two.Runs, 1)
	assert.InDelta(t, 2.5*one.Runs[0].X, two.Runs[0].X, 0.01)
	assert.InDelta(t, 2.5*one.Runs[0].Y, two.Runs[0].Y, 0.01)
	assert.InDelta(t, 2.5*one.Runs[0].Size, two.Runs[0].Size, 0.01)
	assert.InDelta(t, 2.5*one.Runs[0].Length, two.Runs[0].Length, 0.5)
}
