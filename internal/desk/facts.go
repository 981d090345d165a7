package desk

import (
	"fmt"

	"incipit/internal/core/scanned"
	"incipit/internal/library"
)

// factsOf says what is known of an edition, a sentence each.
func factsOf(e library.Edition) []string {
	first := e.AllSheets()[0]
	out := []string{fmt.Sprintf("%.0f × %.0f pt, %s, %s.", first.Width, first.Height, plural(e.Pages, "page", "pages"), Bytes(e.Bytes))}
	switch e.State {
	case library.Examining:
		return append(out, fmt.Sprintf("Still being examined: %d of %s.", e.PagesKnown, plural(e.Pages, "page", "pages")))
	case library.Failed:
		return append(out, e.ProblemMessage)
	}
	sizes := map[[2]float64]bool{}
	for _, s := range e.Sheets {
		sizes[[2]float64{s.Width, s.Height}] = true
	}
	if len(sizes) > 1 {
		out = append(out, fmt.Sprintf("Its pages have %d different sizes.", len(sizes)))
	}
	switch {
	case !e.HasText:
		out = append(out, "It holds pictures of pages, no text.")
	case e.Facts.Tagged:
		out = append(out, "Its text can be selected and is tagged for assistive technology.")
	default:
		out = append(out, "Its text can be selected.")
	}
	if n := len(e.Recognised); n > 0 {
		out = append(out, fmt.Sprintf("The text of %s was recognised by a program.", plural(n, "page", "pages")))
	}
	if e.Locked {
		out = append(out, "It asks for a password. Readers are asked for it, and nothing that it says is kept here.")
	}
	if e.HasText && !e.Locked && e.Indexed < e.Pages {
		out = append(out, fmt.Sprintf("Its text is being read: that of %s so far, which readers find and copy.",
			plural(e.Indexed, "page", "pages")))
	}
	out = append(out, unreadOf(e.Unread)...)
	if n := len(e.Facts.Outline); n > 0 {
		out = append(out, fmt.Sprintf("%s in its contents.", plural(n, "heading", "headings")))
	}
	if n := len(e.Facts.Fields); n > 0 {
		out = append(out, fmt.Sprintf("%s.", plural(n, "form field", "form fields")))
	}
	return out
}

// unreadOf says which parts of a file could not be read, a sentence each.
func unreadOf(u library.Unread) []string {
	var out []string
	if u.Facts {
		out = append(out, "Its contents, and what it says of itself, could not be read: they ask too much.")
	}
	for _, part := range []struct {
		pages []int
		say   string
	}{
		{u.Sizes, "The size of %s could not be read: taken to be that of page 1."},
		{u.Fields, "Form fields on %s could not be read."},
		{u.Type, "The size of the type on %s could not be measured."},
		{u.Text, "The text of %s could not be read: it is not found, and missing from the text view."},
	} {
		if len(part.pages) > 0 {
			out = append(out, fmt.Sprintf(part.say, pagesNamed(part.pages)))
		}
	}
	return out
}

// pagesNamed names pages: page 3, pages 3, 5–9.
func pagesNamed(pages []int) string {
	last := pages[len(pages)-1]
	labels := make([]string, last)
	for i := range labels {
		labels[i] = fmt.Sprint(i + 1)
	}
	if len(pages) == 1 {
		return "page " + labels[last-1]
	}
	return "pages " + scanned.Rows(pages, 1, last, labels)
}

func plural(n int, one, many string) string {
	if n == 1 {
		return fmt.Sprintf("%d %s", n, one)
	}
	return fmt.Sprintf("%d %s", n, many)
}
