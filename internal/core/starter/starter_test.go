package starter_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/legible"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/starter"
)

func pages(n int, w, h float64) []sheet.Sheet {
	out := make([]sheet.Sheet, n)
	for i := range out {
		out[i] = sheet.Sheet{Width: w, Height: h}
	}
	return out
}

func sizes(body, running float64) legible.Sizes {
	return legible.Sizes{Known: true, Chars: 900, Running: running, Body: legible.Text{Size: body, XHeight: body / 2}}
}

func TestChoose(t *testing.T) {
	for _, c := range []struct {
		name  string
		facts starter.Facts
		want  string
		says  string
	}{
		{"a form", starter.Facts{Sheets: pages(1, 595, 842), Fields: 31, Sizes: sizes(9, 0.4)}, "form", "31 fields"},
		{"an A3 map", starter.Facts{Sheets: pages(1, 1191, 842), Sizes: sizes(13, 0.1)}, "plan", "1191 × 842 pt"},
		{"a dense table", starter.Facts{Sheets: pages(2, 842, 595), Sizes: sizes(6.3, 0.1)}, "plan", "6.3 pt"},
		{"slides", starter.Facts{Sheets: pages(24, 960, 540), Sizes: sizes(20, 0.2), Headings: 3}, "slides", "24 pages"},
		{"pictures in landscape, whose type nobody knows", starter.Facts{Sheets: pages(24, 960, 540)}, "manual", "24 pages"},
		{"a handbook", starter.Facts{Sheets: pages(52, 420, 595), Sizes: sizes(11, 0.8), Headings: 51}, "manual", "51 headings"},
		{"long and without contents", starter.Facts{Sheets: pages(300, 595, 842)}, "manual", "300 pages"},
		{"a menu card", starter.Facts{Sheets: pages(2, 420, 595), Sizes: sizes(12, 0.1)}, "menu", "2 pages"},
		{"a leaflet", starter.Facts{Sheets: pages(1, 595, 842), Sizes: sizes(11, 0.9)}, "leaflet", "1 page"},
		{"a report", starter.Facts{Sheets: pages(7, 595, 842), Sizes: sizes(10, 0.7), Headings: 8}, "report", "7 pages"},
		{"nothing known yet", starter.Facts{}, "report", "Nothing"},
	} {
		got := starter.Choose(c.facts)
		assert.Equal(t, c.want, got.Name, c.name)
		assert.Contains(t, got.Reason, c.says, c.name)
	}
}

// What a file forbids its readers is off to begin with, and said.
func TestForbidden(t *testing.T) {
	for _, c := range []struct {
		print, copying bool
		says           string
	}{{true, true, ""}, {false, true, "to print:"}, {true, false, "to copy:"}, {false, false, "to print and to copy"}} {
		patch, said := starter.Facts{NoPrint: !c.print, NoCopy: !c.copying}.Forbidden()
		base := setting.Default()
		base.Print, base.Copying = true, true
		got, err := patch.Over(base)
		require.NoError(t, err)
		assert.Equal(t, []bool{c.print, c.copying}, []bool{got.Print, got.Copying})
		assert.Contains(t, said, c.says)
		assert.Equal(t, c.says == "", said == "")
	}
}

// Each starter can stand over house style, for documents of any length.
func TestStartersStand(t *testing.T) {
	for _, s := range starter.All() {
		settings, err := s.Set.Over(setting.Default())
		require.NoError(t, err, s.Name)
		assert.Empty(t, setting.Check(settings, 1), s.Name)
		named, ok := starter.Named(s.Name)
		assert.True(t, ok)
		assert.Equal(t, s.Title, named.Title)
		assert.NotEmpty(t, s.For)
	}
	_, ok := starter.Named("poster")
	assert.False(t, ok)
}

func ExampleChoose() {
	fmt.Println(starter.Choose(starter.Facts{Sheets: pages(1, 595, 842), Fields: 12}))
	// Output: {form It has 12 fields to fill in.}
}
