package toolbar_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/toolbar"
)

func TestGivenKeepsWhatIsAllowed(t *testing.T) {
	all := toolbar.Set(toolbar.All())
	open := toolbar.Allowed{Toolbar: true, Navigation: true, Download: true, Print: true, Copying: true, TextView: true,
		Holds: toolbar.Holds{Pages: 5, Headings: 9, Layers: 2, Text: true}}
	for _, c := range []struct {
		name   string
		change func(*toolbar.Allowed)
		lacks  []toolbar.Tool
	}{
		{"everything", func(*toolbar.Allowed) {}, nil},
		{"no toolbar", func(a *toolbar.Allowed) { a.Toolbar = false }, toolbar.All()},
		{"no navigation", func(a *toolbar.Allowed) { a.Navigation = false },
			[]toolbar.Tool{toolbar.Turn, toolbar.Number, toolbar.Contents, toolbar.Overview}},
		{"one page", func(a *toolbar.Allowed) { a.Pages = 1 }, []toolbar.Tool{toolbar.Turn, toolbar.Number, toolbar.Overview}},
		{"no headings", func(a *toolbar.Allowed) { a.Headings = 0 }, []toolbar.Tool{toolbar.Contents}},
		{"no text", func(a *toolbar.Allowed) { a.Text = false }, []toolbar.Tool{toolbar.Find, toolbar.Text, toolbar.Pointer}},
		{"no copying", func(a *toolbar.Allowed) { a.Copying = false }, []toolbar.Tool{toolbar.Pointer}},
		{"no text view", func(a *toolbar.Allowed) { a.TextView = false }, []toolbar.Tool{toolbar.Text}},
		{"no layers", func(a *toolbar.Allowed) { a.Layers = 0 }, []toolbar.Tool{toolbar.Layers}},
		{"no download", func(a *toolbar.Allowed) { a.Download = false }, []toolbar.Tool{toolbar.Download}},
		{"locked", func(a *toolbar.Allowed) { a.Locked = true }, []toolbar.Tool{toolbar.Contents, toolbar.Find, toolbar.Text, toolbar.About}},
		{"no print", func(a *toolbar.Allowed) { a.Print = false }, []toolbar.Tool{toolbar.Print}},
	} {
		t.Run(c.name, func(t *testing.T) {
			a := open
			c.change(&a)
			given := all.Given(a)
			for _, tool := range toolbar.All() {
				assert.Equal(t, !toolbar.Set(c.lacks).Has(tool), given.Has(tool), tool)
				if a.Toolbar {
					assert.Equal(t, given.Has(tool), toolbar.Closed(a)[tool] == "", tool)
				}
			}
		})
	}
}

func TestSetKeepsItsOrderAndIsStrict(t *testing.T) {
	var s toolbar.Set
	require.NoError(t, json.Unmarshal([]byte(`["download","turn","turn"]`), &s))
	assert.Equal(t, toolbar.Set{toolbar.Download, toolbar.Turn}, s)
	require.Error(t, json.Unmarshal([]byte(`["shred"]`), &s))
	require.Error(t, json.Unmarshal([]byte(`"turn"`), &s))
	empty, err := json.Marshal(toolbar.Set{}.Once())
	require.NoError(t, err)
	assert.Equal(t, "[]", string(empty))
}

func TestEveryToolHasAName(t *testing.T) {
	for _, tool := range toolbar.All() {
		assert.NotEmpty(t, tool.Name(), tool)
	}
}
