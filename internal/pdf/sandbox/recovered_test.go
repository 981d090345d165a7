package sandbox

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
	"incipit/internal/testkit/hostile"
)

// fontless is a page in fonts that have no map to Unicode and codes of their own:
// two encodings of one font, told apart by the widths of their glyphs, one that has
// names nobody knows, and a font program with an encoding of its own.
func fontless() []byte {
	widths := func(of map[int]int) string {
		var b strings.Builder
		for i := range 128 {
			w := 500
			if other, ok := of[i]; ok {
				w = other
			}
			fmt.Fprintf(&b, "%d ", w)
		}
		return b.String()
	}
	font := func(of map[int]int, more string) string {
		return fmt.Sprintf("<</Type /Font /Subtype /Type1 /BaseFont /ABCDEF+Marsh /FirstChar 0 /LastChar 127 /Widths [%s] /FontDescriptor 8 0 R %s>>", widths(of), more)
	}
	text := `BT /A 20 Tf 40 300 Td (di\033erent tra\034c) Tj /B 20 Tf 0 -40 Td (\033ay) Tj /C 20 Tf 0 -40 Td (o\014ce \001) Tj ET`
	return hostile.Build("<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 400 400] /Contents 4 0 R /Resources <</Font <</A 5 0 R /B 6 0 R /C 7 0 R>>>>>>",
		hostile.Stream("", text),
		font(map[int]int{27: 600, 28: 900}, "/Encoding <</Type /Encoding /Differences [27 /f_f /f_f_i]>>"),
		font(map[int]int{27: 800}, "/Encoding <</Type /Encoding /Differences [27 /T_h.alt]>>"),
		strings.Replace(font(nil, ""), "ABCDEF+Marsh /", "GHIJKL+Sedge /", 1),
		"<</Type /FontDescriptor /FontName /ABCDEF+Marsh /Flags 4 /FontBBox [0 -200 1000 800] /Ascent 800 /Descent -200 /CapHeight 700 /StemV 80 /ItalicAngle 0 /FontFile 9 0 R>>",
		hostile.Stream("", "%!FontType1-1.0: Sedge\n/FontName /Sedge def\n/Encoding 256 array\n0 1 255 {1 index exch /.notdef put} for\ndup 12 /ffi put\ndup 1 /blob put\nreadonly def\ncurrentfile eexec"))
}

// Letters that only the names of their glyphs tell are read; of what has no name
// that anybody knows it is said that a letter stands there.
func TestLettersByTheirNames(t *testing.T) {
	d := reading(t, fontless())
	l, err := d.layer(1)
	require.NoError(t, err)
	assert.Equal(t, "different traffic\nThay\noffice \uFFFD", strings.TrimSpace(overlay.Text(l.Runs)))
}
