package textflow

import (
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"incipit/internal/core/overlay"
)

// A table of contents is lines that end in the number of a page, with dots that
// lead the eye there.

// leader is such a line: what is on the page, dots, its number.
var leader = regexp.MustCompile(`^(.+?)\s*(?:(?:[.·․‥…⋯_]\s*){3,}|…{2,})\s*(\S{1,9})$`)

// contentsLines is how many lines make contents.
const contentsLines = 3

// mostTitle bounds what an entry of contents is, in letters.
const mostTitle = 300

// entryOf parts a line of contents.
func entryOf(text string) (title, number string, ok bool) {
	if len(text) > 8*mostTitle || strings.Count(text, ".") < 3 && !strings.ContainsAny(text, "·․‥…⋯_") {
		return "", "", false
	}
	m := leader.FindStringSubmatch(text)
	if m == nil || !isNumber(m[2]) && !isLabel(m[2]) {
		return "", "", false
	}
	return strings.TrimRight(m[1], " .·․‥…⋯_"), m[2], true
}

// pointing makes contents of paragraphs that are lines of such, one behind the
// other: structures often say no more.
func pointing(blocks []Block) {
	for i := 0; i < len(blocks); {
		j := i
		for j < len(blocks) && blocks[j].Kind == Paragraph {
			if _, _, ok := entryOf(blocks[j].Text); !ok {
				break
			}
			j++
		}
		if j-i >= contentsLines {
			left := blocks[i].box.X
			for k := i; k < j; k++ {
				left = math.Min(left, blocks[k].box.X)
			}
			for k := i; k < j; k++ {
				asContents(&blocks[k])
				blocks[k].Kind, blocks[k].indent, blocks[k].open = Item, blocks[k].box.X-left, false
			}
		}
		i = max(j, i+1)
	}
}

// isLabel says whether a text could be a page's label: a number, perhaps with a
// letter or a chapter before it.
func isLabel(text string) bool {
	digits := strings.IndexAny(text, "0123456789")
	return digits >= 0 && digits <= 2 && strings.Trim(text[digits:], "0123456789-–.") == ""
}

// entry gives what a line of contents says: with dots, or with its number by itself
// at the edge of the column.
func (l line) entry() (title, number string, dots, ok bool) {
	text := l.plainText()
	if title, number, ok := entryOf(text); ok {
		return title, number, true, true
	}
	n := len(l.segments)
	if n < 2 || l.to() < l.right-2*l.size() {
		return "", "", false, false
	}
	number = wordsOf(l.segments[n-1].runs, nil).text
	if utf8.RuneCountInString(number) > 9 || !isNumber(number) && !isLabel(number) {
		return "", "", false, false
	}
	head := line{segments: l.segments[:n-1]}
	title = strings.TrimRight(head.plainText(), " .·․‥…⋯_")
	return title, number, false, title != ""
}

// contentsAt says how many lines, from the first one on, are contents: most of them
// have dots or lead to a page by a link of the file. An entry may take two lines, of
// which the second leads to its page. seen is how many lines were looked at.
func contentsAt(lines []line, links []overlay.Link) (n, seen int) {
	entries, sure := 0, 0
	for n < len(lines) {
		l := lines[n]
		if _, _, dots, ok := l.entry(); ok {
			if entries++; dots || linked(l.runs(), links) > 0 {
				sure++
			}
			n++
			continue
		}
		// The first part of an entry that goes on.
		if entries > 0 && n+1 < len(lines) && !lines[n+1].first {
			next := lines[n+1]
			if _, _, _, ok := next.entry(); ok && l.size() < 1.3*next.size() && next.base()-l.base() < 2.5*l.size() {
				n++
				continue
			}
		}
		break
	}
	if sure < contentsLines || 2*sure < entries {
		return 0, n
	}
	return n, n
}

// contentsOf sets such lines.
func contentsOf(lines []line, links []overlay.Link) []Block {
	var out []Block
	pending := ""
	from := 0.0
	for _, l := range lines {
		title, number, _, ok := l.entry()
		if pending == "" {
			from = l.from() - l.left
		}
		if !ok {
			pending = strings.TrimSpace(pending + " " + l.plainText())
			continue
		}
		title = strings.TrimSpace(pending + " " + title)
		pending = ""
		b := Block{Kind: Item, Contents: true, Text: title + " " + number, size: l.size(), indent: from, box: boxOf(l.runs())}
		span := Span{To: utf8.RuneCountInString(b.Text), Printed: number}
		if page := linked(l.runs(), links); page > 0 {
			span.Page, span.Printed = page, ""
		}
		b.Spans = []Span{span}
		out = append(out, b)
	}
	return out
}

// linked gives the page that most of some runs lead to by the file's own links.
func linked(runs []overlay.Run, links []overlay.Link) int {
	for _, s := range wordsOf(runs, links).spans {
		if s.Page > 0 {
			return s.Page
		}
	}
	return 0
}

// asContents makes the items of a tagged page's contents what those of an untagged
// one are: without the dots, and leading to their page.
func asContents(b *Block) {
	title, number, ok := entryOf(b.Text)
	if !ok {
		return
	}
	span := Span{Printed: number}
	if at := slices.IndexFunc(b.Spans, func(s Span) bool { return s.Page > 0 }); at >= 0 {
		span.Page, span.Printed = b.Spans[at].Page, ""
	}
	b.Contents, b.Text = true, title+" "+number
	span.To = utf8.RuneCountInString(b.Text)
	b.Spans = []Span{span}
}
