package compare

import (
	"fmt"
	"strings"

	"incipit/internal/core/sheet"
)

// Said is what became of a page, in words.
func (p Pair) Said() string {
	switch {
	case p.Change == Flowed && p.Old == 0:
		return fmt.Sprintf("Page %d is new: its words moved on from other pages, unchanged", p.New)
	case p.Change == Flowed && p.New == 0:
		return fmt.Sprintf("Page %d is gone: its words moved on to other pages, unchanged", p.Old)
	case p.Change == Flowed:
		return fmt.Sprintf("The words of page %d moved on, unchanged", p.New)
	case p.Change == Anew:
		return fmt.Sprintf("Page %d was made anew, and is the same otherwise", p.New)
	case p.Change == Unsure:
		return fmt.Sprintf("Page %d was made anew: look yourself whether it is the same", p.New)
	case p.Change == Moved && p.Differs:
		return fmt.Sprintf("Page %d has moved, is page %d, and has changed", p.Old, p.New)
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
	same := n[Same] + n[Anew]
	if same == len(c.Pages) {
		pages = "No change was found on the pages."
	} else {
		var parts []string
		for _, k := range []struct {
			change Change
			said   string
		}{{Changed, "changed"}, {Moved, "moved"}, {Added, "new"}, {Removed, "gone"}, {Flowed, "whose words moved on, unchanged"}, {Unsure, "made anew, to be looked at by you"}} {
			if n[k.change] > 0 {
				parts = append(parts, fmt.Sprintf("%s %s", counted(n[k.change], "page"), k.said))
			}
		}
		pages = strings.Join(parts, ", ") + "."
		if same > 0 {
			pages = strings.Join(parts, ", ") + "; " + counted(same, "page") + " the same."
		}
	}
	if k := n[Anew]; k > 0 {
		pages += fmt.Sprintf(" %s made anew, and %s the same otherwise.", map[bool]string{true: "1 page was", false: fmt.Sprintf("%d pages were", k)}[k == 1], map[bool]string{true: "is", false: "are"}[k == 1])
	}
	if n := len(c.Unseen); n > 0 {
		pages += fmt.Sprintf(" What %s %s like is not known: only words were compared there.", counted(n, "page"), map[bool]string{true: "looks", false: "look"}[n == 1])
	}
	if n := len(c.Pictures); n > 0 {
		pages += fmt.Sprintf(" What is drawn on %s was compared coarsely, or not at all: a small change there, such as a figure, may not be found. Look yourself.", listed(c.Pictures))
	}
	if c.Words == (Words{}) {
		return pages, "No word was added or taken out."
	}
	return pages, fmt.Sprintf("%s added, %d taken out.", counted(c.Words.Added, "word"), c.Words.Removed)
}

// listed names pages, some of many.
func listed(pages []int) string {
	if len(pages) == 1 {
		return fmt.Sprintf("page %d", pages[0])
	}
	var parts []string
	for _, p := range pages[:min(len(pages), mostListed)] {
		parts = append(parts, fmt.Sprint(p))
	}
	if more := len(pages) - mostListed; more > 0 {
		return fmt.Sprintf("pages %s and %d more", strings.Join(parts, ", "), more)
	}
	return "pages " + strings.Join(parts[:len(parts)-1], ", ") + " and " + parts[len(parts)-1]
}

// mostListed is how many pages are named in a sentence.
const mostListed = 12

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
