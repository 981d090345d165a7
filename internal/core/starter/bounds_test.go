package starter_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/starter"
)

// Each rule begins and ends where it says: one page, point or heading makes the difference.
func TestWhereStartersBeginAndEnd(t *testing.T) {
	for _, c := range []struct {
		name  string
		facts starter.Facts
		want  string
	}{
		{"one field", starter.Facts{Sheets: pages(1, 595, 842), Fields: 1}, "form"},
		{"four large pages", starter.Facts{Sheets: pages(4, 1000, 700)}, "plan"},
		{"five of them", starter.Facts{Sheets: pages(5, 1000, 700)}, "report"},
		{"a point smaller", starter.Facts{Sheets: pages(4, 999, 700)}, "leaflet"},
		{"upright", starter.Facts{Sheets: pages(1, 842, 1191)}, "leaflet"},
		{"fine type", starter.Facts{Sheets: pages(4, 842, 595), Sizes: sizes(7.4, 0.5)}, "plan"},
		{"just not", starter.Facts{Sheets: pages(4, 842, 595), Sizes: sizes(7.5, 0.5)}, "leaflet"},
		{"fine type, upright", starter.Facts{Sheets: pages(4, 595, 842), Sizes: sizes(6, 0.5)}, "leaflet"},
		{"fine type on five pages", starter.Facts{Sheets: pages(5, 842, 595), Sizes: sizes(6, 0.5)}, "report"},
		{"two slides", starter.Facts{Sheets: pages(2, 842, 595), Sizes: sizes(14, 0.5)}, "slides"},
		{"one is none", starter.Facts{Sheets: pages(1, 842, 595), Sizes: sizes(14, 0.5)}, "leaflet"},
		{"smaller type", starter.Facts{Sheets: pages(2, 842, 595), Sizes: sizes(13.9, 0.5)}, "leaflet"},
		{"sixteen pages", starter.Facts{Sheets: pages(16, 595, 842)}, "manual"},
		{"with a heading", starter.Facts{Sheets: pages(16, 595, 842), Headings: 1}, "manual"},
		{"fifteen", starter.Facts{Sheets: pages(15, 595, 842), Headings: 1}, "report"},
		{"short lines", starter.Facts{Sheets: pages(2, 595, 842), Sizes: sizes(11, 0.29)}, "menu"},
		{"longer ones", starter.Facts{Sheets: pages(2, 595, 842), Sizes: sizes(11, 0.3)}, "leaflet"},
		{"three pages of short lines", starter.Facts{Sheets: pages(3, 595, 842), Sizes: sizes(11, 0.1)}, "leaflet"},
		{"four pages", starter.Facts{Sheets: pages(4, 595, 842)}, "leaflet"},
		{"five", starter.Facts{Sheets: pages(5, 595, 842)}, "report"},
	} {
		assert.Equal(t, c.want, starter.Choose(c.facts).Name, c.name)
	}
	assert.Equal(t, "16 pages with 1 heading in its contents.", starter.Choose(starter.Facts{Sheets: pages(16, 595, 842), Headings: 1}).Reason)
	assert.Equal(t, "16 pages: long enough to be read in parts.", starter.Choose(starter.Facts{Sheets: pages(16, 595, 842)}).Reason)
	assert.Equal(t, "It has 1 field to fill in.", starter.Choose(starter.Facts{Sheets: pages(1, 595, 842), Fields: 1}).Reason)
}

// What a starter sets is written down here once more: whoever changes one means it.
func TestWhatStartersSet(t *testing.T) {
	got := map[string]string{}
	for _, s := range starter.All() {
		b, err := json.Marshal(s.Set)
		require.NoError(t, err)
		got[s.Name] = string(b)
	}
	want := map[string]string{
		"form":    `{"download":true,"flow":"down","height":{"value":0,"unit":"page"},"max_height":800,"print":true,"tools":["print","download","zoom"]}`,
		"leaflet": `{"flow":"turn","height":{"value":0,"unit":"page"},"max_width":720,"tools":["turn","zoom","text","fullscreen","print","download"]}`,
		"manual":  `{"flow":"down","height":{"value":85,"unit":"vh"},"max_width":900,"tools":["contents","find","number","turn","zoom","overview","text","fullscreen","download","print","about"],"zoom":{"kind":"width","percent":100}}`,
		"menu":    `{"bar_shown":"approach","flow":"down","height":{"value":2,"unit":"rows"},"max_width":640,"tools":["zoom","text","fullscreen"]}`,
		"plan":    `{"flow":"turn","height":{"value":0,"unit":"page"},"max_height":720,"pointer":"drag","tools":["zoom","fullscreen","layers","turn","pointer","find","rotate","download","print"],"zoom":{"kind":"page","percent":100}}`,
		"report":  `{"flow":"down","height":{"value":0,"unit":"page"},"max_height":900,"max_width":820}`,
		"slides":  `{"bar_place":"bottom","flow":"turn","height":{"value":0,"unit":"page"},"tools":["turn","number","zoom","overview","fullscreen"],"zoom":{"kind":"page","percent":100}}`,
	}
	assert.Equal(t, want, got)
}

// What a file asks of how it is opened is taken from the second page on, within its pages, and
// within the zoom that a reader has.
func TestWhereOpeningsBeginAndEnd(t *testing.T) {
	for _, c := range []struct {
		opening starter.Opening
		said    string
	}{
		{starter.Opening{Page: 1}, ""},
		{starter.Opening{Page: 2}, "at page 2"},
		{starter.Opening{Page: 5}, "at page 5"},
		{starter.Opening{Page: 6}, ""},
		{starter.Opening{Zoom: setting.MinZoom}, "at "},
		{starter.Opening{Zoom: setting.MinZoom - 1}, ""},
		{starter.Opening{Zoom: setting.MaxZoom}, "at "},
		{starter.Opening{Zoom: setting.MaxZoom + 1}, ""},
		{starter.Opening{Layout: "TwoPageLeft"}, "two pages beside each other"},
		{starter.Opening{Layout: "TwoColumnRight"}, "with a cover"},
		{starter.Opening{Layout: "SinglePage"}, ""},
		{starter.Opening{Direction: "R2L"}, "from right to left"},
	} {
		patch, said := starter.Facts{Sheets: pages(5, 595, 842), Opening: c.opening}.Asked()
		if c.said == "" {
			assert.Empty(t, said, "%+v", c.opening)
			assert.Equal(t, setting.Patch{}, patch)
			continue
		}
		assert.Contains(t, said, c.said, "%+v", c.opening)
		assert.NotEqual(t, setting.Patch{}, patch)
	}
}
