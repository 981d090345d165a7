package paper

import (
	"fmt"
	"math/rand/v2"
	"strings"

	"incipit/internal/testkit/hostile"
)

// perChapter is how many entries of a manual's outline lie below each chapter.
const perChapter = 11

// Manual is n dense pages in small type, each with a table, and an outline of so
// many entries in chapters, each of which leads to a height on its page: entry i to
// page 1 + i×(n-1)/entries, 100 + 40×(i mod 10) points below its top. Two more
// entries lead to another file and to nowhere, and so do two links of page 1; a
// third leads to 300 points below the top of the last page. "high-water" is the
// name of a place 400 points below the top of page 2.
func Manual(n, entries int) []byte {
	const high = 842
	r := rand.New(rand.NewPCG(1954, 2027))
	text := func(count int) string {
		out := make([]string, count)
		for i := range out {
			out[i] = words[r.IntN(len(words))]
		}
		return strings.Join(out, " ")
	}
	const first = 4 // objects: catalog, pages, font, outline root; then page and content by turns
	page := func(i int) int { return first + 1 + 2*i }
	kids := make([]string, n)
	objects := []string{"", "", "<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>", ""}
	for i := range n {
		var b strings.Builder
		fmt.Fprintf(&b, "BT /F 14 Tf 50 790 Td (Section %d) Tj /F 7 Tf 9 TL 0 -20 Td\n", i+1)
		for range 55 {
			fmt.Fprintf(&b, "(%s) Tj T*\n", text(20))
		}
		b.WriteString("ET\n")
		for row := range 8 {
			for column := range 6 {
				fmt.Fprintf(&b, "BT /F 7 Tf %d %d Td (%s) Tj ET\n", 50+80*column, 250-10*row, fmt.Sprint(words[r.IntN(len(words))], r.IntN(900)))
			}
		}
		more := ""
		if i == 0 {
			more = fmt.Sprintf(`/Annots [<</Subtype /Link /Rect [50 780 200 810] /Dest [%d 0 R /XYZ 0 %d 0]>>
				<</Subtype /Link /Rect [250 780 350 810] /A <</S /GoToR /F (tides.pdf) /D [0 /Fit]>>>> <</Subtype /Link /Rect [400 780 500 810] /Dest (nowhere)>>]`, page(n-1), high-300)
		}
		kids[i] = fmt.Sprintf("%d 0 R", page(i))
		objects = append(objects,
			fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [0 0 595 %d] /Contents %d 0 R /Resources <</Font <</F 3 0 R>>>> %s>>", high,
				page(i)+1, more), hostile.Stream("", b.String()))
	}
	objects[0] = fmt.Sprintf("<</Type /Catalog /Pages 2 0 R /Outlines 4 0 R /Names <</Dests <</Names [(high-water) [%d 0 R /XYZ null %d null]]>>>>>>", page(min(1, n-1)), high-400)
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d>>", strings.Join(kids, " "), n)
	// Chapters are every so many entries; what is between them lies below.
	at := func(i int) int { return len(objects) + 1 + i }
	objects[3] = fmt.Sprintf("<</First %d 0 R>>", at(0))
	base := len(objects)
	for i := range entries + 2 {
		chapter := i%(perChapter+1) == 0 || i >= entries
		next := i + 1
		if chapter && i < entries {
			next = min(i+perChapter+1, entries)
		}
		links := ""
		switch {
		case chapter && next < entries+2 && next > i:
			links += fmt.Sprintf(" /Next %d 0 R", base+1+next)
		case !chapter && next < entries && next%(perChapter+1) != 0:
			links += fmt.Sprintf(" /Next %d 0 R", base+1+next)
		}
		if chapter && i+1 < entries && i < entries {
			links += fmt.Sprintf(" /First %d 0 R /Count -%d", base+2+i, perChapter)
		}
		to := fmt.Sprintf("/Dest [%d 0 R /XYZ 0 %d 0]", page(i*(n-1)/max(entries, 1)), high-100-40*(i%10))
		title := fmt.Sprintf("Part %d", i+1)
		switch i {
		case entries:
			title, to = "The tide tables", "/A <</S /GoToR /F (tides.pdf) /D [0 /Fit]>>"
		case entries + 1:
			title, to = "A part that is gone", "/Dest (nowhere)"
		}
		objects = append(objects, fmt.Sprintf("<</Title (%s) %s%s>>", title, to, links))
	}
	return hostile.Build(objects...)
}
