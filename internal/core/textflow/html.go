package textflow

import (
	"fmt"
	"html"
	"strings"
)

// Setting says how blocks are written as HTML.
type Setting struct {
	Language string                // of the document; blocks in it say nothing
	Mark     func(page int) string // where a page begins; HTML
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
			for _, c := range row {
				tag := "td"
				if c.Head && c.Text != "" {
					tag = "th"
				}
				fmt.Fprintf(b, "<%s dir=\"auto\">%s</%s>", tag, html.EscapeString(c.Text), tag)
			}
			b.WriteString("</tr>\n")
		}
		b.WriteString("</table></div>\n")
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
		b.WriteString(html.EscapeString(string(runes[at:to])))
		b.WriteString(s.Mark(m.Page))
		at = to
	}
	b.WriteString(html.EscapeString(string(runes[at:])))
	return b.String()
}
