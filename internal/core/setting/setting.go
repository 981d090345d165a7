// Package setting is how a placement stands on its web page.
//
// Settings are complete; a Patch holds only the settings that differ from
// others. House style is a patch over the product's own defaults, a placement
// is a patch over house style, so that a change of house style reaches every
// placement that did not choose otherwise.
package setting

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"sort"
	"strings"

	"incipit/internal/core/toolbar"
)

// Key names one setting, as it is written in JSON.
type Key string

// The settings.
const (
	Width      Key = "width"
	MaxWidth   Key = "max_width"
	Height     Key = "height"
	Align      Key = "align"
	Zoom       Key = "zoom"
	OpenAt     Key = "open_at"
	Navigation Key = "navigation"
	Toolbar    Key = "toolbar"
	Tools      Key = "tools"
	Download   Key = "download"
	Print      Key = "print"

	LeastWidth  Key = "min_width"
	LeastHeight Key = "min_height"
	MostHeight  Key = "max_height"
	LeastZoom   Key = "least_zoom"
	MostZoom    Key = "most_zoom"
	NarrowZoom  Key = "narrow_zoom"
	NarrowOut   Key = "narrow_out"
	RowScale    Key = "row_scale"
	Dim         Key = "dim"
	Flow        Key = "flow"
	Facing      Key = "facing"
	Order       Key = "order"
	BarPlace    Key = "bar_place"
	BarShown    Key = "bar_shown"
	Padding     Key = "padding"
	Border      Key = "border"
	Corner      Key = "corner"
	Shadow      Key = "shadow"
	Background  Key = "background"
	Scheme      Key = "scheme"
	Colours     Key = "colours"

	Copying  Key = "copying"
	TextView Key = "text_view"
	Pointer  Key = "pointer"
	Name     Key = "name"
	ForeEdge Key = "fore_edge"
	Sites    Key = "sites"
	Guarded  Key = "guarded"
)

// All lists every setting in the order of the bench.
func All() []Row { return slices.Clone(rows) }

// RowOf gives the row of a setting; an empty one where there is none.
func RowOf(k Key) Row {
	for _, r := range rows {
		if r.Key == k {
			return r
		}
	}
	return Row{}
}

// Keys lists the keys of all settings in the order of the bench.
func Keys() []Key {
	out := make([]Key, len(rows))
	for i, r := range rows {
		out[i] = r.Key
	}
	return out
}

// The units of a length.
const (
	Percent = "%"    // of the column
	Pixels  = "px"   // CSS pixels
	VH      = "vh"   // hundredths of the height of the window
	OnePage = "page" // the height at which page 1 shows whole
	Rows    = "rows" // the height at which so many rows of pages show whole
)

// Length is a value with its unit. With OnePage the value has no meaning and
// is 0.
type Length struct {
	Value float64 `json:"value"`
	Unit  string  `json:"unit"`
}

// The ways a document opens.
const (
	FitWidth = "width"
	FitPage  = "page"
	TrueSize = "true"
	ByNumber = "percent"
)

// Opening is the zoom at opening. Percent counts for ByNumber only: 100 is
// true size.
type Opening struct {
	Kind    string  `json:"kind"`
	Percent float64 `json:"percent"`
}

// Where a frame narrower than its column stands.
const (
	Left   = "left"
	Centre = "centre"
	Right  = "right"
)

// How readers move through the pages.
const (
	Down   = "down"   // pages below each other
	Across = "across" // pages beside each other
	Turn   = "turn"   // one row of pages at a time
	Tiles  = "tiles"  // pages beside each other that wrap into lines
)

// Which pages stand in one row.
const (
	Single = "single"
	Pairs  = "pairs"
	Cover  = "cover" // page 1 alone, then pairs
)

// The side the pages begin at.
const (
	FromLeft  = "ltr"
	FromRight = "rtl"
)

// Where the toolbar stands, and when.
const (
	Top      = "top"
	Bottom   = "bottom"
	Always   = "always"
	Approach = "approach" // on hover, focus or tap, over the pages
)

// What the pointer does on a page at first.
const (
	Select = "select" // text
	Drag   = "drag"   // the page
)

