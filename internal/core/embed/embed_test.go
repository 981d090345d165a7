package embed_test

import (
	"encoding/xml"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
)

func code(t *testing.T, s setting.Settings, title string) string {
	t.Helper()
	c, err := embed.Code(s, embed.Subject{
		Address: "https://documents.harrowmere.example/r/k7", Title: title,
		Pages: frame.PagesOf([]sheet.Sheet{{Width: 842, Height: 595}, {Width: 842, Height: 595}}),
	})
	require.NoError(t, err)
	return c
}

func TestCodeReservesTheSpace(t *testing.T) {
	c := code(t, setting.Default(), "Tide table")
	assert.Contains(t, c, `container-type:inline-size`)
	// Plain lengths first, for browsers that cannot round to whole pixels.
	assert.Contains(t, c, `width:100cqw;width:round(down,100cqw + 0.013px,1px);height:calc(clamp(3.1733333px,(100cqw - 26px - clamp(0px,(100cqw - 479.5px)*1000,28px))*0.7066508,5077.3333333px) + 70px + (28px - clamp(0px,(100cqw - 479.5px)*1000,28px)));height:round(up,`)
	assert.Contains(t, c, `;margin:0 auto;border-radius:3px"`)
	assert.Contains(t, c, `height="485"`)
	assert.Contains(t, c, `loading="lazy"`)
	assert.NotContains(t, c, "ZgotmplZ")
	assert.NotContains(t, c, "<script")
}

func TestCodeStandsWhereItIsTold(t *testing.T) {
	s := setting.Default()
	s.Width, s.Align = setting.Length{Value: 400, Unit: "px"}, setting.Right
	assert.Contains(t, code(t, s, "x"), "width:min(100cqw,400px);")
	assert.Contains(t, code(t, s, "x"), "margin:0 0 0 auto")
}

// Whatever a title holds, the code has the same elements and the title is text.
func TestCodeEscapesTheTitle(t *testing.T) {
	for _, title := range []string{`Terns & "waders" <2026>`, `"><script>alert(1)</script>`, `' onload='x`, `../../etc`} {
		decoder := xml.NewDecoder(strings.NewReader(code(t, setting.Default(), title)))
		var names []string
		seen := ""
		for {
			token, err := decoder.Token()
			if err == io.EOF {
				break
			}
			require.NoError(t, err, title)
			if e, ok := token.(xml.StartElement); ok {
				names = append(names, e.Name.Local)
				for _, a := range e.Attr {
					assert.False(t, strings.HasPrefix(a.Name.Local, "on"), a.Name.Local)
					if a.Name.Local == "title" {
						seen = a.Value
					}
				}
			}
		}
		assert.Equal(t, []string{"div", "iframe", "p", "a"}, names)
		assert.Equal(t, title, seen)
	}
}
