package glyphname_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/pdf/glyphname"
)

func TestText(t *testing.T) {
	for name, want := range map[string]string{
		"a": "a", "ff": "ﬀ", "f_f_i": "ffi", "T_h": "Th", "uni20AC": "€", "u1F600": "😀", "uni00660069": "fi", "Lcommaaccent": "Ļ", "a.sc": "a",
		"zerooldstyle": "0", "Asmall": "A", "three.oldstyle": "3", "parenleftbig": "(", "summationdisplay": "∑", "bracketlefttp": "⎡",
		"dotlessj": "ȷ",
		"":         "", ".notdef": "", "g27": "", "a97x": "", "uniE001": "", "unidead": "", "uni12": "", "f_g99": "",
	} {
		assert.Equal(t, want, glyphname.Text(name), name)
	}
}

func TestPublic(t *testing.T) {
	assert.Equal(t, "0", glyphname.Public(0xF730))
	assert.Equal(t, "⎧", glyphname.Public(0xF8F1))
	assert.Empty(t, glyphname.Public(0xE123), "nobody has said what that is")
	assert.Empty(t, glyphname.Public('a'))
}
