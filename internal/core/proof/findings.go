package proof

import (
	"fmt"
	"math"
	"strings"

	"incipit/internal/core/dress"
	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
)

// What counts as hardly any room for pages, in CSS px.
const leastRoom = 80

// leastShown is the part of page 1 that ought to show at opening.
const leastShown = 0.35

// found adds a finding to a view.
func (v *View) found(k Kind, level string, spot Spot, title, text string, args ...any) {
	v.Glosses = append(v.Glosses, Gloss{Kind: k, Level: level, Spot: spot, Title: title, Text: fmt.Sprintf(text, args...), Fixes: []Fix{}})
}

// findings looks a view over, without fixes.
func (v *View) findings(f Facts, s setting.Settings, terms Terms) {
	v.Glosses = []Gloss{}
	v.findRoom(s)
	v.findSmall(s)
	v.findColumn()
	v.findType(f, s)
	v.findContrast(s)
	v.findTurning(f, s)
	v.findSideways(f, s)
	v.findScroll()
	v.findWindow()
	v.findFirst(s)
	v.findTools(f, s)
	v.findTiles(s)
	v.findOrder(f, s)
	v.findTree(f, s)
	v.findLoad(terms)
	v.findSpace()
	v.findTake(s)
	v.findMixed(f, s)
	v.findLarge(s)
	v.findInvited(s)
	v.findUnseen(f, s)
}

// The spots. Everything is measured from the frame's outer corner.

func (v *View) inner(s setting.Settings) (x, y float64) {
	x = s.Border + s.Padding
	y = x
	if s.BarPlace == setting.Top {
		y += frame.Bar(s)
	}
	return x, y
}

// inset is how far inside an edge a spot lies: near enough to touch, before
// anything that is printed.
const inset = 5

// onPage is a spot on the left margin of page 1, a part of the way down what
// shows of it. Spots lie at the left, where a line from the margin reaches them
// without crossing anybody's text.
func (v *View) onPage(s setting.Settings, down float64) Spot {
	x, y := v.inner(s)
	p := v.Pages[0]
	low, high := math.Max(p.Y, 0), math.Min(p.Y+p.H, v.Box.InnerHeight)
	left := math.Min(math.Max(p.X, 0), v.Box.InnerWidth)
	return Spot{x + left + math.Min(inset, 0.015*p.W), y + low + (high-low)*down}
}

// onBar is a spot at the start of the toolbar, a part of its height down.
func (v *View) onBar(s setting.Settings, down float64) Spot {
	edge := s.Border + s.Padding
	y := edge + frame.Toolbar*down
	if s.BarPlace == setting.Bottom {
		y = v.Box.Height - edge - frame.Toolbar*(1-down)
	}
	return Spot{edge + inset, y}
}

// onEdge is a spot on the frame's left edge.
func (v *View) onEdge(down float64) Spot { return Spot{0, v.Box.Height * down} }

// degrees writes an angle so that rounding never lifts it into a better band.
func degrees(a float64) string { return fmt.Sprintf("%.2f°", math.Floor(a*100+1e-9)/100) }

func px(v float64) string { return fmt.Sprintf("%.0f px", v) }

func percent(part float64) string { return fmt.Sprintf("%.0f %%", math.Floor(part*100+1e-9)) }

func (v *View) findRoom(s setting.Settings) {
	if v.Box.InnerWidth >= leastRoom && v.Box.InnerHeight >= leastRoom {
		return
	}
	v.found(Room, MustFix, v.onBar(s, 0.5), "Hardly any room for pages",
		"Border, padding and tools leave %.0f × %.0f px.", v.Box.InnerWidth, v.Box.InnerHeight)
}

// A frame narrower than that, in CSS px, on a screen that gives it more, helps nobody;
// and how much of its column it then leaves empty.
const (
	leastFrame = 240
	leastShare = 0.8
)

func (v *View) findSmall(s setting.Settings) {
	if v.Box.Width >= leastFrame || v.Box.Width >= leastShare*v.Screen.Column {
		return
	}
	v.found(Small, MustFix, v.onEdge(0.4), fmt.Sprintf("The frame is %.0f px wide here", v.Box.Width),
		"Its column has %s. What leaves a wide page room beside the document takes it from a narrow one.", px(v.Screen.Column))
}

// mixedBelow is the part of the widest page's width below which others look small
// beside it.
const mixedBelow = 0.7

