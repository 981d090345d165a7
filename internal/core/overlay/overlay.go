// Package overlay turns the glyphs of a page into the text that lies, unseen,
// over its image.
//
// An engine reports single glyphs with their origin; a browser wants words it
// can select. Runs groups glyphs that stand on one baseline, at one size and
// one angle, close together, into a Run that one SVG text element with
// textLength (SVG 2, 11.5) can cover exactly.
package overlay

import (
	"math"
	"slices"
	"strings"
	"unicode"

	"incipit/internal/core/sheet"
)

// Glyph is one character of a page in sheet space (points, y down). X and Y
// are its origin on the baseline; Advance is the distance to where the next
// glyph would start; Size is the em size in points as it stands on the sheet;
// Angle is the direction of the baseline in degrees clockwise. Bold says that
// the font is. Block is the element of the page's structure it belongs to,
// counted from 1; 0 is none.
type Glyph struct {
	Rune    rune
	X, Y    float64
	Advance float64
	Size    float64
	Angle   float64
	Bold    bool
	Block   int

	upright bool
}

// Run is a piece of text on one baseline. Length is its extent along the
// baseline in points; Break says that a line ends behind it. Upright says that
// the line runs down the sheet while its characters stand upright (vertical
// writing); X and Y are then the middle of the line's top. A text that ends
// with SoftHyphen is divided there.
//
// Places tells where each rune of Text stands: its start and its extent along
// the baseline from X, Y, in points, so two figures a rune.
type Run struct {
	Text    string    `json:"text"`
	X       float64   `json:"x"`
	Y       float64   `json:"y"`
	Length  float64   `json:"length"`
	Size    float64   `json:"size"`
	Angle   float64   `json:"angle"`
	Break   bool      `json:"break"`
	Upright bool      `json:"upright,omitempty"`
	Bold    bool      `json:"bold,omitempty"`
	Block   int       `json:"block,omitempty"`
	Places  []float64 `json:"places,omitempty"`
}

// SoftHyphen ends the text of a run whose last word goes on in the next line.
const SoftHyphen = '\u00AD'

// Box is the part of a run from the rune from up to, not including, the rune
// to, as a rectangle in sheet space that covers the letters: an em tall, a
// fifth of it below the baseline. For a turned run it is the bounding box.
func (r Run) Box(from, to int) sheet.Rect {
	low, high := math.Inf(1), math.Inf(-1)
	for i := from; i < to && 2*i+1 < len(r.Places); i++ {
		low, high = math.Min(low, r.Places[2*i]), math.Max(high, r.Places[2*i]+r.Places[2*i+1])
	}
	if high < low {
		low, high = 0, r.Length
	}
	above, below := 0.8*r.Size, 0.24*r.Size
	if r.Upright {
		above, below = r.Size/2, r.Size/2
	}
	a := r.Angle * math.Pi / 180
	c, s := math.Cos(a), math.Sin(a)
	left, top := math.Inf(1), math.Inf(1)
	right, bottom := math.Inf(-1), math.Inf(-1)
	for _, p := range [][2]float64{{low, -above}, {high, -above}, {low, below}, {high, below}} {
		x, y := r.X+p[0]*c-p[1]*s, r.Y+p[0]*s+p[1]*c
		left, right, top, bottom = math.Min(left, x), math.Max(right, x), math.Min(top, y), math.Max(bottom, y)
	}
	return sheet.Rect{X: left, Y: top, W: right - left, H: bottom - top}
}

// LinkKind says where a link leads.
type LinkKind string

// The two kinds of link that a reader follows; every other kind is dropped.
const (
	ToPage LinkKind = "page"
	ToWeb  LinkKind = "web"
)

// Link is a link on a sheet. Page counts from 1 and is set for ToPage;
// Address is set for ToWeb.
type Link struct {
	Kind    LinkKind   `json:"kind"`
	Box     sheet.Rect `json:"box"`
	Page    int        `json:"page,omitempty"`
	Address string     `json:"address,omitempty"`
}

