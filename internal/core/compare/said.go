package compare

import (
	"fmt"
	"strings"

	"incipit/internal/core/sheet"
)

// Said is what became of a page, in words.
func (p Pair) Said() string {
	switch {
	case p.Change == Added:
		return fmt.Sprintf("Page %d is new", p.New)
	case p.Change == Removed:
		return fmt.Sprintf("Page %d is gone", p.Old)
	case p.Change == Moved:
		return fmt.Sprintf("Page %d has moved, and is page %d", p.Old, p.New)
	case p.Change == Changed && p.Old == p.New:
		return fmt.Sprintf("Page %d has changed", p.New)
	case p.Change == Changed:
		return fmt.Sprintf("Page %d has changed, and is page %d", p.Old, p.New)
	case p.Old == p.New:
		return fmt.Sprintf("Page %d is the same", p.New)
	}
	return fmt.Sprintf("Page %d is the same, and is page %d", p.Old, p.New)
}

// Said is a comparison in two sentences: of pages, and of words.
func (c Comparison) Said() (pages, words string) {
	n := map[Change]int{}
	for _, p := range c.Pages {
		n[p.Change]++
	}
	if n[Same] == len(c.Pages) {
		pages = "No change was found."
	} else {
		var parts []string
		for _, k := range []struct {
			change Change
			said   string
		}{{Changed, "changed"}, {Moved, "moved"}, {Added, "new"}, {Removed, "gone"}} {
			if n[k.change] > 0 {
				parts = append(parts, fmt.Sprintf("%s %s", counted(n[k.change], "page"), k.said))
			}
		}
		pages = strings.Join(parts, ", ") + "; " + counted(n[Same], "page") + " the same."
	}
	if n := len(c.Unseen); n > 0 {
		pages += fmt.Sprintf(" What %s %s like is not known: only words were compared there.", counted(n, "page"), map[bool]string{true: "looks", false: "look"}[n == 1])
	}
	if n := len(c.Pictures); n > 0 {
		pages += fmt.Sprintf(" %s without words: a small change in a picture, such as a figure, may not be found. Look at them yourself.",
			map[bool]string{true: "1 page that is the same is", false: fmt.Sprintf("%d pages that are the same are", n)}[n == 1])
	}
	if c.Words == (Words{}) {
		return pages, "No word was added or taken out."
	}
	return pages, fmt.Sprintf("%s added, %d taken out.", counted(c.Words.Added, "word"), c.Words.Removed)
}

func counted(n int, of string) string {
	if n == 1 {
		return "1 " + of
	}
	return fmt.Sprintf("%d %ss", n, of)
}

// SizesSaid says what is another one of the geometry of two editions: how many pages, and
// the size of the first, which frames follow. It is "" where that is the same.
func SizesSaid(before, after []sheet.Sheet) string {
	var said []string
	if len(before) != len(after) {
		said = append(said, fmt.Sprintf("It has %s, and had %d.", counted(len(after), "page"), len(before)))
	}
	if len(before) > 0 && len(after) > 0 && !sized(before[0], after[0]) {
		said = append(said, "Its first page is of another size, so frames that follow it become of another shape.")
	}
	return strings.Join(said, " ")
}
