package access_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"incipit/internal/core/access"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
)

func TestAllows(t *testing.T) {
	open, closed := setting.Default(), setting.Default()
	closed.Download, closed.Print = false, false
	everything := toolbar.Holds{Pages: 9, Headings: 3, Layers: 2, Text: true}
	with := func(tools ...toolbar.Tool) setting.Settings {
		s := setting.Default()
		s.Tools = tools
		return s
	}
	without := func(tools ...toolbar.Tool) setting.Settings {
		s := setting.Default()
		s.Tools = toolbar.Set(toolbar.All()).Without(tools...)
		return s
	}
	still := with(toolbar.Contents)
	still.Navigation = false
	reader, editor := access.Who{}, access.Who{Account: 7}
	published, withdrawn, draft := access.Standing{Published: true}, access.Standing{}, access.Standing{Published: true, Draft: true}
	for _, c := range []struct {
		name     string
		who      access.Who
		standing access.Standing
		s        setting.Settings
		deed     access.Deed
		want     bool
	}{
		{"a reader looks at what is published", reader, published, closed, access.Look, true},
		{"a reader does not see what is withdrawn", reader, withdrawn, open, access.Look, false},
		{"an editor does not see it there either", editor, withdrawn, open, access.Look, false},
		{"a reader does not see a draft", reader, draft, open, access.Look, false},
		{"an editor sees a draft", editor, draft, closed, access.Look, true},
		{"an open file is taken", reader, published, open, access.TakeFile, true},
		{"a closed file is not", reader, published, closed, access.TakeFile, false},
		{"nor by an editor on the stage", editor, draft, closed, access.TakeFile, false},
		{"an open draft's file is not for readers", reader, draft, open, access.TakeFile, false},
		{"printing where allowed", reader, published, open, access.PrintOut, true},
		{"no printing where not", reader, published, closed, access.PrintOut, false},
		{"no words are found without the tool", reader, access.Standing{Published: true, Holds: everything}, without(toolbar.Find),
			access.FindWords, false},
		{"with it they are", reader, access.Standing{Published: true, Holds: everything}, with(toolbar.Find), access.FindWords, true},
		{"but not in a document without text", reader, published, with(toolbar.Find), access.FindWords, false},
		{"no layers where there are none", editor, draft, with(toolbar.Layers), access.SwitchLayers, false},
		{"layers, where there are some", reader, access.Standing{Published: true, Holds: everything}, with(toolbar.Layers),
			access.SwitchLayers, true},
		{"no contents where pages are not moved among", reader, access.Standing{Published: true, Holds: everything}, still,
			access.SeeContents, false},
		{"an unknown deed", editor, published, open, access.Deed("shred"), false},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, access.Allows(c.who, c.standing, c.s, c.deed)) })
	}
}

// Every deed for every person, wherever a placement stands and however its switches are:
// what is given is exactly what each of the rules lets through.
func TestEveryDeedForEverybody(t *testing.T) {
	yes := []bool{false, true}
	given := 0
	for n := range 1 << 9 {
		bit := func(k int) bool { return yes[n>>k&1] }
		s := setting.Default()
		s.Download, s.Print, s.Copying, s.Guarded = bit(0), bit(1), bit(2), bit(3)
		if s.TextView = setting.Closed; bit(4) {
			s.TextView = setting.Offered
		}
		who := access.Who{Granted: bit(5)}
		if bit(6) {
			who.Account = 7
		}
		standing := access.Standing{Published: bit(7), Draft: bit(8), Holds: toolbar.Holds{Pages: 9, Headings: 3, Layers: 2, Text: true}}
		comes := standing.Published && (!s.Guarded || who.Granted)
		if standing.Draft {
			comes = who.Account != 0
		}
		for deed, allowed := range map[access.Deed]bool{access.Look: true, access.TakeFile: s.Download, access.PrintOut: s.Print,
			access.TakeText: s.Copying, access.ReadText: s.TextView != setting.Closed} {
			want := comes && allowed
			assert.Equal(t, want, access.Allows(who, standing, s, deed), "%s: %+v %+v, download %t, print %t, copying %t, guarded %t, text view %s",
				deed, who, standing, s.Download, s.Print, s.Copying, s.Guarded, s.TextView)
			if want {
				given++
			}
		}
	}
	assert.Greater(t, given, 300)
}
