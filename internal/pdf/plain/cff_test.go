package plain_test

import (
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf/plain"
	"incipit/internal/testkit/hostile"
)

// index writes an INDEX of a compact font file, with offsets of two bytes.
func index(entries ...string) []byte {
	out := binary.BigEndian.AppendUint16(nil, uint16(len(entries)))
	if len(entries) == 0 {
		return out
	}
	out = append(out, 2)
	at := 1
	for _, e := range append([]string{""}, entries...) {
		at += len(e)
		out = binary.BigEndian.AppendUint16(out, uint16(at))
	}
	for _, e := range entries {
		out = append(out, e...)
	}
	return out
}

// font writes a compact font file whose glyphs have the names and the codes that are
// given, in the first or the second form of both tables; the last glyph has a second
// code.
func font(names []string, codes []byte, ranges bool, second byte) []byte {
	var charset, encoding []byte
	if ranges {
		charset = []byte{1, byte(391 >> 8), byte(391 & 255), byte(len(names) - 1)}
		encoding = []byte{1 | 0x80, byte(len(codes))}
		for _, c := range codes {
			encoding = append(encoding, c, 0)
		}
	} else {
		charset = []byte{0}
		for i := range names {
			charset = binary.BigEndian.AppendUint16(charset, uint16(391+i))
		}
		encoding = append([]byte{0 | 0x80, byte(len(codes))}, codes...)
	}
	last := uint16(391 + len(names) - 1)
	encoding = append(encoding, 1, second, byte(last>>8), byte(last))
	glyphs := index(make([]string, len(names)+1)...)
	number := func(v int) string {
		return string(append([]byte{29}, binary.BigEndian.AppendUint32(nil, uint32(v))...))
	}
	head := append([]byte{1, 0, 4, 2}, index("Marsh")...)
	strs := index(names...)
	at := len(head) + 2 + 1 + 4 + 18 + len(strs) + 2 // up to what the first DICT points at
	top := number(at) + "\x0f" + number(at+len(charset)) + "\x10" + number(at+len(charset)+len(encoding)) + "\x11"
	out := append(head, index(top)...)
	out = append(append(out, strs...), 0, 0)
	return append(append(append(out, charset...), encoding...), glyphs...)
}

// inFile puts a font file into a document of one page.
func inFile(program []byte) []byte {
	return hostile.Build("<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R] /Count 1>>",
		"<</Type /Page /Parent 2 0 R /MediaBox [0 0 100 100] /Resources <</Font <</F 4 0 R>>>>>>",
		"<</Type /Font /Subtype /Type1 /BaseFont /ABCDEF+Marsh /FontDescriptor 5 0 R>>",
		"<</Type /FontDescriptor /FontName /ABCDEF+Marsh /Flags 4 /FontFile3 6 0 R>>",
		hostile.Stream("/Subtype /Type1C", string(program)))
}

// A compact font says which of its glyphs a code stands for, however it writes that.
func TestCompactFontsNameTheirCodes(t *testing.T) {
	for seed := range uint64(40) {
		r := rand.New(rand.NewPCG(seed, 1))
		var names []string
		var codes []byte
		var want plain.Font
		for i, c := range r.Perm(256)[:2+r.IntN(60)] {
			names, codes = append(names, fmt.Sprintf("glyph%d", i)), append(codes, byte(c))
			want.Names[c] = names[i]
		}
		second := byte(r.IntN(256))
		want.Names[second] = names[len(names)-1]
		for _, ranges := range []bool{false, true} {
			f, err := plain.Read(inFile(font(names, codes, ranges, second)))
			require.NoError(t, err)
			fonts := f.Fonts(1)["Marsh"]
			require.Len(t, fonts, 1)
			assert.Equal(t, want.Names, fonts[0].Names, "seed %d, ranges %v", seed, ranges)
		}
	}
}

// A compact font that is cut off or damaged names what it can, and nothing goes wrong.
func FuzzFonts(f *testing.F) {
	whole := font([]string{"ff", "ffi"}, []byte{1, 2}, true, 3)
	f.Add(whole)
	f.Add(font([]string{"ff", "ffi"}, []byte{1, 2}, false, 3))
	for at := range whole {
		f.Add(whole[:at])
	}
	f.Fuzz(func(t *testing.T, program []byte) {
		if file, err := plain.Read(inFile(program)); err == nil {
			file.Fonts(1)
		}
	})
}
