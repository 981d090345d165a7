package frame

import (
	"fmt"
	"math"
	"strings"

	"incipit/internal/core/setting"
)

// Style is the outer box as CSS. Lengths that follow the column are written twice:
// as part of a size container (cqw), for pages of ours, and in percent, for code that
// is pasted elsewhere.
type Style struct {
	// Width and Height go by a parent that is a size container as wide as the column.
	Width  string
	Height string
	// PlainWidth and PlainHeight are the same without rounding to whole pixels,
	// for browsers that cannot.
	PlainWidth  string
	PlainHeight string
	// Across is the width in percent of the column, and Down the height in terms of
	// the column's width, as a padding can have it (CSS Box 3, 4.1). Where the height
	// does not follow the column, Down is "" and Fixed is the height.
	Across      string
	PlainAcross string // without rounding
	Down        string
	Fixed       string
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

// Shadow is what stands under a frame, as CSS, or "".
func Shadow(s setting.Settings) string { return shadows[s.Shadow] }

// CSS gives the outer box as CSS.
func CSS(s setting.Settings, p Pages) Style {
	held, pasted := css{s, p, "cqw"}, css{s, p, "%"}
	out := Style{PlainWidth: held.width(1), PlainHeight: held.height(), Across: pasted.whole(), PlainAcross: pasted.width(1)}
	out.Width, out.Height = held.whole(), fmt.Sprintf("round(up,%s - %gpx,1px)", out.PlainHeight, hair)
	switch h := pasted.height(); {
	case s.Height.Unit == setting.VH:
		out.Fixed = fmt.Sprintf("%s;height:round(up,%s - %gpx,1px)", h, h, hair)
	case strings.Contains(h, "%"):
		out.Down = h
	default:
		out.Fixed = h
	}
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

// Inside gives Down for an element that is as wide as the frame itself, in percent of
// that, or "" where the height does not follow the width.
func Inside(s setting.Settings, p Pages) string {
	s.Width, s.MaxWidth, s.LeastWidth = setting.Length{Value: 100, Unit: setting.Percent}, 0, 0
	return CSS(s, p).Down
}

// css writes lengths; unit is that of a hundredth of the column.
type css struct {
	s    setting.Settings
	p    Pages
	unit string
}

// width is outerWidth in CSS, times something.
func (c css) width(times float64) string {
	share, most := 100.0, []string{}
	switch {
	case c.s.Width.Unit == setting.Percent:
		share = c.s.Width.Value
	case c.s.Width.Unit == setting.Pixels:
		most = append(most, number(c.s.Width.Value*times)+"px")
	}
	if c.s.MaxWidth > 0 {
		most = append(most, number(c.s.MaxWidth*times)+"px")
	}
	w := number(share*times) + c.unit
	if len(most) > 0 {
		w = "min(" + w + "," + strings.Join(most, ",") + ")"
	}
	if c.s.LeastWidth > 0 {
		w = "max(" + number(c.s.LeastWidth*times) + "px," + w + ")"
	}
	return w
}

// whole is the width in whole pixels (CSS Values 4, 10.5, round()).
func (c css) whole() string {
	if w := c.width(1); w != "100%" {
		return fmt.Sprintf("round(down,%s + %gpx,1px)", w, hair)
	}
	return "round(down,100%,1px)"
}

// height is the height of Layout in CSS. Bounds are whole pixels, as frames are: what
// is a part of one more would come back with every line of pages that fit it.
func (c css) height() string {
	h := ""
	switch c.s.Height.Unit {
	case setting.Pixels:
		return number(wholeHeight(limited(c.s, c.s.Height.Value))) + "px"
	case setting.VH:
		h = number(c.s.Height.Value) + "vh"
	default:
		h = c.standing()
	}
	if r := roomOf(c.s, c.p); c.s.Height.Unit != setting.VH && c.s.MostHeight > 0 && r.least >= c.s.MostHeight {
		return number(wholeHeight(limited(c.s, r.least))) + "px" // it is never lower
	}
	if c.s.MostHeight > 0 {
		h = "min(" + h + "," + number(wholeHeight(c.s.MostHeight)) + "px)"
	}
	if c.s.LeastHeight > 0 {
		h = "max(" + number(wholeHeight(c.s.LeastHeight)) + "px," + h + ")"
	}
	return h
}

// standing is a height of whole pages in CSS (see room).
func (c css) standing() string {
	r := roomOf(c.s, c.p)
	if r.narrow > 0 {
		return fmt.Sprintf("max(clamp(0px,(%spx - %s)*9999,%spx),%s)", number(Narrow-0.01), c.width(1), number(r.narrow), c.wide(r))
	}
	return c.wide(r)
}

// wide is standing without what counts in narrow frames alone.
func (c css) wide(r room) string {
	if r.factor == 0 {
		if r.edge == 0 {
			return number(r.beside) + "px"
		}
		// The strip stands beside or below: a step at Narrow, as CSS can say it.
		return fmt.Sprintf("calc(%spx - clamp(0px,(%s - %spx)*9999,%spx))", number(r.beside+r.edge), c.width(1), number(Narrow-0.01),
			number(r.edge))
	}
	grown := func(more float64) string {
		w := c.width(r.factor)
		switch {
		case more > 0:
			return w + " + " + number(more) + "px"
		case more < 0:
			return w + " - " + number(-more) + "px"
		}
		return w
	}
	beside, below := grown(r.beside), grown(r.below)
	if !math.IsInf(r.most, 1) {
		beside, below = "min("+beside+","+number(r.most)+"px)", "min("+below+","+number(r.most+r.edge)+"px)"
	}
	h := "calc(" + below + ")"
	if r.edge > 0 {
		h = "clamp(" + beside + "," + number(r.step) + "px," + below + ")"
	}
	if r.least > 0 {
		h = "max(" + number(r.least) + "px," + h + ")"
	}
	return h
}

// number writes a length with at most seven decimals: far below a pixel even
// when it is multiplied by a wide column.
func number(v float64) string { return setting.Number(math.Round(v*1e7) / 1e7) }
