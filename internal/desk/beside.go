package desk

import (
	"fmt"

	"incipit/internal/core/compare"
	"incipit/internal/library"
)

// factNames are the names of what a file says of itself.
var factNames = map[string]string{"title": "The file’s title", "author": "The file’s author", "subject": "The file’s subject", "keywords": "The file’s keywords",
	"language": "The file’s language", "licence": "The file’s licence", "terms": "The file’s terms of use", "contents": "The file’s contents list"}

// turned are the sentences of what a file is, or is not: now, and no longer.
var turned = map[string][2]string{
	"encrypted":   {"The file is encrypted now.", "The file is no longer encrypted."},
	"no-printing": {"The file forbids printing now.", "The file no longer forbids printing."},
	"no-copying":  {"The file forbids copying now.", "The file no longer forbids copying."},
	"tagged":      {"The file has tags for screen readers now.", "The file no longer has tags for screen readers."},
}

// besideSaid says what is another one beside the pages, and how far it was looked for.
func besideSaid(c library.Compared) (said []string, known string) {
	if !c.BesideRead {
		return nil, ""
	}
	for _, d := range c.Beside {
		said = append(said, differenceSaid(d))
	}
	switch {
	case c.BesideUnread:
		return said, "Not all of the links, notes, fields and files inside could be read: there may be more differences."
	case c.MoreBeside > 0:
		return said, fmt.Sprintf("%d more differences are not listed here.", c.MoreBeside)
	case len(said) == 0:
		return nil, "Links, notes, filled-in fields, files inside, layers and what the file says of itself are the same."
	}
	return said, ""
}

func differenceSaid(d compare.Difference) string {
	on := ""
	if d.Page > 0 {
		on = fmt.Sprintf(" on page %d", d.Page)
	}
	quoted := func(s string) string {
		if s == "" {
			return "nothing"
		}
		return "“" + s + "”"
	}
	switch d.What {
	case compare.LinkBeside:
		to := func(s string) string {
			if n := 0; s != "" {
				if _, err := fmt.Sscanf(s, "%d", &n); err == nil && fmt.Sprint(n) == s {
					return "page " + s
				}
			}
			return s
		}
		return changed(d, "A link"+on, fmt.Sprintf("led to %s, and leads to %s", to(d.Was), to(d.Is)), "leads to "+to(d.Is), "led to "+to(d.Was))
	case compare.NoteBeside:
		return changed(d, "A note"+on, fmt.Sprintf("said %s, and says %s", quoted(d.Was), quoted(d.Is)), "says "+quoted(d.Is), "said "+quoted(d.Was))
	case compare.FieldBeside:
		return changed(d, "The field "+quoted(d.Name), fmt.Sprintf("held %s, and holds %s", quoted(d.Was), quoted(d.Is)), "holds "+quoted(d.Is), "held "+quoted(d.Was))
	case compare.FileBeside:
		return changed(d, "The file inside "+quoted(d.Name), "has other bytes", "has "+d.Is, "had "+d.Was)
	case compare.LayerBeside:
		return changed(d, "The layer "+quoted(d.Name), fmt.Sprintf("was %s at first, and is %s", d.Was, d.Is), "is "+d.Is+" at first", "was "+d.Was+" at first")
	}
	if said, is := turned[d.Name]; is {
		return said[map[bool]int{true: 0, false: 1}[d.Change == compare.Added]]
	}
	name := factNames[d.Name]
	if d.Name == "contents" {
		return changed(d, name, "has other entries", "has "+d.Is, "had "+d.Was)
	}
	return changed(d, name, fmt.Sprintf("was %s, and is %s", quoted(d.Was), quoted(d.Is)), "is "+quoted(d.Is), "was "+quoted(d.Was))
}

// changed says that something changed, is new, or is gone.
func changed(d compare.Difference, what, other, is, was string) string {
	switch d.Change {
	case compare.Added:
		return what + " is new: it " + is + "."
	case compare.Removed:
		return what + " is gone: it " + was + "."
	}
	return what + " " + other + "."
}