// Whether readers are offered the text view.
const (
	Closed  = "closed"
	ByTool  = "tool"
	Offered = "offered" // by itself too, where the type is too small to read
)

// The shadow under the frame.
const (
	NoShadow   = "none"
	SoftShadow = "soft"
	DeepShadow = "deep"
)

// The reader's colours.
const (
	System = "system" // follows the reader's device
	Light  = "light"
	Dark   = "dark"
	Own    = "own" // those of Palette
)

// Palette is a placement's own colours, each as #rrggbb: Paper under the tools,
// Ink for text on it, Accent for focus and selection.
type Palette struct {
	Paper  string `json:"paper"`
	Ink    string `json:"ink"`
	Accent string `json:"accent"`
}

// DefaultPalette is what own colours start from.
func DefaultPalette() Palette { return Palette{Paper: "#fffdf8", Ink: "#23222b", Accent: "#24467a"} }

// Settings are all settings of a placement.
type Settings struct {
	Width      Length      `json:"width"`
	MaxWidth   float64     `json:"max_width"` // CSS px; 0 sets no limit
	Height     Length      `json:"height"`
	Align      string      `json:"align"`
	Zoom       Opening     `json:"zoom"`
	OpenAt     int         `json:"open_at"` // page, from 1
	Navigation bool        `json:"navigation"`
	Toolbar    bool        `json:"toolbar"`
	Tools      toolbar.Set `json:"tools"`
	Download   bool        `json:"download"`
	Print      bool        `json:"print"`

	LeastWidth  float64     `json:"min_width"`   // CSS px; 0 sets no limit
	LeastHeight float64     `json:"min_height"`  // CSS px; 0 sets no limit
	MostHeight  float64     `json:"max_height"`  // CSS px; 0 sets no limit
	LeastZoom   float64     `json:"least_zoom"`  // percent of true size that the opening never goes below; 0 sets none
	MostZoom    float64     `json:"most_zoom"`   // percent of true size that the opening never goes above; 0 sets none
	NarrowZoom  float64     `json:"narrow_zoom"` // as LeastZoom, in frames narrower than Narrow alone
	NarrowOut   toolbar.Set `json:"narrow_out"`  // tools that frames narrower than Narrow go without
	RowScale    string      `json:"row_scale"`   // whether pages of other sizes keep their proportion, where a zoom fits them
	Flow        string      `json:"flow"`
	Facing      string      `json:"facing"`
	Order       string      `json:"order"`
	BarPlace    string      `json:"bar_place"`
	BarShown    string      `json:"bar_shown"`
	Padding     float64     `json:"padding"` // CSS px, inside the border
	Border      float64     `json:"border"`  // CSS px
	Corner      float64     `json:"corner"`  // radius, CSS px
	Shadow      string      `json:"shadow"`
	Background  string      `json:"background"` // behind the pages, #rrggbb; "" follows the scheme
	Scheme      string      `json:"scheme"`
	Colours     Palette     `json:"colours"` // count with scheme Own

	Copying  bool     `json:"copying"` // readers may take the text
	TextView string   `json:"text_view"`
	Pointer  string   `json:"pointer"`
	Name     bool     `json:"name"` // the document's, in the toolbar
	ForeEdge bool     `json:"fore_edge"`
	Dim      bool     `json:"dim"`     // in the dark scheme pages are light on dark, their pictures kept
	Sites    SiteList `json:"sites"`   // that may show it; none is any
	Guarded  bool     `json:"guarded"` // it opens to who shows a token alone
}

// Narrow is the width of a frame, in CSS px, below which settings of narrow frames
// count.
const Narrow = 480.0

// In gives the settings as they count in a frame of a width, in CSS px.
func (s Settings) In(width float64) Settings {
	if width < Narrow {
		s.LeastZoom = math.Max(s.LeastZoom, s.NarrowZoom)
		s.Tools = s.Tools.Without(s.NarrowOut...)
	}
	return s
}

// How pages of other sizes than the first are scaled, where the zoom fits them.
const (
	SameScale = "same" // all by one scale: a small sheet looks small
	EachRow   = "each" // each row as large as fits
)