func (v *View) findMixed(f Facts, s setting.Settings) {
	fits := s.Zoom.Kind == setting.FitWidth || s.Zoom.Kind == setting.FitPage
	if !fits || s.RowScale != setting.SameScale || s.Flow == setting.Tiles {
		return
	}
	rows := f.Pages.Rows(s)
	widest, _ := f.Pages.Extent(s)
	small := 0
	for _, r := range rows {
		if r.Width < mixedBelow*widest {
			small++
		}
	}
	if small == 0 {
		return
	}
	of := fmt.Sprintf("%d of %d rows of pages are", small, len(rows))
	if small == 1 {
		of = fmt.Sprintf("1 of %d rows of pages is", len(rows))
	}
	v.found(Mixed, TakeCare, v.onPage(s, 0.75), "Pages of several widths",
		"%s less than %s as wide as the widest, which sets the scale for all: they look small.", of, percent(mixedBelow))
}

// largeType is a size, in CSS px, that body text needs on no screen.
const largeType = 30

func (v *View) findLarge(s setting.Settings) {
	fits := s.Zoom.Kind == setting.FitWidth
	if !fits || !v.Typed || v.Body.Size <= largeType || v.Box.InnerWidth < leastWide {
		return
	}
	v.found(Large, TakeCare, v.onPage(s, 0.85), fmt.Sprintf("Body text lands at %.0f px", v.Body.Size),
		"A window as wide as this makes pages larger than they need to be: readers see less of each.")
}

// leastWide is how wide pages stand at least, CSS px, where type is called large.
const leastWide = 700

func (v *View) findInvited(s setting.Settings) {
	if s.Guarded {
		v.found(Invited, TakeCare, v.onBar(s, 0.2), "It opens to invited readers alone",
			"Everybody else reads a note: visitors without a token of your own server, search engines, who is sent a link. Inline frames, covers and collections do not show it.")
	}
}

func (v *View) findUnseen(f Facts, s setting.Settings) {
	spot := v.onPage(s, 0.9)
	switch {
	case !f.Text && f.Measured:
		v.found(Unseen, TakeCare, spot, "Pages that are pictures", "There is no text behind them: who cannot see them gets nothing read out, and nothing is found.")
	case f.Text && s.TextView == setting.Closed && !s.Copying:
		v.found(Unseen, MustFix, spot, "Shut to who cannot see the pages",
			"With the text view closed and copying off, no text leaves the server: screen readers, braille displays and people who need large type or other colours get pictures.")
	}
}

func (v *View) findColumn() {
	if v.Box.Width > v.Screen.Column+slack {
		v.found(Column, MustFix, v.onEdge(0.25), "The frame sticks out",
			"It is %s wide in a column of %s: the web page scrolls sideways or cuts it off.", px(v.Box.Width), px(v.Screen.Column))
	}
}

// judged says a band in words, and how much it weighs.
func judged(r Reading) (weight, words string) {
	switch r.Band {
	case legible.Comfortable:
		return InOrder, "comfortable"
	case legible.Readable:
		return InOrder, "readable"
	case legible.Strained:
		return TakeCare, "a strain for most eyes"
	}
	return MustFix, "too small for most eyes"
}

// setAnew says whether readers of this screen are offered the text view.
func (v *View) setAnew(f Facts, s setting.Settings) bool {
	return f.Holds().Anew() && s.TextView == setting.Offered && v.Box.Width < TextViewBelow(f, s)
}

func (v *View) findType(f Facts, s setting.Settings) {
	spot := v.onPage(s, 0.3)
	switch {
	case !f.Measured && f.Text:
		v.found(Body, TakeCare, spot, "The type is being measured", "How large the text lands is known in a moment.")
		return
	case !v.Typed:
		v.found(Body, TakeCare, spot, "Type that cannot be measured",
			"The pages are pictures without text. Judge on the stage whether they can be read.")
		return
	}
	weight, words := judged(v.Body)
	text := fmt.Sprintf("Its x-height is %.1f px, %s: %s in a column of %s.", v.Body.XHeight, degrees(v.Body.Angle), words,
		px(v.Screen.Column))
	if f.Sizes.Body.How == legible.Halved {
		text += " Half the size counts as x-height: the script has no lower case."
	}
	if weight != InOrder && v.setAnew(f, s) {
		v.found(Body, InOrder, spot, fmt.Sprintf("Body text lands at %.1f px, the text view is offered", v.Body.Size),
			"%s Readers are offered the text view at once, in type of their own size.", text)
		return
	}
	if weight != InOrder && f.Sizes.Running >= runningText {
		text += " It is running text, which reads better set anew than enlarged."
	}
	v.found(Body, weight, spot, fmt.Sprintf("Body text lands at %.1f px", v.Body.Size), "%s", text)
	if weight != InOrder || v.Smallest.Angle >= legible.FromStrained {
		return
	}
	v.found(Smallest, TakeCare, v.onPage(s, 0.6), fmt.Sprintf("Smallest text lands at %.1f px", v.Smallest.Size),
		"Its x-height is %.1f px, %s: too small for most eyes, though the body text reads.", v.Smallest.XHeight, degrees(v.Smallest.Angle))
}

