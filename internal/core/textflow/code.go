package textflow

import (
	"math"
	"strings"
	"unicode/utf8"

	"incipit/internal/core/overlay"
)

// Lines in a font whose characters are all of one width are set as they stand, with
// their indents and their ends: code, and what a screen says.

// fixed says whether all of a line is in such a font.
func (l line) fixed() bool {
	n := 0
	segments := l.segments
	// The number of the line may be in another font.
	if len(segments) > 1 && isNumber(wordsOf(segments[0].runs, nil).text) {
		segments = segments[1:]
	}
	for _, s := range segments {
		for _, r := range s.runs {
			if !r.Fixed {
				return false
			}
			n += utf8.RuneCountInString(r.Text)
		}
	}
	return n > 0
}

// cell is the width of one character of such a line, in points.
func (l line) cell() float64 {
	width, n := 0.0, 0
	for _, s := range l.segments {
		for _, r := range s.runs {
			width, n = width+r.Length, n+utf8.RuneCountInString(r.Text)
		}
	}
	return math.Max(width/float64(max(n, 1)), 0.1)
}

// mostIndent bounds the white that is written for a gap, in characters.
const mostIndent = 80

// codeAt says how many lines, from the first one on, are set as they stand.
func codeAt(lines []line) int {
	n := 0
	for n < len(lines) && lines[n].fixed() {
		if n > 0 && (lines[n].first || lines[n].base()-lines[n-1].base() > 2.6*lines[n].size()) {
			break
		}
		n++
	}
	return n
}

// codeOf sets such lines.
func codeOf(lines []line) string {
	left := math.Inf(1)
	for _, l := range lines {
		left = math.Min(left, l.from())
	}
	cell := lines[0].cell()
	white := func(points float64) string {
		return strings.Repeat(" ", min(max(int(math.Round(points/cell)), 0), mostIndent))
	}
	var out []string
	for _, l := range lines {
		var b strings.Builder
		at := left
		for _, s := range l.segments {
			b.WriteString(white(s.from - at))
			for i, r := range s.runs {
				text := strings.Replace(r.Text, soft, "-", 1)
				b.WriteString(text)
				if i+1 < len(s.runs) && !r.Glued {
					b.WriteString(gapOf(r, s.runs[i+1], white))
				}
			}
			at = s.to
		}
		out = append(out, b.String())
	}
	return strings.Join(out, "\n")
}

// gapOf is the white between two runs of a line: a character at least.
func gapOf(a, b overlay.Run, white func(float64) string) string {
	if gap := white(b.X - a.X - a.Length); a.Angle == 0 && gap != "" {
		return gap
	}
	return " "
}
