package textflow

import (
	"slices"

	"incipit/internal/core/overlay"
)

// InOrder gives the runs of a page in the order they are read: by its tags
// where they hold its text, else column by column and line by line. Nothing is
// left out. A file may draw its text in any order.
func InOrder(p Page) []overlay.Run {
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
