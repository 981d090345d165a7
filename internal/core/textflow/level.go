package textflow

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Entry is an entry of the outline that leads to a page.
type Entry struct {
	Title string
	Level int
}

// bare gives a text as headings and entries of the outline are compared: letters and
// digits alone.
func bare(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, text)
}

// shortest is how many letters a line must share with an entry of the outline that
// goes on.
const shortest = 8

// entryFor finds the entry of the outline that a line is, or begins.
func entryFor(text string, outline []Entry) (Entry, bool) {
	name := bare(text)
	if name == "" || utf8.RuneCountInString(name) > mostTitle {
		return Entry{}, false
	}
	unnumbered := strings.TrimLeft(name, "0123456789")
	for _, e := range outline {
		title := bare(e.Title)
		if title == "" {
			continue
		}
		if name == title || unnumbered == title || unnumbered != "" && unnumbered == strings.TrimLeft(title, "0123456789") {
			return e, true
		}
		if utf8.RuneCountInString(name) >= shortest && strings.HasPrefix(title, name) {
			return e, true
		}
	}
	return Entry{}, false
}

// numberDepth says how deep the number is that a heading begins with: 2 for 3.1, or
// 0 where there is none.
func numberDepth(text string) int {
	first, _, _ := strings.Cut(text, " ")
	first = strings.TrimSuffix(first, ".")
	depth := 1
	for _, part := range strings.Split(first, ".") {
		if part == "" || len(part) > 3 || strings.Trim(part, "0123456789") != "" {
			return 0
		}
		depth++
	}
	return depth - 1
}

// settle lets no heading lie more than one level below the one before it. before is
// the level that the pages before end with; 0 is none, and Unsettled is not known.
func settle(blocks []Block, before int) {
	for i := range blocks {
		if blocks[i].Kind != Heading {
			continue
		}
		if before != Unsettled {
			blocks[i].Level = min(blocks[i].Level, before+1)
		}
		before = blocks[i].Level
	}
}

// Unsettled is the level before blocks of which it is not known what they follow.
const Unsettled = -1

// Level gives the level of the last heading of blocks, 0 where there is none, and
// whether it is settled, whatever stands before them: a heading of level 1 begins anew.
func Level(blocks []Block) (last int, settled bool) {
	for _, b := range blocks {
		if b.Kind == Heading {
			last, settled = b.Level, settled || b.Level == 1
		}
	}
	return last, settled
}

// Follow lets blocks follow others whose last heading has a level, 0 for none, or
// Unsettled.
func Follow(blocks []Block, level int) { settle(blocks, level) }
