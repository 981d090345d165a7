package plain_test

import (
	"bytes"
	"compress/zlib"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf/plain"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/paper"
)

func TestLayersAndUnits(t *testing.T) {
	f, err := plain.Read(hostile.Layered())
	require.NoError(t, err)
	assert.Equal(t, []plain.Layer{{Ref: 6, Name: "Paths", On: true}, {Ref: 7, Name: "Flood (5.0 m)", On: false},
		{Ref: 8, Name: "湿地", On: true}}, f.Layers())
	assert.Empty(t, f.Units())
	changed, err := f.WithLayers([]plain.Ref{7})
	require.NoError(t, err)
	again, err := plain.Read(changed)
	require.NoError(t, err)
	var on []string
	for _, l := range again.Layers() {
		if l.On {
			on = append(on, l.Name)
		}
	}
	assert.Equal(t, []string{"Flood (5.0 m)"}, on)

	f, err = plain.Read(hostile.Large())
	require.NoError(t, err)
	assert.Equal(t, map[int]float64{2: 2.5}, f.Units())
	assert.Empty(t, f.Layers())
	_, err = f.WithLayers(nil)
	require.Error(t, err)
}

func TestMetadata(t *testing.T) {
	var deflated bytes.Buffer
	z := zlib.NewWriter(&deflated)
	_, _ = z.Write([]byte("<x/>"))
	require.NoError(t, z.Close())
	for _, c := range []struct{ entries, content, want, wrong string }{
		{"", "<x/>", "<x/>", ""},
		{"/Filter []", "<x/>", "<x/>", ""},
		{"/Filter /FlateDecode", deflated.String(), "<x/>", ""},
		{"/Filter [/FlateDecode]", deflated.String(), "<x/>", ""},
		{"/Filter /LZWDecode", "<x/>", "", "the filter LZWDecode"},
		{"/Filter [/ASCIIHexDecode /FlateDecode]", "<x/>", "", "the filter"},
		{"/Filter /FlateDecode", deflated.String()[:6], "", "inflate"},
		{"/Filter /FlateDecode", "<x/>", "", "inflate"},
	} {
		f, err := plain.Read(hostile.Licensed(c.entries, c.content))
		require.NoError(t, err)
		got, err := f.Metadata()
		if c.wrong != "" {
			require.ErrorContains(t, err, c.wrong, c.entries)
			continue
		}
		require.NoError(t, err, c.entries)
		assert.Equal(t, c.want, string(got), c.entries)
	}
	f, err := plain.Read(hostile.Large())
	require.NoError(t, err)
	got, err := f.Metadata()
	require.NoError(t, err)
	assert.Empty(t, got, "it has none")
}

func FuzzRead(f *testing.F) {
	f.Add(hostile.Layered())
	f.Add(hostile.Large())
	f.Add(hostile.Circle())
	f.Add(paper.Sound().PDF())
	f.Add(hostile.Licensed("/Filter /FlateDecode", "x"))
	f.Fuzz(func(t *testing.T, b []byte) {
		file, err := plain.Read(b)
		if err != nil {
			return
		}
		file.Units()
		var on []plain.Ref
		for _, l := range file.Layers() {
			on = append(on, l.Ref)
		}
		_, _ = file.WithLayers(on)
		_, _ = file.Metadata()
		_ = file.Structure(100, func() bool { return false })
		_ = file.Unnamed(100)
		_ = file.Speechless(1, func(string) string { return "" })
	})
}
