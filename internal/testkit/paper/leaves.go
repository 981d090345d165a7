package paper

import (
	"fmt"
	"strings"

	"incipit/internal/testkit/hostile"
)

// Leaf is a page of a document that is made to be changed: its words, nine to a line.
type Leaf struct {
	Words   string
	Entries string // of the page's object, beside what it needs
	Colour  string // of its type, as PDF writes it
	Size    int    // points
}

// Leaves makes a PDF of pages; saved is another way to write the same down.
func Leaves(saved bool, pages ...Leaf) []byte {
	kids := make([]string, len(pages))
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "", "<</Type /Font /Subtype /Type1 /BaseFont /Times-Roman>>"}
	for i, l := range pages {
		var content strings.Builder
		fmt.Fprintf(&content, "BT /F %d Tf %s rg 60 760 Td %d TL ", max(l.Size, 12), max(l.Colour, "0 0 0"), max(l.Size, 12)+4)
		words := strings.Fields(l.Words)
		for len(words) > 0 {
			n := min(len(words), 9)
			fmt.Fprintf(&content, "(%s) Tj T* ", strings.Join(words[:n], " "))
			words = words[n:]
		}
		content.WriteString("ET")
		if saved {
			content.WriteString("\n% saved by another program\n")
		}
		kids[i] = fmt.Sprintf("%d 0 R", len(objects)+1)
		objects = append(objects, fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] %s /Resources <</Font <</F 3 0 R>>>> /Contents %d 0 R>>",
			l.Entries, len(objects)+2), hostile.Stream("", content.String()))
	}
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", strings.Join(kids, " "), len(pages))
	return hostile.Build(objects...)
}

// Waders is eight pages, each with words of its own: what editions of a document are
// made of by known edits.
func Waders() []Leaf {
	birds := []string{"avocet", "dunlin", "curlew", "godwit", "knot", "sanderling", "turnstone", "whimbrel"}
	var out []Leaf
	for i, b := range birds {
		var words strings.Builder
		for k := range 40 + 7*i {
			fmt.Fprintf(&words, "%s %s%d ", b, birds[(i*3+k)%len(birds)], k*k%17)
		}
		out = append(out, Leaf{Words: words.String()})
	}
	return out
}