// SafeAddress says whether a reader may be sent to a web address found in a
// file. Only http, https and mailto pass: a file must not be able to run
// script (javascript:), open local files (file:) or start programs.
func SafeAddress(address string) bool {
	scheme, rest, ok := strings.Cut(address, ":")
	if !ok || rest == "" {
		return false
	}
	for _, r := range address {
		if unicode.IsControl(r) || unicode.IsSpace(r) {
			return false
		}
	}
	switch strings.ToLower(scheme) {
	case "http", "https":
		return strings.HasPrefix(rest, "//") && len(rest) > 2
	case "mailto":
		return true
	}
	return false
}

// Runs groups glyphs, in reading order as the engine gives them, into runs. A
// new run begins where the line, the size or the angle changes and where the
// gap between two glyphs is more than one em: columns of a table stay apart.
// Right-to-left letters are brought into logical order by their place, since
// engines report them in the order they were drawn (UAX #9).
func Runs(glyphs []Glyph) []Run {
	var runs []Run
	glyphs = down(plain(glyphs))
	var parts []Glyph
	flush := func(lineEnds bool) {
		if run, ok := join(parts); ok {
			run.Break = lineEnds
			runs = append(runs, run)
		} else if lineEnds && len(runs) > 0 {
			runs[len(runs)-1].Break = true
		}
		parts = parts[:0]
	}
	var last Glyph // the last one with an extent
	for _, g := range glyphs {
		if g.Rune == '\n' || g.Rune == '\r' {
			flush(true)
			continue
		}
		space := unicode.IsSpace(g.Rune)
		if len(parts) > 0 && !space && !continues(parts[0], last, g) {
			flush(!sameLine(parts[0], g))
		}
		if len(parts) == 0 && space {
			continue
		}
		parts = append(parts, g)
		if !space {
			last = g
		}
	}
	flush(true)
	return runs
}

// join makes one run of glyphs. Space at its end carries no extent.
func join(parts []Glyph) (Run, bool) {
	for len(parts) > 0 && unicode.IsSpace(parts[len(parts)-1].Rune) {
		parts = parts[:len(parts)-1]
	}
	if len(parts) == 0 {
		return Run{}, false
	}
	first := parts[0]
	low, high := math.Inf(1), math.Inf(-1)
	for _, g := range parts {
		if !unicode.IsSpace(g.Rune) {
			at := along(first, g)
			low, high = math.Min(low, at), math.Max(high, at+g.Advance)
		}
	}
	if high <= low {
		return Run{}, false
	}
	logical := inLogicalOrder(parts)
	var text strings.Builder
	var places []float64
	put := func(r rune, at, advance float64) {
		letters := []rune(resolved(r))
		for i, l := range letters {
			part := advance / float64(len(letters))
			text.WriteRune(l)
			places = append(places, tenth(at-low+float64(i)*part), tenth(part))
		}
	}
	var before Glyph // the last letter: marks stand anywhere over it
	logical = unspaced(first, logical)
	whole(logical)
	for i, g := range logical {
		at := along(first, g)
		switch {
		case g.Rune == SoftHyphen && i < len(logical)-1:
			continue // a place to divide at that was not used
		case unicode.IsSpace(g.Rune):
			g.Rune = ' '
		case unicode.Is(unicode.Mn, g.Rune):
			put(g.Rune, at, g.Advance)
			continue
		case i > 0 && !unicode.IsSpace(before.Rune) && !(Joined(before.Rune) && Joined(g.Rune)) && apart(before, g) > wordGap*first.Size:
			from := along(first, before)
			put(' ', math.Min(from+before.Advance, at), 0)
		}
		put(g.Rune, at, g.Advance)
		before = g
	}
	a := first.Angle * math.Pi / 180
	return Run{Text: text.String(), X: first.X + low*math.Cos(a), Y: first.Y + low*math.Sin(a), Length: high - low, Size: first.Size, Angle: first.Angle,
		Upright: first.upright, Bold: first.Bold, Block: first.Block, Places: places}, true
}

