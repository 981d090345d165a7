package textflow

import (
	"fmt"
	"html"
	"strings"

	"incipit/internal/core/overlay"
)

// Setting says how blocks are written as HTML.
type Setting struct {
	Language string                   // of the document; blocks in it say nothing
	Mark     func(page int) string    // where a page begins; HTML
	To       func(page int) string    // the address of a page's text, or nil: links to pages are left out
	Printed  func(number string) int  // the page that a printed number names, or 0; may be nil
	Blank    func(page int) string    // a page without text; HTML
	Image    func(page int) PageImage // a picture of a page, or nil: nothing is cut out of it
	Figure   func(page int) string    // what stands for a picture without words
}

// PageImage is a picture of a whole page: its address, and the size of the page in
// points.
type PageImage struct {
	Address       string
	Width, Height float64
}

// HTML writes blocks. Headings begin at level 2: the document's name is above
// them. Everything a file can say is escaped.
func HTML(blocks []Block, s Setting) string {
	var b strings.Builder
	open := lists{b: &b}
	for _, block := range blocks {
		if block.Kind == Item {
			open.to(listKind(block), block.Depth)
		} else {
			open.shutAll()
		}
		s.write(&b, block)
	}
	open.shutAll()
	return b.String()
}

// lang says the language of a block that is not the document's.
func (s Setting) lang(block Block) string {
	if block.Language == "" || strings.EqualFold(block.Language, s.Language) {
		return ""
	}
	return fmt.Sprintf(` lang="%s"`, html.EscapeString(block.Language))
}

func (s Setting) write(b *strings.Builder, block Block) {
	lang := s.lang(block)
	dir := Direction(block.Text)
	switch block.Kind {
	case Heading:
		// Where a page begins is no part of what a heading is called.
		s.marks(b, block)
		level := min(block.Level+1, 6)
		fmt.Fprintf(b, "<h%d dir=\"%s\"%s>%s</h%d>\n", level, dir, lang, s.spanned([]rune(block.Text), 0, block.Spans), level)
	case Item:
		attributes, before := item(block)
		if block.Contents {
			fmt.Fprintf(b, "<li dir=\"%s\"%s>%s", dir, lang, s.entry(block))
			return
		}
		fmt.Fprintf(b, "<li dir=\"%s\"%s%s>%s%s", dir, attributes, lang, before, s.marked(block))
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
		s.figure(b, block)
	case Formula:
		s.marks(b, block)
		if cut := s.cut(block, block.Text); cut != "" {
			fmt.Fprintf(b, "<p class=\"formula\" dir=\"ltr\">%s</p>\n", cut)
		} else {
			fmt.Fprintf(b, "<p class=\"formula\" dir=\"ltr\">%s</p>\n", html.EscapeString(block.Text))
		}
	case Note:
		s.marks(b, block)
		id := fmt.Sprintf("%d-%d", block.Page, block.note)
		fmt.Fprintf(b, "<p class=\"note\" id=\"n%s\" role=\"doc-footnote\" tabindex=\"-1\" dir=\"%s\"%s><a href=\"#r%s\" role=\"doc-backlink\">%s</a> %s</p>\n",
			id, dir, lang, id, html.EscapeString(block.Marker), s.spanned([]rune(block.Text), 0, block.Spans))
	case Empty:
		fmt.Fprintf(b, "<p class=\"blank\">%s%s</p>\n", s.Mark(block.Page), s.Blank(block.Page))
	default:
		fmt.Fprintf(b, "<p dir=\"%s\"%s>%s</p>\n", dir, lang, s.marked(block))
	}
}

// entry writes an entry of contents: what it names, and the number of its page apart.
func (s Setting) entry(block Block) string {
	title, number := block.Text, ""
	if at := strings.LastIndex(block.Text, " "); at > 0 {
		title, number = block.Text[:at], block.Text[at+1:]
	}
	marks := ""
	for _, m := range block.Marks {
		marks += s.Mark(m.Page)
	}
	inner := fmt.Sprintf(`<span>%s</span> <span class="no">%s</span>`, html.EscapeString(title), html.EscapeString(number))
	for _, span := range block.Spans {
		if page := s.page(span); page > 0 && s.To != nil {
			return marks + fmt.Sprintf(`<a href="%s" data-to="%d">%s</a>`, html.EscapeString(s.To(page)), page, inner)
		}
	}
	return marks + html.EscapeString(block.Text)
}

// figure writes a picture with its name.
func (s Setting) figure(b *strings.Builder, block Block) {
	words := block.Text
	if words == "" && s.Figure != nil {
		words = s.Figure(block.Page)
	}
	cut := s.cut(block, words)
	switch {
	case cut == "" && block.Caption == nil && block.Text != "":
		fmt.Fprintf(b, "<p class=\"picture\" dir=\"%s\"%s>%s</p>\n", Direction(block.Text), s.lang(block), html.EscapeString(block.Text))
		return
	case cut == "" && block.Text != "":
		cut = fmt.Sprintf("<p class=\"picture\" dir=\"%s\">%s</p>", Direction(block.Text), html.EscapeString(block.Text))
	case cut == "" && block.Caption == nil:
		return
	}
	fmt.Fprintf(b, "<figure%s>%s", s.lang(block), cut)
	if c := block.Caption; c != nil {
		fmt.Fprintf(b, "<figcaption dir=\"%s\"%s>%s</figcaption>", Direction(c.Text), s.lang(*c), s.spanned([]rune(c.Text), 0, c.Spans))
	}
	b.WriteString("</figure>\n")
}

// cut shows a part of a page's picture, as large as it is on paper where there is
// room.
func (s Setting) cut(block Block, words string) string {
	if s.Image == nil || block.Cut.W <= 0 || block.Cut.H <= 0 {
		return ""
	}
	image := s.Image(block.Page)
	if image.Address == "" {
		return ""
	}
	box := block.Cut
	if block.Kind == Formula {
		box = widened(box, around*block.size, image.Width, image.Height)
	}
	const truly = 4.0 / 3 // CSS px for a point
	return fmt.Sprintf(`<svg class="cut" role="img" aria-label="%s" viewBox="%.1f %.1f %.1f %.1f" width="%.0f"><image href="%s" width="%.2f" height="%.2f"/></svg>`,
		html.EscapeString(words), box.X, box.Y, box.W, box.H, box.W*truly, html.EscapeString(image.Address), image.Width, image.Height)
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
	case span.Note > 0:
		id := fmt.Sprintf("%d-%d", span.NotePage, span.Note)
		around(fmt.Sprintf(`<a id="r%s" href="#n%s" role="doc-noteref">`, id, id), "</a>")
	case s.page(span) > 0 && s.To != nil:
		around(fmt.Sprintf(`<a href="%s" data-to="%d">`, html.EscapeString(s.To(s.page(span))), s.page(span)), "</a>")
	}
	if span.Ruby != "" {
		around("<ruby>", "<rp>（</rp><rt>"+html.EscapeString(span.Ruby)+"</rt><rp>）</rp></ruby>")
	}
	if span.Raised {
		around("<sup>", "</sup>")
	}
	if span.Lowered {
		around("<sub>", "</sub>")
	}
	if span.Bold {
		around("<b>", "</b>")
	}
	if span.Italic {
		around("<i>", "</i>")
	}
	return open, shut
}

// page is the page that a span leads to, or 0.
func (s Setting) page(span Span) int {
	if span.Page == 0 && span.Printed != "" && s.Printed != nil {
		return s.Printed(span.Printed)
	}
	return span.Page
}