// Default is what house style starts from.
func Default() Settings {
	var s Settings
	for _, r := range rows {
		r.Form.Start(&s)
	}
	return s
}

// Allowed is what the tools of a document depend on.
func (s Settings) Allowed(d toolbar.Holds) toolbar.Allowed {
	return toolbar.Allowed{Toolbar: s.Toolbar, Navigation: s.Navigation, Download: s.Download, Print: s.Print,
		Copying: s.Copying, TextView: s.TextView != Closed, Guarded: s.Guarded, Holds: d}
}

// Patch holds the settings that differ, each in its JSON form.
type Patch map[Key]json.RawMessage

// PatchOf makes a patch of keys, each followed by its value.
func PatchOf(pairs ...any) Patch {
	p := Patch{}
	for i := 0; i < len(pairs); i += 2 {
		b, err := json.Marshal(pairs[i+1])
		if err != nil {
			panic(fmt.Sprintf("settings are plain data: %v", err))
		}
		p[pairs[i].(Key)] = b
	}
	return p
}

// Over lays a patch over settings. A key that is unknown, or whose value has
// the wrong form, is an error that names it; values are not judged, which is
// Check's part.
func (p Patch) Over(base Settings) (Settings, error) {
	all := asPatch(base)
	for key, value := range p {
		if _, known := all[key]; !known {
			return Settings{}, fmt.Errorf("there is no setting %q", string(key))
		}
		if string(bytes.TrimSpace(value)) == "null" {
			return Settings{}, fmt.Errorf("setting %s has no value", key)
		}
		all[key] = value
	}
	whole, err := json.Marshal(all)
	if err != nil {
		return Settings{}, fmt.Errorf("read the settings: %w", err)
	}
	var s Settings
	decoder := json.NewDecoder(bytes.NewReader(whole))
	decoder.DisallowUnknownFields()
	if err := decoder.Decode(&s); err != nil {
		return Settings{}, fmt.Errorf("read the settings: %w", err)
	}
	return s.Canonical(), nil
}

// Canonical brings values that mean the same into one form, so that settings
// can be compared: one page has no number, only percent has a percentage, only
// own colours have colours.
func (s Settings) Canonical() Settings {
	if s.Height.Unit == OnePage {
		s.Height.Value = 0
	}
	if s.Zoom.Kind != ByNumber {
		s.Zoom.Percent = 100
	}
	if s.Scheme != Own {
		s.Colours = DefaultPalette()
	}
	s.Colours.Paper, s.Colours.Ink, s.Colours.Accent = strings.ToLower(s.Colours.Paper), strings.ToLower(s.Colours.Ink), strings.ToLower(s.Colours.Accent)
	s.Background = strings.ToLower(s.Background)
	s.Tools, s.NarrowOut = s.Tools.Once(), s.NarrowOut.Once()
	return s
}

// asPatch gives settings as a patch that holds every key.
func asPatch(s Settings) Patch {
	b, err := json.Marshal(s.Canonical())
	if err != nil {
		panic(fmt.Sprintf("settings are plain data: %v", err))
	}
	var p Patch
	if err := json.Unmarshal(b, &p); err != nil {
		panic(fmt.Sprintf("settings are an object: %v", err))
	}
	return p
}

// Diff gives the settings of s that differ from base.
func Diff(base, s Settings) Patch {
	of, p := asPatch(base), asPatch(s)
	for key, value := range p {
		if bytes.Equal(value, of[key]) {
			delete(p, key)
		}
	}
	return p
}

// Keys lists the keys of a patch in the order of the bench.
func (p Patch) Keys() []Key {
	keys := slices.Collect(maps.Keys(p))
	order := Keys()
	sort.Slice(keys, func(i, j int) bool { return slices.Index(order, keys[i]) < slices.Index(order, keys[j]) })
	return keys
}

// Without gives the patch without some keys: these follow the base again.
func (p Patch) Without(keys ...Key) Patch {
	out := maps.Clone(p)
	for _, k := range keys {
		delete(out, k)
	}
	return out
}
