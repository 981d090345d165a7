package textflow

import (
	"slices"

	"incipit/internal/core/overlay"
)

// InOrder gives the runs of a page in the order they are read: by its tags
// where they hold its text, else column by column and line by line. Nothing is
// left out. A file may draw its text in any order. Ruby comes last, so that the text
// it is about is found and copied whole.
func InOrder(p Page) []overlay.Run {
	var ruby []overlay.Run
	if p.Runs, ruby = rubied(p.Runs); len(ruby) > 0 {
		out := InOrder(p)
		if len(out) > 0 {
			out[len(out)-1].Break = true
		}
		for i := range ruby {
			ruby[i].Break = true
		}
		return append(out, ruby...)
	}
	if tagged(p) {
		out := slices.Clone(p.Runs)
		slices.SortStableFunc(out, func(a, b overlay.Run) int { return place(a, p) - place(b, p) })
		return out
	}
	out := make([]overlay.Run, 0, len(p.Runs))
	for _, part := range byTurn(p.Runs) {
		for _, l := range arrange(segmentsOf(part.runs, part.turn), 0) {
			for _, s := range l.segments {
				out = append(out, s.runs...)
			}
			out[len(out)-1].Break = true
		}
	}
	return out
}

// place is where a run stands in the order of its page; what has no block comes
// last.
func place(r overlay.Run, p Page) int {
	if r.Block <= 0 {
		return len(p.Blocks) + 1
	}
	return r.Block
}
