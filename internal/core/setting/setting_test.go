package setting_test

import (
	"encoding/json"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
)

func patch(t testing.TB, text string) setting.Patch {
	t.Helper()
	var p setting.Patch
	require.NoError(t, json.Unmarshal([]byte(text), &p))
	return p
}

func TestDefaultStands(t *testing.T) {
	assert.Empty(t, setting.Check(setting.Default(), 0))
	assert.Empty(t, setting.Check(setting.Default(), 1))
}

func TestPatchKeepsOnlyWhatDiffers(t *testing.T) {
	house := setting.Default()
	s, err := patch(t, `{"width":{"value":100,"unit":"%"},"download":false,"height":{"value":320,"unit":"px"}}`).Over(house)
	require.NoError(t, err)
	diff := setting.Diff(house, s)
	assert.Equal(t, []setting.Key{setting.Height, setting.Download}, diff.Keys())
	again, err := diff.Over(house)
	require.NoError(t, err)
	assert.Equal(t, s, again)
	assert.Equal(t, []setting.Key{setting.Download}, diff.Without(setting.Height).Keys())
}

// A setting that a placement did not choose follows house style.
func TestHouseStyleReachesThrough(t *testing.T) {
	p := patch(t, `{"download":false}`)
	house := setting.Default()
	house.Print = false
	s, err := p.Over(house)
	require.NoError(t, err)
	assert.False(t, s.Print)
	assert.False(t, s.Download)
}

func TestSameMeaningIsNoDifference(t *testing.T) {
	a, b := setting.Default(), setting.Default()
	b.Height.Value = 500 // of "one whole page": no meaning
	b.Zoom.Percent = 250 // of "fit width": no meaning
	b.Tools = append(b.Tools, toolbar.Turn, toolbar.Turn)
	b.Colours.Ink = "#ff0000" // of "follow the system": no meaning
	assert.Empty(t, setting.Diff(a, b))
	b.Tools = toolbar.Set{toolbar.Download, toolbar.Print, toolbar.FullScreen, toolbar.Zoom, toolbar.Number, toolbar.Turn}
	assert.Equal(t, []setting.Key{setting.Tools}, setting.Diff(a, b).Keys(), "their order has a meaning")
}

func TestPatchIsStrict(t *testing.T) {
	for _, text := range []string{
		`{"colour":"red"}`, `{"width":100}`, `{"width":{"value":"100","unit":"%"}}`, `{"width":{"value":1,"unit":"%","extra":1}}`,
		`{"download":"no"}`, `{"download":null}`, `{"tools":["shred"]}`, `{"open_at":1.5}`, `{"max_width":null}`,
	} {
		_, err := patch(t, text).Over(setting.Default())
		assert.Error(t, err, text)
	}
}

func TestCheckNamesTheSetting(t *testing.T) {
	for _, c := range []struct {
		patch string
		pages int
		want  setting.Key
	}{
		{`{"width":{"value":9,"unit":"%"}}`, 2, setting.Width},
		{`{"width":{"value":101,"unit":"%"}}`, 2, setting.Width},
		{`{"width":{"value":119,"unit":"px"}}`, 2, setting.Width},
		{`{"width":{"value":50,"unit":"em"}}`, 2, setting.Width},
		{`{"max_width":50}`, 2, setting.MaxWidth},
		{`{"height":{"value":79,"unit":"px"}}`, 2, setting.Height},
		{`{"height":{"value":201,"unit":"vh"}}`, 2, setting.Height},
		{`{"height":{"value":50,"unit":"%"}}`, 2, setting.Height},
		{`{"align":"middle"}`, 2, setting.Align},
		{`{"zoom":{"kind":"percent","percent":641}}`, 2, setting.Zoom},
		{`{"zoom":{"kind":"percent","percent":9}}`, 2, setting.Zoom},
		{`{"zoom":{"kind":"auto","percent":100}}`, 2, setting.Zoom},
		{`{"open_at":0}`, 2, setting.OpenAt},
		{`{"open_at":3}`, 2, setting.OpenAt},
		{`{"open_at":2}`, 0, setting.OpenAt},
		{`{"min_width":119}`, 2, setting.LeastWidth},
		{`{"min_width":500,"max_width":400}`, 2, setting.LeastWidth},
		{`{"min_height":500,"max_height":400}`, 2, setting.LeastHeight},
		{`{"max_height":79}`, 2, setting.MostHeight},
		{`{"height":{"value":2.5,"unit":"rows"}}`, 2, setting.Height},
		{`{"height":{"value":21,"unit":"rows"}}`, 2, setting.Height},
		{`{"least_zoom":641}`, 2, setting.LeastZoom},
		{`{"narrow_zoom":9}`, 2, setting.NarrowZoom},
		{`{"narrow_zoom":120,"most_zoom":100}`, 2, setting.NarrowZoom},
		{`{"row_scale":"x"}`, 2, setting.RowScale},
		{`{"most_zoom":9}`, 2, setting.MostZoom},
		{`{"least_zoom":120,"most_zoom":100}`, 2, setting.MostZoom},
		{`{"flow":"up"}`, 2, setting.Flow},
		{`{"facing":"triple"}`, 2, setting.Facing},
		{`{"order":"ttb"}`, 2, setting.Order},
		{`{"bar_place":"left"}`, 2, setting.BarPlace},
		{`{"bar_shown":"never"}`, 2, setting.BarShown},
		{`{"padding":65}`, 2, setting.Padding},
		{`{"border":1.5}`, 2, setting.Border},
		{`{"corner":-1}`, 2, setting.Corner},
		{`{"shadow":"long"}`, 2, setting.Shadow},
		{`{"background":"red"}`, 2, setting.Background},
		{`{"background":"#fff}</style>"}`, 2, setting.Background},
		{`{"scheme":"sepia"}`, 2, setting.Scheme},
		{`{"scheme":"own","colours":{"paper":"#fff","ink":"#000000","accent":"#000000"}}`, 2, setting.Colours},
	} {
		s, err := patch(t, c.patch).Over(setting.Default())
		require.NoError(t, err, c.patch)
		problems := setting.Check(s, c.pages)
		require.Len(t, problems, 1, c.patch)
		assert.Equal(t, c.want, problems[0].Key)
		assert.NotEmpty(t, problems[0].Message)
	}
}

