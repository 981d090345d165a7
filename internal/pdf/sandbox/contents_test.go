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
	"incipit/internal/pdf/xmp"
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
	assert.Equal(t, []pdf.Content{{Number: 1, Name: "Paths", On: true}, {Number: 2, Name: "Flood (5.0 m)"},
		{Number: 3, Name: "湿地", On: true}}, f.Layers)
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

func TestRightsAreRead(t *testing.T) {
	packet := func(properties string) []byte {
		return hostile.Licensed("", `<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:xmpRights="`+xmp.Management+`">`+properties+`</rdf:Description></rdf:RDF>`)
	}
	terms := func(words string) string {
		return `<dc:rights><rdf:Alt><rdf:li xml:lang="x-default">` + words + `</rdf:li></rdf:Alt></dc:rights>`
	}
	statement := func(address string) string {
		return `<xmpRights:WebStatement>` + address + `</xmpRights:WebStatement>`
	}
	for _, c := range []struct {
		name           string
		file           []byte
		licence, terms string
	}{
		{"address and words", packet(statement("http://harrowmere.example/rights") + terms("Free to copy")), "http://harrowmere.example/rights",
			"Free to copy"},
		{"words that name a licence", packet(terms("See https://creativecommons.org/licenses/by/4.0/.")),
			"https://creativecommons.org/licenses/by/4.0/", "See https://creativecommons.org/licenses/by/4.0/."},
		{"an address without a scheme", packet(statement("harrowmere.example/rights")), "", "harrowmere.example/rights"},
		{"an address that runs", packet(statement("javascript:alert(1)")), "", "javascript:alert(1)"},
		{"an address of a letter box", packet(statement("mailto:warden@harrowmere.example") + terms("Ask the warden")), "", "Ask the warden"},
		{"nothing", packet(""), "", ""},
		{"a broken packet", hostile.Licensed("", "<dc:rights>"), "", ""},
	} {
		f, err := reading(t, c.file).facts()
		require.NoError(t, err, c.name)
		assert.Equal(t, c.licence, f.Licence, c.name)
		assert.Equal(t, c.terms, f.Terms, c.name)
	}
	assert.Equal(t, "https://creativecommons.org/licenses/by/4.0/",
		licence("birds, marsh", "(https://creativecommons.org/licenses/by/4.0/)"), "in a keyword or the subject")
	assert.Empty(t, licence("https://harrowmere.example/tides", "http://creativecommons.org/licenses/by/4.0/", "javascript:licence"))
}
