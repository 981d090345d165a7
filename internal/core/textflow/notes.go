package textflow

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// A note at the foot of a page begins with its mark, in letters smaller than the
// text, and the same mark stands raised in the text above it. Both are needed:
// small type alone is no note, and a raised figure may be a power.

// noteSize is how large the letters of a note are at most, in parts of the text's.
const noteSize = 0.95

// mostNotes bounds what is looked at as a note on one page.
const mostNotes = 100

// noteSigns are the marks of notes that are no figures.
const noteSigns = "*∗⋆†‡§¶‖#"

// isNoteMark says whether a text may be the mark of a note.
func isNoteMark(text string) bool {
	if n := utf8.RuneCountInString(text); n == 0 || n > 3 {
		return false
	}
	digits := strings.TrimFunc(text, unicode.IsDigit) == ""
	return digits || strings.Trim(text, noteSigns) == "" || utf8.RuneCountInString(text) == 1 && unicode.IsLower([]rune(text)[0])
}

// noteMark gives the mark that a block begins with, and the runes it takes.
func noteMark(b Block) (mark string, n int) {
	if b.Kind == Item {
		m := strings.Trim(b.Marker, "().")
		if isNoteMark(m) {
			return m, 0
		}
		return "", 0
	}
	if len(b.Spans) > 0 && b.Spans[0].From == 0 && b.Spans[0].Raised {
		m := string([]rune(b.Text)[:b.Spans[0].To])
		if isNoteMark(strings.TrimSpace(m)) {
			return strings.TrimSpace(m), b.Spans[0].To
		}
	}
	first, _, _ := strings.Cut(b.Text, " ")
	if first != b.Text && isNoteMark(first) && !unicode.IsLower([]rune(first)[0]) {
		return first, utf8.RuneCountInString(first)
	}
	return "", 0
}

// noted finds the notes of one page's blocks and what refers to them.
func noted(blocks []Block, body float64, page int) {
	count, looked := 0, 0
	for i := range blocks {
		b := &blocks[i]
		if b.Kind != Paragraph && b.Kind != Item || b.size == 0 || body == 0 || b.size > noteSize*body || i == 0 {
			continue
		}
		mark, n := noteMark(*b)
		if mark == "" {
			continue
		}
		if looked++; looked > mostNotes {
			return
		}
		call := called(blocks[:i], mark)
		if call == nil {
			continue
		}
		count++
		call.Note, call.NotePage = count, page
		if b.Kind != Item {
			rest := strings.TrimSpace(string([]rune(b.Text)[n:]))
			whole := said{b.Text, b.Spans}.without(rest)
			b.Text, b.Spans = whole.text, whole.spans
		}
		b.Kind, b.Marker, b.Level, b.open, b.aside, b.note = Note, mark, 0, false, true, count
	}
}

// called finds what calls a note: the first of its mark that is raised behind a word
// or a stop, rather than behind a unit or a figure, as powers are.
func called(blocks []Block, mark string) *Span {
	var found *Span
	for k := range blocks {
		runes := []rune(blocks[k].Text)
		for s := range blocks[k].Spans {
			span := &blocks[k].Spans[s]
			if !span.Raised || span.Note > 0 || span.To > len(runes) || strings.TrimSpace(string(runes[span.From:span.To])) != mark {
				continue
			}
			if found == nil {
				found = span
			}
			before := strings.Fields(string(runes[:span.From]))
			if len(before) == 0 {
				continue
			}
			word := before[len(before)-1]
			last, _ := utf8.DecodeLastRuneInString(word)
			if unicode.IsPunct(last) || !unicode.IsDigit(last) && utf8.RuneCountInString(word) > 2 {
				return span
			}
		}
	}
	return found
}
