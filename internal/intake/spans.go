package intake

import (
	"time"

	"incipit/internal/pdf"
)

const (
	// mostSlow is after how many pages that overran the engine's deadline the others of a
	// document get less of it each: inShort.
	mostSlow = 4
	// inShort is the work that each page of such a document may take.
	inShort = 2 * time.Second
	// mostLost is after how many pages that overran nothing more of a kind is asked of a
	// document: what is left of it cannot be read.
	mostLost = 64
)

// costs says whether a problem is one of a part that is too much for the engine, and not
// of the whole file.
func costs(err error) bool {
	kind := pdf.KindOf(err)
	return kind == pdf.TookTooLong || kind == pdf.OutOfMemory
}

// spans asks for pages, in parts of so many. A part that is too much is asked for again in
// halves: one page that takes long costs the others nothing. lost hears of a page that is
// too much by itself; after mostLost of them it hears of all that are left.
func spans(pages []int, atOnce int, ask func(pages []int) error, lost func(page int)) error {
	n := 0
	var part func(pages []int) error
	part = func(pages []int) error {
		if n >= mostLost {
			for _, page := range pages {
				lost(page)
			}
			return nil
		}
		err := ask(pages)
		switch {
		case !costs(err):
			return err
		case len(pages) == 1:
			n++
			lost(pages[0])
			return nil
		}
		half := len(pages) / 2
		if err := part(pages[:half]); err != nil {
			return err
		}
		return part(pages[half:])
	}
	for len(pages) > 0 {
		first := min(atOnce, len(pages))
		if err := part(pages[:first]); err != nil {
			return err
		}
		pages = pages[first:]
	}
	return nil
}

// pagesFrom lists from..to.
func pagesFrom(from, to int) []int {
	out := make([]int, 0, max(to-from+1, 0))
	for page := from; page <= to; page++ {
		out = append(out, page)
	}
	return out
}
