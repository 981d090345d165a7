package frame

import (
	"fmt"
	"math"
	"strings"

	"incipit/internal/core/setting"
)

// Style is the outer box as CSS, for an element whose parent is a size
// container as wide as the column.
type Style struct {
	Width  string
	Height string
	// PlainWidth and PlainHeight are the same without rounding to whole pixels,
	// for browsers that cannot.
	PlainWidth  string
	PlainHeight string
	Margin      string
	// Dress is the corner and the shadow of the outer box.
	Dress string
	// Fallback is a height in px for where styles are stripped: that at a
	// column of 640 px in a window of 800 px.
	Fallback int
}

// shadows under a frame.
var shadows = map[string]string{
	setting.SoftShadow: "0 2px 10px rgba(35,34,43,.16)",
	setting.DeepShadow: "0 8px 32px rgba(35,34,43,.28)",
}

// CSS gives the outer box as CSS.
func CSS(s setting.Settings, p Pages) Style {
	whole, plain := css{s, p, true}, css{s, p, false}
	out := Style{Width: whole.width(), Height: whole.height(), PlainWidth: plain.width(), PlainHeight: plain.height()}
	out.Margin = map[string]string{setting.Left: "0 auto 0 0", setting.Right: "0 0 0 auto"}[s.Align]
	if out.Margin == "" {
		out.Margin = "0 auto"
	}
	out.Dress = fmt.Sprintf("border-radius:%spx", number(s.Corner))
	if shadow := shadows[s.Shadow]; shadow != "" {
		out.Dress += ";box-shadow:" + shadow
	}
	out.Fallback = int(math.Round(Layout(s, p, 640, 800).Height))
	return out
}

// css writes lengths, in whole pixels (CSS Values 4, 10.5, round()) or plain.
type css struct {
	s     setting.Settings
	p     Pages
	whole bool
}

// width is outerWidth in CSS, 100cqw being the column.
func (c css) width() string {
	parts := []string{"100cqw"}
	switch {
	case c.s.Width.Unit == setting.Percent && c.s.Width.Value != 100:
		parts[0] = number(c.s.Width.Value) + "cqw"
	case c.s.Width.Unit == setting.Pixels:
		parts = append(parts, number(c.s.Width.Value)+"px")
	}
	if c.s.MaxWidth > 0 {
		parts = append(parts, number(c.s.MaxWidth)+"px")
	}
	w := parts[0]
	if len(parts) > 1 {
		w = "min(" + strings.Join(parts, ",") + ")"
	}
	if c.s.LeastWidth > 0 {
		w = "max(" + number(c.s.LeastWidth) + "px," + w + ")"
	}
	if c.whole {
		w = fmt.Sprintf("round(down,%s + %gpx,1px)", w, hair)
	}
	return w
}

// height is the height of Layout in CSS.
func (c css) height() string {
	h := ""
	switch c.s.Height.Unit {
	case setting.Pixels:
		h = number(c.s.Height.Value) + "px"
	case setting.VH:
		h = number(c.s.Height.Value) + "vh"
	default:
		h = c.standing()
	}
	if c.s.MostHeight > 0 {
		h = "min(" + h + "," + number(c.s.MostHeight) + "px)"
	}
	if c.s.LeastHeight > 0 {
		h = "max(" + number(c.s.LeastHeight) + "px," + h + ")"
	}
	if c.whole {
		h = fmt.Sprintf("round(up,%s - %gpx,1px)", h, hair)
	}
	return h
}

// standing is a height of whole pages in CSS.
func (c css) standing() string {
	w, h, edge := around(c.s, c.p.Count())
	points, gaps := standing(c.s, c.p)
	fixed := number(h+gaps) + "px"
	beside, below := "", ""
	if edge > 0 {
		// The strip stands beside or below: a step at Narrow, as CSS can say it.
		step := fmt.Sprintf("clamp(0px,(%s - %spx)*1000,%spx)", c.width(), number(Narrow-0.5), number(edge))
		beside, below = " - "+step, fmt.Sprintf(" + (%spx - %s)", number(edge), step)
	}
	if c.s.Zoom.Kind == setting.TrueSize || c.s.Zoom.Kind == setting.ByNumber {
		return "calc(" + number(h+gaps+points*heightScale(c.s, c.p, 0)) + "px" + below + ")"
	}
	widest, _ := c.p.Extent(c.s)
	// Bounded like Scale, in px of the pages' own height.
	least, most := Bounds(c.s)
	low, high := number(points*least)+"px", number(points*most)+"px"
	grow := fmt.Sprintf("(%s - %spx%s)*%s", c.width(), number(w+2*Gutter), beside, number(points/widest))
	return fmt.Sprintf("calc(clamp(%s,%s,%s) + %s%s)", low, grow, high, fixed, below)
}

// number writes a length with at most seven decimals: far below a pixel even
// when it is multiplied by a wide column.
func number(v float64) string { return setting.Number(math.Round(v*1e7) / 1e7) }
