package proof

import (
	"math"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/toolbar"
)

// Reading is text of one size as an eye meets it on a screen.
type Reading struct {
	Size    float64      `json:"size"`     // em size, CSS px
	XHeight float64      `json:"x_height"` // CSS px
	Angle   float64      `json:"angle"`    // of the x-height, degrees
	Band    legible.Band `json:"band"`
}

func readingOf(t legible.Text, scale float64) Reading {
	a := legible.Angle(t.XHeight, scale)
	return Reading{Size: t.Size * scale, XHeight: t.XHeight * scale, Angle: a, Band: legible.BandOf(a)}
}

// View is what one screen gets.
type View struct {
	Screen  Screen    `json:"screen"`
	Box     frame.Box `json:"box"`
	Percent float64   `json:"percent"` // of true size, at opening
	// Typed says whether Body and Smallest are known.
	Typed    bool    `json:"typed"`
	Body     Reading `json:"body"`
	Smallest Reading `json:"smallest"`
	// Shown is the part of page 1 that shows at opening, from 0 to 1. Screens
	// is how many times the inner box the pages fill, along the way they run.
	Shown   float64 `json:"shown"`
	Screens float64 `json:"screens"`
	// Sideways says that pages are wider than the inner box, Tall that the
	// reader scrolls down inside the frame, Nested that it does so on a phone,
	// where the web page scrolls the same way.
	Sideways bool         `json:"sideways"`
	Tall     bool         `json:"tall"`
	Nested   bool         `json:"nested"`
	Fit      toolbar.Fit  `json:"fit"`
	Weight   Weight       `json:"weight"`
	Pages    []sheet.Rect `json:"-"`
	Rows     []sheet.Rect `json:"-"`
	Glosses  []Gloss      `json:"glosses"`
	standing frame.Standing
}

// slack is what may stick out without being scrolled: browsers do not scroll
// by less than a pixel.
const slack = 1

func look(f Facts, s setting.Settings, screen Screen) View {
	b := frame.Layout(s, f.Pages, screen.Column, screen.Height)
	at := frame.Place(s, f.Pages, b)
	v := View{
		Screen: screen, Box: b, Percent: frame.Percent(b.Scale), Shown: b.Shown(at.Pages[0]),
		Rows: at.Rows, Pages: at.Pages, standing: at, Weight: weigh(f, s, b, screen),
	}
	if f.Sizes.Known {
		v.Typed = true
		v.Body, v.Smallest = readingOf(f.Sizes.Body, b.Scale), readingOf(f.Sizes.Smallest, b.Scale)
	}
	widest, tallest := f.Pages.Extent(s)
	wide, tall := widest*b.Scale+2*frame.Gutter, tallest*b.Scale+2*frame.Gutter
	v.Sideways = wide > b.InnerWidth+slack
	switch s.Flow {
	case setting.Across:
		v.Tall, v.Screens = tall > b.InnerHeight+slack, over(at.Width, b.InnerWidth)
	case setting.Turn:
		v.Tall, v.Screens = tall > b.InnerHeight+slack, float64(len(at.Rows))
	default:
		v.Tall, v.Screens = at.Height > b.InnerHeight+slack, over(at.Height, b.InnerHeight)
	}
	v.Nested = v.Tall && screen.Page <= phoneWidth
	tools := s.In(b.Width).Tools.Given(s.Allowed(f.Holds()))
	v.Fit = tools.In(b.Width-2*s.Border-2*s.Padding, f.Pages.Count())
	return v
}

func over(length, room float64) float64 { return length / math.Max(room, 1) }