// runningText is the share of characters in long lines from which on a
// document counts as running text.
const runningText = 0.5

func (v *View) findContrast(s setting.Settings) {
	if s.Scheme != setting.Own {
		return
	}
	worst, pairs := -1, dress.Pairs(dress.Own(s.Colours))
	for i, p := range pairs {
		if !p.Enough() && (worst < 0 || p.Ratio/p.Needs < pairs[worst].Ratio/pairs[worst].Needs) {
			worst = i
		}
	}
	if worst < 0 {
		v.found(Contrast, InOrder, v.onBar(s, 0.3), "Colours that can be told apart", "Text stands on paper at %.1f to 1.", pairs[0].Ratio)
		return
	}
	p := pairs[worst]
	v.found(Contrast, MustFix, v.onBar(s, 0.3), "Colours too close", "%s: %.1f to 1, where %.1f is needed.", p.Name,
		math.Floor(p.Ratio*10)/10, p.Needs)
}

func (v *View) findTurning(f Facts, s setting.Settings) {
	if s.Flow == setting.Turn && !s.Navigation && len(f.Pages.Rows(s)) > 1 {
		v.found(Turning, TakeCare, v.onEdge(0.75), "No way to turn but swipe and wheel",
			"Pages turn one by one, but page navigation is off: no key, no button.")
	}
}

func (v *View) findSideways(f Facts, s setting.Settings) {
	if !v.Sideways {
		return
	}
	widest, _ := f.Pages.Extent(s)
	v.found(Sideways, TakeCare, v.onPage(s, 0.45), "Lines run out of the frame",
		"Pages are %s wide at %.0f %%, the frame has %s for them: readers move to and fro for every line.", px(widest*v.Box.Scale), v.Percent,
		px(v.Box.InnerWidth-2*frame.Gutter))
}

func (v *View) findScroll() {
	if v.Nested {
		v.found(Scroll, TakeCare, v.onEdge(0.55), "A scroll inside a scroll",
			"On a phone the pages scroll inside a page that scrolls the same way: thumbs get caught.")
	}
}

func (v *View) findWindow() {
	if v.Box.Height > v.Screen.Height+slack {
		v.found(Window, TakeCare, v.onEdge(1), "Taller than the window",
			"The frame is %s tall, the window %s: its ends are never seen together.", px(v.Box.Height), px(v.Screen.Height))
	}
}

func (v *View) findFirst(s setting.Settings) {
	spot := v.onPage(s, 0.97)
	switch {
	case v.Shown >= 0.995:
		v.found(First, InOrder, spot, "Page 1 shows whole", "%s", v.length())
	case v.Shown >= leastShown:
		v.found(First, InOrder, spot, percent(v.Shown)+" of page 1 shows", "%s", v.length())
	default:
		v.found(First, TakeCare, spot, "Only "+percent(v.Shown)+" of page 1 shows", "%s", v.length())
	}
}

func (v *View) length() string {
	if v.Screens <= 1.02 {
		return "Everything stands in the frame at once."
	}
	return fmt.Sprintf("The whole document is %.1f frames long.", v.Screens)
}

func (v *View) findTools(f Facts, s setting.Settings) {
	if n := len(v.Fit.Shown) + len(v.Fit.More); n == 0 {
		return
	}
	if len(v.Fit.More) == 0 {
		v.found(Tools, InOrder, v.onBar(s, 0.6), "All tools fit", "%s in the toolbar.", sentence(list(v.Fit.Shown)))
		return
	}
	title := fmt.Sprintf("%d tools don’t fit", len(v.Fit.More))
	if len(v.Fit.More) == 1 {
		title = "1 tool doesn’t fit"
	}
	move := "move"
	if len(v.Fit.More) == 1 && v.Fit.More[0] != toolbar.Turn {
		move = "moves"
	}
	v.found(Tools, TakeCare, v.onBar(s, 0.6), title, "In a frame of %s, %s %s behind “More”.", px(v.Box.Width), list(v.Fit.More), move)
}

