package textflow

import (
	"fmt"
	"html"
	"strings"
)

// mostDepth is how deep lists are set into each other.
const mostDepth = 6

// deepen says how deep each item lies in the lists of a flow: by what its structure
// says, else by how far it is set in, compared with the items before it.
func deepen(blocks []Block) {
	var indents []float64
	for i := range blocks {
		b := &blocks[i]
		if b.Kind != Item {
			if !b.aside {
				indents = nil
			}
			continue
		}
		if b.Depth > 0 {
			continue
		}
		step := 0.8 * b.size
		for len(indents) > 0 && b.indent < indents[len(indents)-1]-step {
			indents = indents[:len(indents)-1]
		}
		if (len(indents) == 0 || b.indent > indents[len(indents)-1]+step) && len(indents) < mostDepth {
			indents = append(indents, b.indent)
		}
		b.Depth = len(indents)
	}
}

// listKind is the element of a list of items like this one, with its attributes.
func listKind(b Block) string {
	switch {
	case b.Contents:
		return `ul class="contents"`
	case b.Marker == "", bullet.MatchString(b.Marker + " "):
		return "ul"
	case counted(b.Marker):
		return "ol"
	}
	return `ol class="marked"`
}

// counted says whether a marker is one that a list has by itself: 1. 2. 3.
func counted(marker string) bool {
	n, ok := strings.CutSuffix(marker, ".")
	return ok && n != "" && strings.Trim(n, "0123456789") == ""
}

// lists writes items into lists in lists.
type lists struct {
	b    *strings.Builder
	open []string
}

// to opens and shuts lists until one of a kind is open at a depth, ready for an
// item.
func (l *lists) to(kind string, depth int) {
	depth = max(min(depth, len(l.open)+1), 1)
	for len(l.open) > depth || len(l.open) == depth && l.open[depth-1] != kind {
		l.shut()
	}
	if len(l.open) == depth {
		l.b.WriteString("</li>\n")
		return
	}
	fmt.Fprintf(l.b, "<%s>\n", kind)
	l.open = append(l.open, kind)
}

func (l *lists) shut() {
	name, _, _ := strings.Cut(l.open[len(l.open)-1], " ")
	fmt.Fprintf(l.b, "</li>\n</%s>\n", name)
	l.open = l.open[:len(l.open)-1]
}

func (l *lists) shutAll() {
	for len(l.open) > 0 {
		l.shut()
	}
}

// item writes what an item begins with. Marks that no list has by itself stand in
// its text.
func item(b Block) (attributes, before string) {
	switch {
	case listKind(b) == "ol":
		n := strings.TrimLeft(strings.TrimSuffix(b.Marker, "."), "0")
		if n == "" {
			n = "0"
		}
		attributes = fmt.Sprintf(` value="%s"`, n)
	case listKind(b) == `ol class="marked"`:
		before = fmt.Sprintf(`<span class="marker">%s</span> `, html.EscapeString(b.Marker))
	}
	return attributes, before
}
