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
	assert.Contains(t, c, `style="grid-area:1/1;width:round(down,100%,1px);height:100%;border:0"`)
	assert.Contains(t, c, `<b style="grid-area:1/1;padding-bottom:clamp(70.67% + 33px,420px,70.67% + 81px)"></b>`)
	assert.Contains(t, c, `width="100%" height="486"`)
	assert.Contains(t, c, `loading="lazy"`)
	assert.NotContains(t, c, "ZgotmplZ")
	assert.NotContains(t, c, "<script")
}

func TestCodeStandsWhereItIsTold(t *testing.T) {
	s := setting.Default()
	s.Width, s.Align = setting.Length{Value: 400, Unit: "px"}, setting.Right
	assert.Contains(t, code(t, s, "x"), "width:min(100%,400px);width:round(down,min(100%,400px) + 0.013px,1px);")
	assert.Contains(t, code(t, s, "x"), "margin:0 0 0 auto")
	s.Height = setting.Length{Value: 300, Unit: "px"}
	assert.NotContains(t, code(t, s, "x"), "<div", "a height of its own needs nothing around it")
	assert.Contains(t, code(t, s, "x"), "height:300px;border:0")
}

// A plain placement's code is as short as a person would write it.
func TestCodeIsShort(t *testing.T) {
	c, err := embed.Code(setting.Default(), embed.Subject{Address: "http://127.0.0.1:8080/r/abcdefghij0123456789", Title: "Tide tables 2026",
		Pages: frame.PagesOf([]sheet.Sheet{{Width: 595.28, Height: 841.89}, {Width: 595.28, Height: 841.89}})})
	require.NoError(t, err)
	assert.LessOrEqual(t, len(c), 400, c)
}

// Whatever a title holds, the code has the same elements and the title is text.
func TestCodeEscapesTheTitle(t *testing.T) {
	for _, title := range []string{`Terns & "waders" <2026>`, `"><script>alert(1)</script>`, `' onload='x`, `../../etc`} {
		decoder := xml.NewDecoder(strings.NewReader(strings.ReplaceAll(code(t, setting.Default(), title), " allowfullscreen ",
			" allowfullscreen=\"\" ")))
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
		assert.Equal(t, []string{"div", "b", "iframe"}, names)
		assert.Equal(t, title, seen)
	}
}