func list(tools toolbar.Set) string {
	names := make([]string, len(tools))
	for i, t := range tools {
		names[i] = strings.ToLower(t.Name())
	}
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

func sentence(text string) string {
	if text == "" {
		return ""
	}
	return strings.ToUpper(text[:1]) + text[1:]
}

func (v *View) findTiles(s setting.Settings) {
	if s.Flow != setting.Tiles || len(v.Rows) < 2 {
		return
	}
	n := v.standing.Abreast()
	if n < 2 {
		v.found(Tiles, TakeCare, v.onPage(s, 0.2), "Tiles that stand alone", "At %.0f %% only one fits in a line.", v.Percent)
		return
	}
	v.found(Tiles, InOrder, v.onPage(s, 0.2), fmt.Sprintf("%d tiles in a line", n), "They wrap with the width of the frame.")
}

func (v *View) findOrder(f Facts, s setting.Settings) {
	if s.Order == setting.FromLeft && len(v.Rows) > 1 && writtenFromRight(f.Language) {
		v.found(Order, TakeCare, v.onPage(s, 0.1), "Pages begin at the wrong side",
			"The document says its language is written from the right; its pages begin at the left.")
	}
}

func (v *View) findTree(f Facts, s setting.Settings) {
	if f.Untold == 0 || s.TextView == setting.Closed {
		return
	}
	where := "One page's own structure leaves"
	if f.Untold > 1 {
		where = fmt.Sprintf("On %d pages the file's own structure leaves", f.Untold)
	}
	v.found(Tree, TakeCare, v.onPage(s, 0.6), "A structure that leaves text out",
		"%s out more than two words in a hundred. The text view sets such pages by what is seen on them; order and headings may be wrong there. Export the file again with tags.", where)
}

// writtenFromRight says whether a language tag (BCP 47) names a language that
// is written from right to left.
func writtenFromRight(tag string) bool {
	language, _, _ := strings.Cut(strings.ToLower(tag), "-")
	switch language {
	case "ar", "fa", "he", "iw", "ur", "ps", "sd", "ug", "yi", "dv", "ckb", "syr":
		return true
	}
	return false
}

// kilobytes writes bytes in powers of ten.
func kilobytes(n int64) string {
	if n >= 1_000_000 {
		return fmt.Sprintf("%.1f MB", float64(n)/1e6)
	}
	return fmt.Sprintf("%.0f KB", math.Ceil(float64(n)/1e3))
}

func (v *View) findLoad(terms Terms) {
	w := v.Weight
	if !w.Known {
		return
	}
	line := Connections()[0]
	figures := fmt.Sprintf("The file has %s. On a %s page 1 is there after %.1f s.", kilobytes(w.File), line.Name, w.Seconds[0])
	if terms.Budget > 0 && w.Bytes > terms.Budget {
		v.found(Load, TakeCare, v.onEdge(0), "Page 1 costs "+kilobytes(w.Bytes), "The budget is %s. %s", kilobytes(terms.Budget), figures)
		return
	}
	v.found(Load, InOrder, v.onEdge(0), "Page 1 costs "+kilobytes(w.Bytes), "%s", figures)
}

func (v *View) findSpace() {
	v.found(Space, InOrder, v.onEdge(0), "Nothing jumps", "The frame’s %.0f × %.0f px are kept free before the document arrives.",
		v.Box.Width, v.Box.Height)
}

func (v *View) findTake(s setting.Settings) {
	spot := v.onBar(s, 0.9)
	switch {
	case s.Download && s.Print:
		v.found(Take, InOrder, spot, "File and printout are open", "Readers may take both.")
	case s.Download:
		v.found(Take, InOrder, spot, "The file is open", "Readers may take it; the server gives no printout.")
	case s.Print:
		v.found(Take, InOrder, spot, "The file is closed", "The server gives it to nobody; readers may print.")
	default:
		v.found(Take, InOrder, spot, "File and printout are closed", "The server gives neither to anybody.")
	}
}
