package proof

import (
	"fmt"
	"math"

	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/setting"
)

// Answers are what an editor would otherwise find by trying.
type Answers struct {
	// ReadableFrom and ComfortableFrom are the narrowest columns, in CSS px, at
	// which the body text reads so; 0 where no column up to MaxColumn does.
	ReadableFrom    float64 `json:"readable_from"`
	ComfortableFrom float64 `json:"comfortable_from"`
	// OnePage is the height at which page 1 shows whole, in CSS px.
	OnePage float64 `json:"one_page"`
	// BestZoom is the opening, in percent of true size, that reads best without
	// lines that run out of the frame; or, where none reads, the least that does.
	BestZoom float64 `json:"best_zoom"`
	// OnPhone says what serves a phone best, with the reason.
	OnPhone Phone `json:"on_phone"`
}

// The ways to serve a phone.
const (
	AsSet    = "as set"    // it reads as it is set
	Turned   = "turned"    // it reads, but scrolls inside what scrolls
	SetAnew  = "text view" // running text, set anew
	Enlarged = "enlarged"  // never below a readable zoom, moved sideways
	Pictures = "pictures"  // nothing to measure
)

// Phone is what serves a phone best.
type Phone struct {
	Way string `json:"way"`
	Why string `json:"why"`
}

// Answer answers for one screen.
func Answer(f Facts, s setting.Settings, screen, phone Screen) Answers {
	a := Answers{
		ReadableFrom:    columnFor(f, s, screen, legible.FromReadable),
		ComfortableFrom: columnFor(f, s, screen, legible.FromComfortable),
	}
	whole := s
	whole.Height, whole.MostHeight, whole.LeastHeight = onePage, 0, 0
	a.OnePage = frame.Layout(whole, f.Pages, screen.Column, screen.Height).Height
	wide := s
	wide.Zoom, wide.LeastZoom = fitWidth, 0
	b := frame.Layout(wide, f.Pages, screen.Column, screen.Height)
	a.BestZoom = math.Floor(frame.Percent(b.Scale))
	if x := f.Sizes.Body.XHeight; x > 0 && legible.Angle(x, b.Scale) < legible.FromReadable {
		a.BestZoom = math.Min(math.Ceil(frame.Percent(legible.ScaleFor(x, legible.FromReadable))), setting.MaxZoom)
	}
	a.OnPhone = onPhone(f, s, phone)
	return a
}

func onPhone(f Facts, s setting.Settings, phone Screen) Phone {
	v := look(f, s, phone)
	switch {
	case !v.Typed:
		return Phone{Pictures, "The pages have no text to measure."}
	case v.Body.Angle >= legible.FromReadable && !v.Sideways && v.Nested:
		return Phone{Turned, fmt.Sprintf("Body text reads at %s, but the pages scroll inside a page that scrolls: pages that turn serve better.", degrees(v.Body.Angle))}
	case v.Body.Angle >= legible.FromReadable && !v.Sideways:
		return Phone{AsSet, fmt.Sprintf("Body text reads at %s without moving sideways.", degrees(v.Body.Angle))}
	case f.Sizes.Running >= runningText:
		return Phone{SetAnew, fmt.Sprintf("%s of the text runs in long lines, which read better set anew than enlarged.",
			percent(f.Sizes.Running))}
	}
	return Phone{Enlarged, fmt.Sprintf("The text stands in short pieces, a table or a plan: its place on the page matters, so it is better enlarged and moved than set anew; %s of it runs in long lines.", percent(f.Sizes.Running))}
}

// TextViewBelow is the width of the frame, in CSS px, below which readers are
// better served by the text view: on phones, where the body text is too small
// to read and most of it runs in lines. 0 is never.
func TextViewBelow(f Facts, s setting.Settings) float64 {
	if !f.Sizes.Known || f.Sizes.Running < runningText || f.Sizes.Body.XHeight <= 0 {
		return 0
	}
	for w := float64(phoneWidth); w > MinColumn; w-- {
		b := frame.Layout(s, f.Pages, w, phoneHeight)
		if b.Width <= w && legible.Angle(f.Sizes.Body.XHeight, b.Scale) < legible.FromReadable {
			return math.Min(b.Width+1, phoneWidth)
		}
	}
	return 0
}

// columnStep is how finely columns are searched, in CSS px.
const columnStep = 16

// columnFor finds the narrowest column at which the body text takes an angle.
// Scales need not rise with the width where a height bounds them, so columns
// are looked at one after the other, then the last step closely.
func columnFor(f Facts, s setting.Settings, screen Screen, angle float64) float64 {
	x := f.Sizes.Body.XHeight
	if x <= 0 {
		return 0
	}
	s.NarrowZoom = 0 // it helps below a width, and says nothing of what is wider
	reads := func(column float64) bool {
		return legible.Angle(x, frame.Layout(s, f.Pages, column, screen.Height).Scale) >= angle
	}
	for c := float64(MinColumn); c <= MaxColumn; c += columnStep {
		if !reads(c) {
			continue
		}
		for low := math.Max(c-columnStep+1, MinColumn); low < c; low++ {
			if reads(low) {
				return low
			}
		}
		return c
	}
	return 0
}

// Point is one place of the curve: the angles of body and smallest text at a
// column width.
type Point struct {
	Column   float64 `json:"column"`
	Body     float64 `json:"body"`
	Smallest float64 `json:"smallest"`
}

// The curve's ends and step, in CSS px of column width.
const (
	CurveFrom, CurveTo = 280, 1600
	curveStep          = 20
)

// Curve is how large text lands over the width of the column, at one height of
// the window. It is empty where type is unknown.
func Curve(f Facts, s setting.Settings, height float64) []Point {
	out := []Point{}
	if !f.Sizes.Known {
		return out
	}
	for c := float64(CurveFrom); c <= CurveTo; c += curveStep {
		scale := frame.Layout(s, f.Pages, c, height).Scale
		out = append(out, Point{c, legible.Angle(f.Sizes.Body.XHeight, scale), legible.Angle(f.Sizes.Smallest.XHeight, scale)})
	}
	return out
}
