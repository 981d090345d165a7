package textflow

import (
	"fmt"
	"html"
	"strings"

	"incipit/internal/core/overlay"
)

// Setting says how blocks are written as HTML.
type Setting struct {
	Language string                // of the document; blocks in it say nothing
	Mark     func(page int) string // where a page begins; HTML
	To       func(page int) string // the address of a page's text, or nil: links to pages are left out
	Blank    func(page int) string // a page without text; HTML
}

// HTML writes blocks. Headings begin at level 2: the document's name is above
// them. Everything a file can say is escaped.
func HTML(blocks []Block, s Setting) string {
	var b strings.Builder
	list := ""
	for _, block := range blocks {
		want := ""
		if block.Kind == Item {
			if want = "ul"; block.Marker != "" && !bullet.MatchString(block.Marker+" ") {
				want = "ol"
			}
		}
		if want != list {
			if list != "" {
				fmt.Fprintf(&b, "</%s>\n", list)
			}
			if want != "" {
				fmt.Fprintf(&b, "<%s>\n", want)
			}
			list = want
		}
		s.write(&b, block)
	}
	if list != "" {
		fmt.Fprintf(&b, "</%s>\n", list)
	}
	return b.String()
}

func (s Setting) write(b *strings.Builder, block Block) {
	lang := ""
	if block.Language != "" && !strings.EqualFold(block.Language, s.Language) {
		lang = fmt.Sprintf(` lang="%s"`, html.EscapeString(block.Language))
	}
	switch block.Kind {
	case Heading:
		level := min(block.Level+1, 6)
		fmt.Fprintf(b, "<h%d dir=\"auto\"%s>%s</h%d>\n", level, lang, s.marked(block), level)
	case Item:
		value := ""
		if n := strings.Trim(block.Marker, ".()"); n != "" && strings.Trim(n, "0123456789") == "" {
			value = fmt.Sprintf(` value="%s"`, strings.TrimLeft(n, "0"))
			if n == "0" {
				value = ` value="0"`
			}
		}
		fmt.Fprintf(b, "<li dir=\"auto\"%s%s>%s</li>\n", value, lang, s.marked(block))
	case Table:
		s.marks(b, block)
		fmt.Fprintf(b, "<div class=\"table\"><table%s>\n", lang)
		for _, row := range block.Rows {
			b.WriteString("<tr>")
			for i, c := range row {
				tag := "td"
				scope := ""
				if c.Head && c.Text != "" {
					tag, scope = "th", scopeOf(row, i)
				}
				fmt.Fprintf(b, "<%s dir=\"auto\"%s>%s</%s>", tag, scope, s.spanned([]rune(c.Text), 0, c.Spans), tag)
			}
			b.WriteString("</tr>\n")
		}
		b.WriteString("</table></div>\n")
	case Code:
		s.marks(b, block)
		fmt.Fprintf(b, "<pre dir=\"ltr\"><code%s>%s</code></pre>\n", lang, html.EscapeString(block.Text))
	case Picture:
		s.marks(b, block)
		fmt.Fprintf(b, "<p class=\"picture\" dir=\"auto\"%s>%s</p>\n", lang, html.EscapeString(block.Text))
	case Empty:
		fmt.Fprintf(b, "<p class=\"blank\">%s%s</p>\n", s.Mark(block.Page), s.Blank(block.Page))
	default:
		fmt.Fprintf(b, "<p dir=\"auto\"%s>%s</p>\n", lang, s.marked(block))
	}
}

// marks writes the page marks of a block that has no running text.
func (s Setting) marks(b *strings.Builder, block Block) {
	for _, m := range block.Marks {
		fmt.Fprintf(b, "<p class=\"lone\">%s</p>\n", s.Mark(m.Page))
	}
}

// marked gives a block's text with the marks of pages in it.
func (s Setting) marked(block Block) string {
	var b strings.Builder
	runes := []rune(block.Text)
	at := 0
	for _, m := range block.Marks {
		to := min(max(m.At, at), len(runes))
		b.WriteString(s.spanned(runes[at:to], at, block.Spans))
		b.WriteString(s.Mark(m.Page))
		at = to
	}
	b.WriteString(s.spanned(runes[at:], at, block.Spans))
	return b.String()
}

// scopeOf says what a head cell is the head of: its column, where its whole row is
// of such, else its row.
func scopeOf(row []CellText, i int) string {
	for k, c := range row {
		if k != i && c.Text != "" && !c.Head {
			return ` scope="row"`
		}
	}
	return ` scope="col"`
}

// spanned writes a piece of a text that begins at a rune of it.
func (s Setting) spanned(text []rune, from int, spans []Span) string {
	var b strings.Builder
	at := 0
	for _, span := range spans {
		first, end := max(span.From-from, at), min(span.To-from, len(text))
		if end <= first {
			continue
		}
		open, shut := s.tags(span)
		b.WriteString(html.EscapeString(string(text[at:first])))
		b.WriteString(open + html.EscapeString(string(text[first:end])) + shut)
		at = end
	}
	b.WriteString(html.EscapeString(string(text[at:])))
	return b.String()
}

// tags are what stands around a span.
func (s Setting) tags(span Span) (open, shut string) {
	around := func(a, z string) { open, shut = open+a, z+shut }
	switch {
	case span.Address != "" && overlay.SafeAddress(span.Address):
		around(fmt.Sprintf(`<a href="%s" target="_blank" rel="noopener noreferrer">`, html.EscapeString(span.Address)), "</a>")
	case span.Page > 0 && s.To != nil:
		around(fmt.Sprintf(`<a href="%s" data-to="%d">`, html.EscapeString(s.To(span.Page)), span.Page), "</a>")
	}
	if span.Bold {
		around("<b>", "</b>")
	}
	if span.Italic {
		around("<i>", "</i>")
	}
	return open, shut
}
