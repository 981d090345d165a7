package report

import (
	"fmt"
	"strings"
)

// Group is one sentence of a report with all the pages that it is true of; 0 pages is the
// whole document.
type Group struct {
	Kind     Kind
	Sentence string
	Clause   string
	Pages    []int
}

// mostGroups bounds the sentences that are listed: a form of thousands of fields has one
// for each.
const mostGroups = 100

// Grouped lists findings, each sentence once, in their order, and counts what else there is.
func Grouped(findings []Finding) (out []Group, more int) {
	at := map[string]int{}
	for _, f := range findings {
		i, known := at[f.Sentence]
		if !known && len(out) == mostGroups {
			more++
			continue
		}
		if !known {
			i = len(out)
			at[f.Sentence] = i
			out = append(out, Group{Kind: f.Kind, Sentence: f.Sentence, Clause: f.Clause})
		}
		if f.Page > 0 && (len(out[i].Pages) == 0 || out[i].Pages[len(out[i].Pages)-1] != f.Page) {
			out[i].Pages = append(out[i].Pages, f.Page)
		}
	}
	return out, more
}

// mostNamed is how many pages and rows of pages are named.
const mostNamed = 12

// Where says on which pages, or "".
func (g Group) Where() string {
	if len(g.Pages) == 1 {
		return fmt.Sprintf("Page %d", g.Pages[0])
	}
	var all []string
	left := len(g.Pages)
	for at := 0; at < len(g.Pages) && len(all) < mostNamed; {
		end := at
		for end+1 < len(g.Pages) && g.Pages[end+1] == g.Pages[end]+1 {
			end++
		}
		if end < at+2 { // two that follow each other are no row
			end = at
		}
		said := fmt.Sprint(g.Pages[at])
		if end > at {
			said += fmt.Sprintf(" to %d", g.Pages[end])
		}
		all = append(all, said)
		left -= end + 1 - at
		at = end + 1
	}
	switch {
	case len(all) == 0:
		return ""
	case left > 0:
		return fmt.Sprintf("Pages %s and %d more", strings.Join(all, ", "), left)
	case len(all) == 1:
		return "Pages " + all[0]
	}
	return fmt.Sprintf("Pages %s and %s", strings.Join(all[:len(all)-1], ", "), all[len(all)-1])
}
