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
// Angle is the direction of the baseline in degrees clockwise. Block is the
// element of the page's structure it belongs to, counted from 1; 0 is none. Made
// says that the file has no such character: the engine made it up for a gap.
type Glyph struct {
	Rune    rune
	X, Y    float64
	Advance float64
	Size    float64
	Angle   float64
	Font    Font
	Block   int
	Made    bool

	upright bool
	order   int  // in which it was drawn
	gap     bool // the engine made up a space before it
	tied    bool // of one glyph with the one drawn before it
	whole   bool // part of a glyph that stands for several
}

// Font is how a font looks. Unknown says that nothing tells which characters its
// codes stand for.
type Font struct {
	Bold, Italic, Fixed, Unknown bool
}

// Run is a piece of text on one baseline. Length is its extent along the
// baseline in points; Break says that a line ends behind it. Upright says that
// the line runs down the sheet while its characters stand upright (vertical
// writing); X and Y are then the middle of the line's top. A text that ends
// with SoftHyphen is divided there.
//
// Line numbers the pieces of line of a page, from 1: runs that have the same one
// are read on from one to the next. Glued says that the next one goes on in the
// same word.
//
// Places tells where each rune of Text stands: its start and its extent along
// the baseline from X, Y, in points, so two figures a rune.
type Run struct {
	Text    string    `json:"text"`
	Line    int       `json:"line,omitempty"`
	Glued   bool      `json:"glued,omitempty"`
	Italic  bool      `json:"italic,omitempty"`
	Fixed   bool      `json:"fixed,omitempty"`
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
	Ruby    []Ruby    `json:"-"` // see core/textflow
}

// Ruby says how the runes From up to, not including, To of a run are read.
type Ruby struct {
	From, To int
	Text     string
}

// SoftHyphen ends the text of a run whose last word goes on in the next line.
const SoftHyphen = '\u00AD'

