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
func Runs(glyphs []Glyph) []Run {
	var runs []Run
	var text strings.Builder
	var run Run
	var last Glyph
	flush := func(lineEnds bool) {
		if s := strings.TrimRight(text.String(), " "); s != "" && run.Length > 0 {
			run.Text, run.Break = s, lineEnds
			runs = append(runs, run)
		} else if lineEnds && len(runs) > 0 {
			runs[len(runs)-1].Break = true
		}
		text.Reset()
	}
	for _, g := range glyphs {
		if g.Rune == '\n' || g.Rune == '\r' {
			flush(true)
			continue
		}
		if unicode.IsControl(g.Rune) || g.Rune == 0 || g.Rune == unicode.ReplacementChar {
			continue
		}
		if text.Len() > 0 && !continues(run, last, g) {
			flush(!sameLine(run, g))
		}
		if text.Len() == 0 {
			if unicode.IsSpace(g.Rune) {
				continue
			}
			run = Run{X: g.X, Y: g.Y, Size: g.Size, Angle: g.Angle}
		}
		if unicode.IsSpace(g.Rune) {
			// Trailing space carries no extent: the next glyph brings its own
			// position, and at a line's end there is nothing to cover.
			text.WriteRune(' ')
			continue
		}
		text.WriteRune(g.Rune)
		run.Length = math.Max(run.Length, along(run, g)+g.Advance)
		last = g
	}
	flush(true)
	return runs
}

// along is the distance of a glyph from a run's start, measured on the run's
// baseline; across is its distance from that baseline.
func along(run Run, g Glyph) float64 {
	a := run.Angle * math.Pi / 180
	return (g.X-run.X)*math.Cos(a) + (g.Y-run.Y)*math.Sin(a)
}

func across(run Run, g Glyph) float64 {
	a := run.Angle * math.Pi / 180
	return -(g.X-run.X)*math.Sin(a) + (g.Y-run.Y)*math.Cos(a)
}

func sameLine(run Run, g Glyph) bool {
	return math.Abs(g.Angle-run.Angle) < 1 && math.Abs(across(run, g)) <= 0.35*run.Size
}

func continues(run Run, last, g Glyph) bool {
	if unicode.IsSpace(g.Rune) {
		return true
	}
	if !sameLine(run, g) || math.Abs(g.Size-run.Size) > 0.15*run.Size {
		return false
	}
	gap := along(run, g) - along(run, last) - last.Advance
	return gap <= run.Size && gap >= -run.Size
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