func tenth(v float64) float64 { return math.Round(v*10) / 10 }

// wordGap is the distance between glyphs, in em, from which on they belong to
// two words although no space was reported: narrower than a thin word space,
// wider than letterspacing.
const wordGap = 0.18

// apart is the empty distance between two glyphs of one run.
func apart(a, b Glyph) float64 {
	at := along(a, b)
	return math.Max(at-a.Advance, -at-b.Advance)
}

func rightToLeft(r rune) bool {
	return unicode.In(r, unicode.Arabic, unicode.Hebrew, unicode.Syriac, unicode.Thaana, unicode.Nko)
}

// inLogicalOrder gives the glyphs of a run that is written right to left from
// right to left, and any other run as it is. Marks stay behind their letter.
func inLogicalOrder(parts []Glyph) []Glyph {
	backward := 0
	for _, g := range parts {
		if rightToLeft(g.Rune) {
			backward++
		} else if unicode.IsLetter(g.Rune) {
			backward--
		}
	}
	if backward <= 0 {
		return parts
	}
	// A reported space stands by the neighbour it was drawn after, on whichever
	// side: the gaps between letters tell words better.
	first, out := parts[0], slices.DeleteFunc(slices.Clone(parts), func(g Glyph) bool { return unicode.IsSpace(g.Rune) })
	middle := func(i int) float64 {
		return along(first, out[i]) + out[i].Advance/2
	}
	order := make([]int, len(out))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch ma, mb := middle(a), middle(b); {
		case math.Abs(ma-mb) < 0.02*first.Size:
			return 0
		case ma > mb:
			return -1
		}
		return 1
	})
	sorted := make([]Glyph, len(out))
	for i, o := range order {
		sorted[i] = out[o]
	}
	return sorted
}

// along is the distance of a glyph from a run's start, measured on the run's
// baseline; across is its distance from that baseline.
func along(run, g Glyph) float64 {
	a := run.Angle * math.Pi / 180
	return (g.X-run.X)*math.Cos(a) + (g.Y-run.Y)*math.Sin(a)
}

func across(run, g Glyph) float64 {
	a := run.Angle * math.Pi / 180
	return -(g.X-run.X)*math.Sin(a) + (g.Y-run.Y)*math.Cos(a)
}

func sameLine(run, g Glyph) bool {
	return math.Abs(g.Angle-run.Angle) < 1 && math.Abs(across(run, g)) <= 0.35*run.Size
}

// continues says whether g stands close enough to the last glyph, on either
// side of it, to belong to the run that begins with first.
func continues(first, last, g Glyph) bool {
	if !sameLine(first, g) || math.Abs(g.Size-first.Size) > 0.15*first.Size || g.Block != first.Block || g.upright != first.upright {
		return false
	}
	ahead := along(first, g) - along(first, last) - last.Advance
	if ahead <= first.Size && ahead >= -1.05*math.Max(first.Size, last.Advance) {
		return true
	}
	if !rightToLeft(g.Rune) && !rightToLeft(last.Rune) && unicode.IsLetter(g.Rune) {
		return false
	}
	// A word that was drawn in logical order may follow one drawn in visual
	// order: any place beside the run so far will do.
	behind := along(first, last) - along(first, g) - g.Advance
	return math.Abs(behind) <= 6*first.Size || math.Abs(ahead) <= 6*first.Size
}

// Plain gives the text of runs: those of one line parted by a space, lines by
// a line feed.
func Plain(runs []Run) string {
	var b strings.Builder
	for _, r := range runs {
		b.WriteString(r.Text)
		if r.Break {
			b.WriteByte('\n')
		} else {
			b.WriteByte(' ')
		}
	}
	return b.String()
}
