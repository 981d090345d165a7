package desk

import (
	"incipit/internal/core/dress"
	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
)

// panel is what the settings on the right of the bench, and on the house style
// screen, are made of.
type panel struct {
	Pages int // of the document; 0 for house style
}

func panelFor(pages int) panel { return panel{Pages: pages} }

// IsHouse says whether the panel sets house style itself.
func (p panel) IsHouse() bool { return p.Pages == 0 }

// MinZoom and MaxZoom bound the zoom entry, in percent.
func (panel) MinZoom() int { return setting.MinZoom }

// Narrow is the width below which frames may have tools and a zoom of their own.
func (panel) Narrow() int { return setting.Narrow }

// MaxZoom is the upper bound.
func (panel) MaxZoom() int { return setting.MaxZoom }

// option is one value of a setting: its title, the value, the label.
type option struct{ Title, Value, Label string }

// choice is a setting that is one of a few values.
type choice struct {
	Key     string
	Name    string
	Options []option
}

func choiceOf(k setting.Key, name string, options ...option) choice {
	return choice{string(k), name, options}
}

// The choices of the panel.

func (panel) Align() choice {
	return choiceOf(setting.Align, "Alignment", option{"", setting.Left, "left"}, option{"", setting.Centre, "centre"}, option{"", setting.Right, "right"})
}

// Zooms lists the ways a document opens.
func (panel) Zooms() []option {
	return []option{
		{"Fit width", setting.FitWidth, "width"}, {"Fit page", setting.FitPage, "page"},
		{"True size", setting.TrueSize, "actual"}, {"A percentage of true size", setting.ByNumber, "%"},
	}
}

// Flow is how readers move through the pages.
func (panel) Flow() choice {
	return choiceOf(setting.Flow, "Pages run", option{"Scroll down", setting.Down, "down"}, option{"Scroll across", setting.Across, "across"},
		option{"Turn page by page", setting.Turn, "turn"}, option{"Tiles that wrap", setting.Tiles, "tiles"})
}

// Facing is which pages stand in one row.
func (panel) Facing() choice {
	return choiceOf(setting.Facing, "Facing", option{"Single pages", setting.Single, "single"}, option{"Pairs", setting.Pairs, "pairs"}, option{"Cover alone, then pairs", setting.Cover, "cover, pairs"})
}

// RowScale is how large pages of other sizes stand.
func (panel) RowScale() choice {
	return choiceOf(setting.RowScale, "Pages of other sizes", option{"In proportion: one scale for all pages", setting.SameScale, "in scale"}, option{"Each page as large as fits", setting.EachRow, "fit each"})
}

// Order is the side pages begin at.
func (panel) Order() choice {
	return choiceOf(setting.Order, "Direction", option{"As in English", setting.FromLeft, "left to right"}, option{"As in Arabic or vertical Japanese", setting.FromRight, "right to left"})
}

// Pointer is what the pointer does at first.
func (panel) Pointer() choice {
	return choiceOf(setting.Pointer, "Pointer", option{"Selects text, where readers may take it", setting.Select, "selects"}, option{"Drags the page", setting.Drag, "drags"})
}

// TextView is whether readers are offered the text set anew.
func (panel) TextView() choice {
	return choiceOf(setting.TextView, "Text view", option{"Nobody gets it", setting.Closed, "closed"}, option{"By its tool alone", setting.ByTool, "tool"},
		option{"By itself too, on phones where the type is too small to read", setting.Offered, "offered"})
}

// BarPlace is where the toolbar stands.
func (panel) BarPlace() choice {
	return choiceOf(setting.BarPlace, "Place", option{"", setting.Top, "top"}, option{"", setting.Bottom, "bottom"})
}

// BarShown is when the toolbar shows.
func (panel) BarShown() choice {
	return choiceOf(setting.BarShown, "When", option{"", setting.Always, "always"}, option{"On hover, focus or tap, over the pages", setting.Approach, "on approach"})
}

// Shadow is what the frame casts.
func (panel) Shadow() choice {
	return choiceOf(setting.Shadow, "Shadow", option{"", setting.NoShadow, "none"}, option{"", setting.SoftShadow, "soft"}, option{"", setting.DeepShadow, "deep"})
}

// Scheme is whose colours the reader takes.
func (panel) Scheme() choice {
	return choiceOf(setting.Scheme, "Colours", option{"Those of the reader's device", setting.System, "system"}, option{"", setting.Light, "light"}, option{"", setting.Dark, "dark"}, option{"Its own", setting.Own, "own"})
}

// panelState is what the panel's script needs to know of the rules.
type panelState struct {
	InUnits map[setting.Key]map[string]float64 `json:"inUnits"` // the present size in each unit
	Tools   []toolState                        `json:"tools"`   // those chosen in their order, then the others
	Pairs   []dress.Pair                       `json:"pairs"`   // contrast of own colours
}

// toolState is one tool as a chip: Closed says why readers would not be given
// it.
type toolState struct {
	Tool   toolbar.Tool `json:"tool"`
	Name   string       `json:"name"`
	On     bool         `json:"on"`
	Closed string       `json:"closed"`
}

func panelStateOf(s setting.Settings, holds toolbar.Holds, b frame.Box, at proof.Screen) panelState {
	closed := toolbar.Closed(s.Allowed(holds))
	tools := []toolState{}
	for _, t := range append(append(toolbar.Set{}, s.Tools...), toolbar.Set(toolbar.All()).Without(s.Tools...)...) {
		tools = append(tools, toolState{t, t.Name(), s.Tools.Has(t), closed[t]})
	}
	return panelState{frame.InUnits(b, at.Column, at.Height), tools, pairs(s)}
}

// Limit is an optional bound in px: its key, its name, what stands in an empty
// field.
func (panel) Limit(key string) (l struct{ Key, Name, Label string }) {
	l.Key, l.Name = key, setting.Key(key).Name()
	l.Label = "min"
	if k := setting.Key(key); k == setting.MaxWidth || k == setting.MostHeight {
		l.Label = "max"
	}
	return l
}

// Switch is a setting that is on or off, under two words.
func (panel) Switch(key, name, on, off string) choice {
	return choice{key, name, []option{{"", "true", on}, {"", "false", off}}}
}

// length is a setting in px that starts at 0.
type length struct {
	Key, Name string
	Most      int
}

// Lengths are the measures of the dress.
func (panel) Lengths() []length {
	return []length{{string(setting.Padding), "Padding", setting.MaxPadding}, {string(setting.Border), "Border", setting.MaxBorder}, {string(setting.Corner), "Corner", setting.MaxCorner}}
}

// Palette are the three own colours.
func (panel) Palette() []option {
	return []option{{"", "paper", "Paper"}, {"", "ink", "Ink"}, {"", "accent", "Accent"}}
}
