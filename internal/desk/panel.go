package desk

import (
	"fmt"

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

// Choice is a setting with its values, of the table of settings.
func (panel) Choice(key setting.Key) (choice, error) {
	r := setting.RowOf(key)
	c := choice{string(key), r.Labelled(), nil}
	switch f := r.Form.(type) {
	case setting.OneOf:
		for _, o := range f.Options {
			c.Options = append(c.Options, option{o.Title, o.Value, o.Label})
		}
	case setting.Switch:
		c.Options = []option{{"", "true", f.Labels[0]}, {"", "false", f.Labels[1]}}
	default:
		return c, fmt.Errorf("setting %q is not chosen of a few values", key)
	}
	return c, nil
}

// Zooms lists the ways a document opens.
func (panel) Zooms() []option {
	return []option{
		{"Fit width", setting.FitWidth, "width"}, {"Fit page", setting.FitPage, "page"},
		{"True size", setting.TrueSize, "actual"}, {"A percentage of true size", setting.ByNumber, "%"},
	}
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

// limit is a bound that need not be there: its key, its name, what stands in an empty
// field.
type limit struct {
	Key, Name, Empty string
	Most             float64
}

// Limit is such a setting, of the table of settings; empty is what stands in an empty field.
func (panel) Limit(key setting.Key, empty string) (limit, error) {
	r := setting.RowOf(key)
	f, is := r.Form.(setting.Limit)
	if !is {
		return limit{}, fmt.Errorf("setting %q is no limit", key)
	}
	return limit{string(key), r.Labelled(), empty, f.High}, nil
}

// length is a setting in px that starts at 0.
type length struct {
	Key, Name string
	Most      float64
}

// Lengths are the measures of the dress.
func (panel) Lengths() (out []length) {
	for _, r := range setting.All() {
		if f, is := r.Form.(setting.Measure); is {
			out = append(out, length{string(r.Key), r.Labelled(), f.Most})
		}
	}
	return out
}

// Palette are the three own colours.
func (panel) Palette() []option {
	return []option{{"", "paper", "Paper"}, {"", "ink", "Ink"}, {"", "accent", "Accent"}}
}