// leans is how far slanted letters reach beyond their place, in em.
const leans = 0.2

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
	if r.Italic { // its letters lean out of their place
		high += leans * r.Size
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

// The kinds of link that a reader follows, and those of which it says that they lead
// out of the file, or nowhere; every other kind is dropped.
const (
	ToPage LinkKind = "page"
	ToWeb  LinkKind = "web"

	ToFile    LinkKind = "file"
	ToNowhere LinkKind = "none"
)

// Link is a link on a sheet. Page counts from 1 and is set for ToPage, with Top,
// how far below the top of that page the place is, in points, and the Zoom it
// asks for, in percent of true size, 0 for none. Address is set for ToWeb.
type Link struct {
	Kind    LinkKind   `json:"kind"`
	Box     sheet.Rect `json:"box"`
	Page    int        `json:"page,omitempty"`
	Top     float64    `json:"top,omitempty"`
	Zoom    float64    `json:"zoom,omitempty"`
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

// Runs groups the glyphs of a page, which come in the order in which they were
// drawn, into runs. Runs of one Line stand beside each other on the page and
// follow each other in the order in which they are read, whatever direction their
// scripts have (UAX #9); a new one begins where the font, the size, the baseline
// or the block changes. White of more than an em parts lines: columns of a table
// stay apart.
func Runs(glyphs []Glyph) []Run {
	segments := segmentsOf(piecesOf(down(accented(parted(fitted(echoed(once(plain(glyphs)))))))))
	letters := make([][]letter, len(segments))
	right, left := 0, 0
	for i, s := range segments {
		letters[i] = inPlace(s)
		r, l := strong(letters[i])
		right, left = right+r, left+l
	}
	usual := usualLetterGaps(letters)
	page := right > left
	var out []Run
	for i, all := range letters {
		all = spaced(all, usual)
		if len(all) == 0 {
			continue
		}
		runs := runsOf(logical(all, backward(all, page), page))
		for k := range runs {
			runs[k].Line = i + 1
		}
		out = append(out, runs...)
	}
	for i := range out {
		out[i].Break = i+1 == len(out) || out[i+1].Line != out[i].Line && !level(out[i], out[i+1])
	}
	return out
}

// level says whether two runs stand on one baseline.
func level(a, b Run) bool {
	return math.Abs(a.Angle-b.Angle) < 1 && math.Abs(across(a, b)) <= 0.35*math.Max(a.Size, b.Size)
}

// across is the distance of one run's baseline from another's, in points.
func across(a, b Run) float64 {
	t := a.Angle * math.Pi / 180
	return -(b.X-a.X)*math.Sin(t) + (b.Y-a.Y)*math.Cos(t)
}

// runsOf cuts letters in their reading order into runs.
func runsOf(letters []letter) []Run {
	var out []Run
	from := 0
	for i := 1; i <= len(letters); i++ {
		if i < len(letters) && (letters[i].space || alike(letters[from], letters[i])) {
			continue
		}
		end := i
		for end > from && letters[end-1].space {
			end--
		}
		if run, ok := runOf(letters[from:end]); ok {
			run.Glued = i < len(letters) && end == i
			out = append(out, run)
		}
		from = i
	}
	return out
}

// alike says whether two letters can stand in one run.
func alike(a, b letter) bool {
	return a.Font == b.Font && a.Block == b.Block && a.upright == b.upright && math.Abs(a.Size-b.Size) <= 0.06*a.Size &&
		math.Abs(a.base-b.base) <= 0.1*a.Size
}

// runOf makes one run of letters.
func runOf(letters []letter) (Run, bool) {
	if len(letters) == 0 {
		return Run{}, false
	}
	first := letters[0]
	low, high := math.Inf(1), math.Inf(-1)
	for _, l := range letters {
		if !l.space {
			low, high = math.Min(low, l.from), math.Max(high, l.to)
		}
	}
	if high <= low {
		return Run{}, false
	}
	var text strings.Builder
	var places []float64
	put := func(r rune, at, advance float64) {
		all := []rune(resolved(r))
		for i, l := range all {
			part, behind := advance/float64(len(all)), i
			if rightToLeft(l) {
				behind = len(all) - 1 - i
			}
			text.WriteRune(l)
			places = append(places, tenth(at-low+float64(behind)*part), tenth(part))
		}
	}
	for i, l := range letters {
		if l.Rune == SoftHyphen && i < len(letters)-1 {
			if l.Advance < 0.05*l.Size {
				continue // a place to divide at that was not used
			}
			l.Rune = '-'
		}
		at := math.Min(math.Max(l.from, low), high)
		put(l.Rune, at, l.to-l.from)
		for _, m := range l.marks {
			put(m.Rune, at, l.to-l.from)
		}
	}
	a := math.Round(first.Angle) * math.Pi / 180
	c, s := math.Cos(a), math.Sin(a)
	return Run{Text: text.String(), X: low*c - first.base*s, Y: low*s + first.base*c, Length: high - low, Size: first.Size, Angle: first.Angle,
			Upright: first.upright, Bold: first.Font.Bold, Italic: first.Font.Italic, Fixed: first.Font.Fixed, Block: first.Block, Places: places},
		true
}

func tenth(v float64) float64 { return math.Round(v*10) / 10 }

// Text gives the text of runs as it is copied: words whole, lines of a paragraph
// joined, a line feed where one ends.
func Text(runs []Run) string {
	var b strings.Builder
	for i, r := range runs {
		text := r.Text
		if i+1 < len(runs) {
			text = strings.TrimSuffix(text, string(SoftHyphen)) + Behind(r, runs[i+1])
		}
		b.WriteString(text)
	}
	return strings.TrimSpace(b.String())
}

// Plain gives the text of runs: those of one line parted by a space, lines by
// a line feed.
func Plain(runs []Run) string {
	var b strings.Builder
	for _, r := range runs {
		b.WriteString(r.Text)
		switch {
		case r.Break:
			b.WriteByte('\n')
		case !r.Glued:
			b.WriteByte(' ')
		}
	}
	return b.String()
}
