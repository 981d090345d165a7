package textflow

import (
	"math"
	"slices"
	"unicode/utf8"

	"incipit/internal/core/overlay"
)

// Columns of a table may stand closer together than the parts of a line do that
// are told apart by their white alone. What tells them is that the white goes on
// from line to line.

const (
	gridGap   = 0.45 // em between cells, at least: more than between words
	gridRows  = 4    // lines
	gridCells = 3    // columns
	cellText  = 14   // letters in most cells, at most
)

// gridAt says how many lines, from the first one on, are rows of a table whose
// columns stand close together, and gives them with their cells apart. seen is how
// many lines were looked at.
func gridAt(lines []line) (out []line, seen int) {
	for i, l := range lines[:min(len(lines), mostTableRows)] {
		if i > 0 && (l.first || l.base()-lines[i-1].base() > 3*l.size()) {
			break
		}
		cut := l.apart()
		fixed := slices.ContainsFunc(l.runs(), func(r overlay.Run) bool { return r.Fixed }) // whose white is always as wide
		if len(cut.segments) < 2 || fixed {
			break
		}
		next := append(out[:len(out):len(out)], cut)
		if holding(next) < gridCells && len(next) >= gridRows {
			break
		}
		out = next
	}
	if len(out) < gridRows || holding(out) < gridCells || len(columnsOf(out)) <= len(columnsOf(lines[:len(out)])) {
		return nil, len(out)
	}
	var sizes []int
	few := 0
	for _, l := range out {
		if len(l.segments) < gridCells {
			few++
		}
		for _, s := range l.segments {
			sizes = append(sizes, s.chars)
		}
	}
	slices.Sort(sizes)
	if sizes[len(sizes)/2] > cellText || 4*few > len(out) {
		return nil, len(out)
	}
	return out, len(out)
}

// apart gives a line whose segments are cut wherever the white is wider than
// between words.
func (l line) apart() line {
	out := l
	out.segments = nil
	for _, s := range l.segments {
		for _, r := range s.runs {
			for _, part := range partsOf(r) {
				from := s.from + (part.X-s.runs[0].X)*math.Copysign(1, s.to-s.from)
				one := segment{from: from, to: from + part.Length, base: s.base, size: part.Size, bold: part.Bold,
					chars: utf8.RuneCountInString(part.Text), runs: []overlay.Run{part}}
				if n := len(out.segments); n > 0 {
					if last := &out.segments[n-1]; one.from-last.to < gridGap*part.Size {
						last.take(one)
						continue
					}
				}
				out.segments = append(out.segments, one)
			}
		}
	}
	return out
}

// partsOf cuts a run, which is set upright and from left to right, at white that is
// wider than between words.
func partsOf(r overlay.Run) []overlay.Run {
	runes := []rune(r.Text)
	if r.Angle != 0 || r.Upright || len(r.Places) != 2*len(runes) || backward([]overlay.Run{r}) {
		return []overlay.Run{r}
	}
	var out []overlay.Run
	from := 0
	cut := func(to int) {
		part := r
		part.Text, part.Places = string(runes[from:to]), slices.Clone(r.Places[2*from:2*to])
		start := part.Places[0]
		for i := 0; i < len(part.Places); i += 2 {
			part.Places[i] -= start
		}
		part.X = r.X + start
		part.Length = part.Places[len(part.Places)-2] + part.Places[len(part.Places)-1]
		out = append(out, part)
	}
	for i := 1; i+1 < len(runes); i++ {
		if runes[i] != ' ' || i <= from {
			continue
		}
		if white := r.Places[2*(i+1)] - r.Places[2*(i-1)] - r.Places[2*(i-1)+1]; white >= gridGap*r.Size {
			cut(i)
			from = i + 1
		}
	}
	cut(len(runes))
	return out
}