func TestCheckRefusesNoNumber(t *testing.T) {
	s := setting.Default()
	s.Width.Value = math.NaN()
	assert.NotEmpty(t, setting.Check(s, 1))
}

func TestEverySettingHasANameAndWords(t *testing.T) {
	for _, k := range setting.Keys() {
		assert.NotEmpty(t, k.Name(), k)
		assert.NotEmpty(t, setting.Default().Words(k), k)
	}
	assert.Len(t, setting.Diff(setting.Settings{MaxWidth: -1, LeastWidth: -1, LeastHeight: -1, MostHeight: -1, LeastZoom: -1, MostZoom: -1,
		NarrowZoom: -1, NarrowOut: toolbar.Set{toolbar.Find}, RowScale: "-", Dim: true, Padding: -1, Background: "-", Scheme: setting.Own,
		Sites: setting.SiteList{"https://x.example"}, Guarded: true}, setting.Default()), len(setting.Keys()), "Keys lists every field")
}

// A change of house style reaches settings in force where they follow it.
func TestFollowed(t *testing.T) {
	inForce := setting.Default()
	inForce.Align = setting.Left
	next, err := setting.Followed(inForce, patch(t, `{"flow":"tiles"}`), patch(t, `{"flow":"turn","print":false}`))
	require.NoError(t, err)
	want := inForce
	want.Print = false
	assert.Equal(t, want, next)
}

func ExampleChanges() {
	published, draft := setting.Default(), setting.Default()
	draft.Height = setting.Length{Value: 62.5, Unit: setting.VH}
	draft.Download = false
	for _, c := range setting.Changes(published, draft) {
		fmt.Printf("%s: %s → %s\n", c.Name, c.From, c.To)
	}
	// Output:
	// Height: one whole page → 62.5 vh
	// The file: may be downloaded → stays closed
}

func FuzzPatch(f *testing.F) {
	f.Add(`{"width":{"value":100,"unit":"%"}}`)
	f.Add(`{"tools":["turn"],"zoom":{"kind":"percent","percent":1e308}}`)
	f.Fuzz(func(t *testing.T, text string) {
		var p setting.Patch
		if json.Unmarshal([]byte(text), &p) != nil {
			return
		}
		s, err := p.Over(setting.Default())
		if err != nil {
			return
		}
		again, err := setting.Diff(setting.Default(), s).Over(setting.Default())
		require.NoError(t, err)
		assert.Equal(t, s, again)
	})
}

// Every setting is explained to somebody who sees it for the first time.
func TestEverySettingIsExplained(t *testing.T) {
	for _, k := range setting.Keys() {
		assert.NotEmpty(t, k.Explained(), string(k))
		assert.LessOrEqual(t, len(k.Explained()), 200, string(k))
	}
}
