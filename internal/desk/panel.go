package desk

import (
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
)

// panel is what the settings on the right of the bench, and on the house style
// screen, are made of.
type panel struct {
	Pages int // of the document; 0 for house style
	Tools []toolbar.Tool
}

func panelFor(pages int) panel { return panel{Pages: pages, Tools: toolbar.All()} }

// IsHouse says whether the panel sets house style itself.
func (p panel) IsHouse() bool { return p.Pages == 0 }

// Name gives a setting's name.
func (panel) Name(k string) string { return setting.Key(k).Name() }

// MinZoom and MaxZoom bound the zoom entry, in percent.
func (panel) MinZoom() int { return setting.MinZoom }

// MaxZoom is the upper bound.
func (panel) MaxZoom() int { return setting.MaxZoom }

// Aligns lists where a frame can stand.
func (panel) Aligns() []string { return []string{setting.Left, setting.Centre, setting.Right} }

// option is one choice of a setting.
type option struct{ Title, Value, Label string }

// Zooms lists the ways a document opens.
func (panel) Zooms() []option {
	return []option{
		{"Fit width", setting.FitWidth, "width"}, {"Fit page", setting.FitPage, "page"},
		{"True size", setting.TrueSize, "true"}, {"A percentage of true size", setting.ByNumber, "%"},
	}
}

// panelState is what the panel's script needs to know of the rules.
type panelState struct {
	InUnits map[setting.Key]map[string]float64 `json:"inUnits"` // the present size in each unit
	Closed  map[toolbar.Tool]string            `json:"closed"`  // tools that readers would not be given, and why
}

func panelStateOf(s setting.Settings, pages int, b frame.Box, size stageSize) panelState {
	return panelState{frame.InUnits(b, size.column, size.window), toolbar.Closed(s.Allowed(pages))}
}
