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
// Angle is the direction of the baseline in degrees clockwise.
type Glyph struct {
	Rune    rune
	X, Y    float64
	Advance float64
	Size    float64
	Angle   float64
}

// Run is a piece of text on one baseline. Length is its extent along the
// baseline in points; Break says that a line ends behind it.
type Run struct {
	Text   string  `json:"text"`
	X      float64 `json:"x"`
	Y      float64 `json:"y"`
	Length float64 `json:"length"`
	Size   float64 `json:"size"`
	Angle  float64 `json:"angle"`
	Break  bool    `json:"break"`
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
		if unicode.IsControl(g.Rune) || g.Rune == 0 || g.Rune == unicode.ReplacementChar {
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
	var before Glyph // the last letter: marks stand anywhere over it
	for i, g := range logical {
		switch {
		case unicode.IsSpace(g.Rune):
			g.Rune = ' '
		case unicode.Is(unicode.Mn, g.Rune):
			text.WriteRune(g.Rune)
			continue
		case i > 0 && !unicode.IsSpace(before.Rune) && apart(before, g) > wordGap*first.Size:
			text.WriteRune(' ')
		}
		text.WriteRune(g.Rune)
		before = g
	}
	a := first.Angle * math.Pi / 180
	return Run{Text: text.String(), X: first.X + low*math.Cos(a), Y: first.Y + low*math.Sin(a), Length: high - low, Size: first.Size, Angle: first.Angle}, true
}

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
	if !sameLine(first, g) || math.Abs(g.Size-first.Size) > 0.15*first.Size {
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
