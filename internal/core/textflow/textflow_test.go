package textflow_test

import (
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
	"incipit/internal/core/textflow"
)

// set gives lines of text as an engine reads them: letters half an em wide, each
// line 1.3 em below the one before. A line that begins with "> " is set in by
// 2 em; one that ends with "~" is divided there.
func set(x, y, size float64, lines ...string) []overlay.Run {
	var out []overlay.Run
	for _, text := range lines {
		at := x
		if rest, in := strings.CutPrefix(text, "> "); in {
			text, at = rest, x+2*size
		}
		if rest, cut := strings.CutSuffix(text, "~"); cut {
			text = rest + string(overlay.SoftHyphen)
		}
		out = append(out, overlay.Run{Text: text, X: at, Y: y, Size: size, Length: float64(utf8.RuneCountInString(text)) * size / 2, Break: true})
		y += 1.3 * size
	}
	return out
}

func page(number int, parts ...[]overlay.Run) textflow.Page {
	p := textflow.Page{Number: number, Label: fmt.Sprint(number), Width: 420, Height: 595}
	for _, runs := range parts {
		p.Runs = append(p.Runs, runs...)
	}
	return p
}

// told writes blocks as lines: the kind, and what is in them. A page mark is
// |number|.
func told(blocks []textflow.Block) []string {
	var out []string
	for _, b := range blocks {
		text := []rune(b.Text)
		for i := len(b.Marks) - 1; i >= 0; i-- {
			m := b.Marks[i]
			text = append(text[:m.At:m.At], append([]rune(fmt.Sprintf("|%d|", m.Page)), text[m.At:]...)...)
		}
		line := string(b.Kind)
		if b.Level > 0 {
			line += fmt.Sprint(b.Level)
		}
		if b.Marker != "" {
			line += " " + b.Marker
		}
		line += ": " + string(text)
		for _, row := range b.Rows {
			var cells []string
			for _, c := range row {
				if c.Head {
					c.Text = "*" + c.Text
				}
				cells = append(cells, c.Text)
			}
			line += "[" + strings.Join(cells, " / ") + "]"
		}
		out = append(out, line)
	}
	return out
}

func flow(pages ...textflow.Page) []string {
	return told(textflow.Flow(pages, textflow.Learn(pages)))
}

// lapwings is a paragraph that fills its lines.
var lapwings = []string{
	"Lapwings come to the north scrape in the last week of",
	"February and stay until the grass is too tall for them.",
	"They are counted twice, at dawn and when the tide turns.",
}

func TestPagesWithoutTags(t *testing.T) {
	for _, c := range []struct {
		name  string
		pages []textflow.Page
		want  []string
	}{
		{"lines become a paragraph", []textflow.Page{page(1, set(50, 100, 10, lapwings...))},
			[]string{"paragraph: |1|" + strings.Join(lapwings, " ")}},
		{"larger leading parts paragraphs", []textflow.Page{page(1, set(50, 100, 10, lapwings...),
			set(50, 160, 10, "Rain is no reason to stay at home."))},
			[]string{"paragraph: |1|" + strings.Join(lapwings, " "), "paragraph: Rain is no reason to stay at home."}},
		{"an indent parts paragraphs", []textflow.Page{page(1, set(50, 100, 10,
			append(append([]string{}, lapwings...), "> A second paragraph begins with a step to the side, as",
				"in most books that were set by hand and by machine alike.")...))},
			[]string{"paragraph: |1|" + strings.Join(lapwings, " "), "paragraph: A second paragraph begins with a step to the side, as in most books that were set by hand and by machine alike."}},
		{"a short last line ends one", []textflow.Page{page(1, set(50, 100, 10, lapwings[0], "the year.", lapwings[1], lapwings[2]))},
			[]string{"paragraph: |1|" + lapwings[0] + " the year.", "paragraph: " + lapwings[1] + " " + lapwings[2]}},
		{"larger type is a heading, by its size", []textflow.Page{page(1, set(50, 80, 20, "The marsh"),
			set(50, 120, 14, "Lapwings", "and other waders"), set(50, 180, 10, lapwings...))},
			[]string{"heading1: |1|The marsh", "heading2: Lapwings and other waders", "paragraph: " + strings.Join(lapwings, " ")}},
		{"bold lines in light text are headings below them", []textflow.Page{page(1, bold(set(50, 100, 10, "Where to stand")),
			set(50, 118, 10, lapwings...))},
			[]string{"heading1: |1|Where to stand", "paragraph: " + strings.Join(lapwings, " ")}},
		{"a bold sentence is none", []textflow.Page{page(1, bold(set(50, 100, 10, "Never enter the scrape.")), set(50, 160, 10, lapwings...))},
			[]string{"paragraph: |1|Never enter the scrape.", "paragraph: " + strings.Join(lapwings, " ")}},
		{"bullets hang", []textflow.Page{page(1, set(50, 100, 10, "• a telescope, or", "> the loan of one", "• the tide table"),
			set(50, 170, 10, lapwings...))},
			[]string{"item •: |1|a telescope, or the loan of one", "item •: the tide table", "paragraph: " + strings.Join(lapwings, " ")}},
		{"numbers count where there are two", []textflow.Page{page(1, set(50, 100, 10, "1. Sign the book.", "2. Take the key."),
			set(50, 150, 10, lapwings...))},
			[]string{"item 1.: |1|Sign the book.", "item 2.: Take the key.", "paragraph: " + strings.Join(lapwings, " ")}},
		{"a year at the beginning of a line is no item", []textflow.Page{page(1,
			set(50, 100, 10, lapwings[0], "12. March is the latest date that was ever written down", lapwings[2]))},
			[]string{"paragraph: |1|" + lapwings[0] + " 12. March is the latest date that was ever written down " + lapwings[2]}},
		{"a divided word is one", []textflow.Page{page(1, set(50, 100, 10, "Whoever counts from the hide notes the wind and the ob~",
			"servers who are present, by name and by their initials."))},
			[]string{"paragraph: |1|Whoever counts from the hide notes the wind and the observers who are present, by name and by their initials."}},
		{"a hyphen that belongs to its word stays", []textflow.Page{page(1,
			set(50, 100, 10, "High water of a spring tide covers the path to the hide", "and so the gate is locked for two hours at each spring~",
				"tide, by whoever has the key and is the last to go out."))},
			[]string{"paragraph: |1|High water of a spring tide covers the path to the hide and so the gate is locked for two hours at each spring-tide, by whoever has the key and is the last to go out."}},
		{"rows of cells are a table, words over figures its head", []textflow.Page{page(1, row(100, "Bird", "March", "April"),
			row(114, "Lapwing", "41", "12"), row(128, "Redshank", "9", "30"))},
			[]string{"table: |1|[*Bird / *March / *April][Lapwing / 41 / 12][Redshank / 9 / 30]"}},
		{"two columns are read one after the other, below the line across", []textflow.Page{page(1,
			set(50, 70, 10, "Where the knot went: counts of six winters at Harrowmere, summed up"),
			set(50, 110, 8, "The first column speaks of the", "autumn, when knot come in from", "the north and settle on the mud",
				"for as long as it does not freeze"),
			set(220, 110, 8, "and the second one of the months", "after that, when all the flocks", "have moved to the estuary in the",
				"south, where there is open water."))},
			[]string{"heading1: |1|Where the knot went: counts of six winters at Harrowmere, summed up",
				"paragraph: The first column speaks of the autumn, when knot come in from the north and settle on the mud for as long as it does not freeze and the second one of the months after that, when all the flocks have moved to the estuary in the south, where there is open water."}},
		{"turned text stands by itself, after the rest", []textflow.Page{page(1, turned(30, 200, 90, "Seen from the tower"),
			set(50, 100, 10, lapwings...))},
			[]string{"paragraph: |1|" + strings.Join(lapwings, " "), "paragraph: Seen from the tower"}},
		{"a page without text is one", []textflow.Page{page(1, set(50, 100, 10, lapwings...)), page(2), page(3, set(50, 100, 10, lapwings...))},
			[]string{"paragraph: |1|" + strings.Join(lapwings, " "), "empty: |2|", "paragraph: |3|" + strings.Join(lapwings, " ")}},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, flow(c.pages...)) })
	}
}

func bold(runs []overlay.Run) []overlay.Run {
	for i := range runs {
		runs[i].Bold = true
	}
	return runs
}

// row gives cells that stand 100 points apart on one line.
func row(y float64, cells ...string) []overlay.Run {
	var out []overlay.Run
	for i, c := range cells {
		r := set(50+100*float64(i), y, 10, c)
		r[0].Break = i == len(cells)-1
		out = append(out, r...)
	}
	return out
}

func turned(x, y, angle float64, text string) []overlay.Run {
	r := set(x, y, 10, text)
	r[0].Angle = angle
	return r
}

// Whatever direction an engine gives, the text is there.
func TestDirectionsOfAllKinds(t *testing.T) {
	for _, angle := range []float64{-90, -1, 44, 46, 359, 360, 450} {
		assert.Equal(t, []string{"paragraph: |1|Seen from the tower"}, flow(page(1, turned(200, 300, angle, "Seen from the tower"))),
			"%g degrees", angle)
	}
}

func TestFurnitureIsDropped(t *testing.T) {
	var pages []textflow.Page
	for n := 1; n <= 4; n++ {
		p := page(n, set(50, 30, 8, "Volunteer handbook"), set(50, 200, 10, lapwings...),
			set(200, 580, 8, []string{"", "i", "ii", "iii", "iv"}[n]))
		p.Label = []string{"", "i", "ii", "iii", "iv"}[n]
		pages = append(pages, p)
	}
	pages[2].Runs = append(pages[2].Runs, set(50, 560, 8, "A note that stands on this page alone")...)
	style := textflow.Learn(pages)
	assert.Equal(t, 10.0, style.Body)
	got := told(textflow.Flow(pages, style))
	assert.Equal(t, []string{
		"paragraph: |1|Volunteer handbook", "paragraph: " + strings.Join(lapwings, " "), "paragraph: |2|" + strings.Join(lapwings, " "),
		"paragraph: |3|" + strings.Join(lapwings, " "), "paragraph: A note that stands on this page alone", "paragraph: |4|" +
			strings.Join(lapwings, " "),
	}, got, "a running head is shown once")
	assert.Empty(t, style.Dropped(pages[0])[1:])
	assert.Equal(t, []string{"Volunteer handbook", "iii"}, style.Dropped(pages[2]))
	// Two pages tell nothing, nor do headings that count, nor heads at other heights.
	assert.Empty(t, textflow.Learn(pages[:2]).Edges)
	var chapters []textflow.Page
	for n := 1; n <= 4; n++ {
		chapters = append(chapters, page(5*n, set(50, 30, 10, fmt.Sprintf("Chapter %d", n)), set(50, 60+float64(9*n), 8, "Tides"),
			set(50, 200, 10, lapwings...)))
	}
	assert.Empty(t, textflow.Learn(chapters).Edges)
}

// What the end of a page cuts goes on, with the mark of the page in it.
func TestAParagraphGoesOnOverThePage(t *testing.T) {
	for _, c := range []struct{ last, next, want string }{
		{"and whoever comes late waits at the gate until the", "warden opens it again.",
			"and whoever comes late waits at the gate until the |2|warden opens it again."},
		{"and whoever comes late waits at the gate for the war~", "den, who opens it again.",
			"and whoever comes late waits at the gate for the war|2|den, who opens it again."},
	} {
		got := flow(page(1, set(50, 400, 10, lapwings[0], c.last)), page(2, set(50, 100, 10, c.next)))
		assert.Equal(t, []string{"paragraph: |1|" + lapwings[0] + " " + c.want}, got)
	}
	got := flow(page(1, set(50, 400, 10, lapwings[0], "the year.")), page(2, set(50, 100, 10, "Redshanks nest in April.")))
	assert.Equal(t, []string{"paragraph: |1|" + lapwings[0] + " the year.", "paragraph: |2|Redshanks nest in April."}, got,
		"a sentence that ended does not")
}

// A language from right to left has its right column first; vertical lines go
// from right to left.
func TestOtherDirections(t *testing.T) {
	hebrew := "ספירת הציפורים בביצה"
	r := overlay.Run{Text: hebrew, X: 250, Y: 100, Size: 10, Length: 100, Break: true}
	l := overlay.Run{Text: "נעשית עם שחר", X: 150, Y: 100, Size: 10, Length: 95}
	assert.Equal(t, []string{"paragraph: |1|" + hebrew + " נעשית עם שחר"}, flow(page(1, []overlay.Run{l, r})))

	first := overlay.Run{Text: "干潟の", X: 300, Y: 60, Size: 12, Length: 36, Angle: 90, Upright: true, Break: true}
	second := overlay.Run{Text: "観察", X: 280, Y: 60, Size: 12, Length: 24, Angle: 90, Upright: true, Break: true}
	assert.Equal(t, []string{"paragraph: |1|干潟の観察"}, flow(page(1, []overlay.Run{second, first})))
}

// in puts runs into a block.
func in(block int, runs []overlay.Run) []overlay.Run {
	for i := range runs {
		runs[i].Block = block
	}
	return runs
}

func TestTagsAreFollowed(t *testing.T) {
	// The structure has another order than the page.
	p := page(1, in(2, set(50, 100, 10, lapwings...)), in(1, set(50, 300, 10, "The marsh")),
		in(3, set(50, 400, 10, "1. Sign the book,")), in(4, set(50, 413, 10, "all of you.")), in(5, set(50, 430, 10, "2. Take the key.")),
		in(6, row(450, "Bird")), in(7, row(450, "March")), in(8, row(464, "Lapwing")), in(9, row(464, "41")))
	p.Blocks = []overlay.Block{
		{Kind: overlay.Heading, Level: 2}, {Kind: overlay.Paragraph, Language: "en-GB"},
		{Kind: overlay.Item, ItemOf: 1}, {Kind: overlay.Paragraph, ItemOf: 1}, {Kind: overlay.Item, ItemOf: 2},
		{Kind: overlay.HeadCell, Table: 1, Row: 1}, {Kind: overlay.HeadCell, Table: 1, Row: 1}, {Kind: overlay.Cell, Table: 1, Row: 2},
		{Kind: overlay.Cell, Table: 1, Row: 2},
		{Kind: overlay.Picture, Alternative: "A lapwing on its nest"},
	}
	want := []string{"heading1: |1|The marsh", "paragraph: " + strings.Join(lapwings, " "), "item 1.: Sign the book, all of you.",
		"item 2.: Take the key.",
		"table: [*Bird / *March][Lapwing / 41]", "picture: A lapwing on its nest"}
	assert.Equal(t, want, flow(p))

	var order []string
	for _, r := range textflow.InOrder(p) {
		order = append(order, r.Text)
	}
	assert.Equal(t, "The marsh", order[0])
	assert.Len(t, order, len(p.Runs), "nothing is left out")

	// Tags that hold little of the text are not the page's structure.
	p.Blocks = p.Blocks[:1]
	assert.NotEqual(t, want[0], flow(p)[0])
}

func TestInOrderLeavesNothingOut(t *testing.T) {
	p := page(1, set(50, 300, 10, "last"), row(100, "first", "second"), turned(20, 300, 270, "aside"), set(50, 200, 10, "third"))
	var got []string
	for _, r := range textflow.InOrder(p) {
		got = append(got, r.Text)
	}
	assert.Equal(t, []string{"first", "second", "third", "last", "aside"}, got)
	assert.Empty(t, textflow.InOrder(page(2)))
}

func TestHTML(t *testing.T) {
	setting := textflow.Setting{Language: "en",
		Mark:  func(n int) string { return fmt.Sprintf("<i>%d</i>", n) },
		Blank: func(int) string { return "blank" },
	}
	for _, c := range []struct {
		name  string
		block textflow.Block
		want  string
	}{
		{"a mark inside a word", textflow.Block{Kind: textflow.Paragraph, Text: "warden", Marks: []textflow.Mark{{At: 3, Page: 2}}},
			`<p dir="ltr">war<i>2</i>den</p>`},
		{"what a file says is escaped", textflow.Block{Kind: textflow.Paragraph, Text: `<b onclick="x">&`, Language: `x"y`},
			`<p dir="ltr" lang="x&#34;y">&lt;b onclick=&#34;x&#34;&gt;&amp;</p>`},
		{"its own language is not said again", textflow.Block{Kind: textflow.Paragraph, Text: "a", Language: "EN"}, `<p dir="ltr">a</p>`},
		{"headings begin below the name", textflow.Block{Kind: textflow.Heading, Level: 1, Text: "a"}, `<h2 dir="ltr">a</h2>`},
		{"and end at 6", textflow.Block{Kind: textflow.Heading, Level: 9, Text: "a"}, `<h6 dir="ltr">a</h6>`},
		{"a bullet's list", textflow.Block{Kind: textflow.Item, Marker: "•", Text: "a"}, "<ul>\n<li dir=\"ltr\">a</li>\n</ul>"},
		{"a number's list counts as the page does", textflow.Block{Kind: textflow.Item, Marker: "07.", Text: "a"},
			"<ol>\n<li dir=\"ltr\" value=\"7\">a</li>\n</ol>"},
		{"other marks stand as they are", textflow.Block{Kind: textflow.Item, Marker: "(b)", Text: "a"},
			"<ol class=\"marked\">\n<li dir=\"ltr\"><span class=\"marker\">(b)</span> a</li>\n</ol>"},
		{"from right to left", textflow.Block{Kind: textflow.Paragraph, Text: "PDF به فارسی است"}, `<p dir="rtl">PDF به فارسی است</p>`},
		{"raised and lowered", textflow.Block{Kind: textflow.Paragraph, Text: "km2 H2O",
			Spans: []textflow.Span{{From: 2, To: 3, Raised: true}, {From: 5, To: 6, Lowered: true}}},
			`<p dir="ltr">km<sup>2</sup> H<sub>2</sub>O</p>`},
		{"from 0, too", textflow.Block{Kind: textflow.Item, Marker: "0.", Text: "a"}, "<ol>\n<li dir=\"ltr\" value=\"0\">a</li>\n</ol>"},
		{"an empty head is a cell", textflow.Block{Kind: textflow.Table,
			Rows: [][]textflow.CellText{{{Text: "", Head: true}, {Text: "<", Head: true}}}},
			"<div class=\"table\"><table>\n<tr><td dir=\"auto\"></td><th dir=\"auto\" scope=\"col\">&lt;</th></tr>\n</table></div>"},
		{"a page without text", textflow.Block{Kind: textflow.Empty, Page: 4}, `<p class="blank"><i>4</i>blank</p>`},
		{"a mark beyond the text stands at its end", textflow.Block{Kind: textflow.Paragraph, Text: "a",
			Marks: []textflow.Mark{{At: 9, Page: 3}}}, `<p dir="ltr">a<i>3</i></p>`},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.want+"\n", textflow.HTML([]textflow.Block{c.block}, setting))
		})
	}
	// One list ends where another kind begins.
	got := textflow.HTML([]textflow.Block{{Kind: textflow.Item, Marker: "•", Text: "a"}, {Kind: textflow.Item, Marker: "1.", Text: "b"},
		{Kind: textflow.Paragraph, Text: "c"}}, setting)
	require.Equal(t, 1, strings.Count(got, "<ul>"))
	assert.Less(t, strings.Index(got, "</ul>"), strings.Index(got, "<ol>"))
	assert.Less(t, strings.Index(got, "</ol>"), strings.Index(got, "<p "))
}

// Whatever text stands wherever, all of it comes out, escaped.
func FuzzFlow(f *testing.F) {
	f.Add("Lapwings come", 50.0, 100.0, 10.0, 0.0, 0)
	f.Add("1. <b>", -50.0, 1e9, 0.0, -90.0, 1)
	f.Fuzz(func(t *testing.T, text string, x, y, size, angle float64, block int) {
		r := overlay.Run{Text: text, X: x, Y: y, Size: size, Length: size * 3, Angle: angle, Break: true, Block: block}
		p := page(1, set(50, 200, 10, lapwings...), []overlay.Run{r, r})
		p.Blocks = []overlay.Block{{Kind: overlay.Paragraph}}
		assert.Len(t, textflow.InOrder(p), len(p.Runs))
		got := textflow.HTML(textflow.Flow([]textflow.Page{p}, textflow.Learn([]textflow.Page{p})),
			textflow.Setting{Mark: func(int) string { return "" }, Blank: func(int) string { return "" }})
		assert.NotContains(t, got, "<b>")
	})
}

// What stands out in a paragraph and what leads somewhere is kept, over the ends of
// lines and pages; what is bold as a whole does not stand out.
func TestSpans(t *testing.T) {
	lines := set(50, 200, 10, lapwings...)
	lines[1].Bold = true
	lines[2].Italic = true
	for i, r := range lines {
		for k := range utf8.RuneCountInString(r.Text) {
			lines[i].Places = append(lines[i].Places, float64(k)*5, 5)
		}
	}
	p := page(1, lines)
	p.Links = []overlay.Link{
		{Kind: overlay.ToWeb, Address: "https://harrowmere.example/lapwing", Box: sheet.Rect{X: 49, Y: 190, W: 46, H: 14}},
		{Kind: overlay.ToPage, Page: 7, Box: sheet.Rect{X: 50, Y: 204, W: 40, H: 12}},
	}
	setting := textflow.Setting{Mark: func(int) string { return "" }, Blank: func(int) string { return "" },
		To: func(page int) string { return fmt.Sprintf("#t%d", page) }}
	got := textflow.HTML(textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10}), setting)
	assert.Equal(t, `<p dir="ltr" lang="en"><a href="https://harrowmere.example/lapwing" target="_blank" rel="noopener noreferrer">Lapwings </a>come to the north scrape in the last week of `+
		`<a href="#t7" data-to="7"><b>February</b></a><b> and stay until the grass is too tall for them.</b> <i>They are counted twice, at dawn and when the tide turns.</i></p>`+"\n", got)
	for i := range p.Runs {
		p.Runs[i].Bold, p.Runs[i].Italic = true, false
	}
	p.Links = nil
	got = textflow.HTML(textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10, Bold: true}), setting)
	assert.NotContains(t, got, "<b>")
	// An address that a file may not send readers to leads nowhere.
	bad := textflow.HTML([]textflow.Block{{Kind: textflow.Paragraph, Text: "x<y",
		Spans: []textflow.Span{{From: 0, To: 3, Address: "javascript:alert(1)"}}}}, setting)
	assert.Equal(t, "<p dir=\"ltr\">x&lt;y</p>\n", bad)
}

// A structure that leaves out more than two words in a hundred is not followed, and
// counted; what the file calls decoration counts as none.
func TestAStructureThatLeavesTextOut(t *testing.T) {
	tagged := func(outside string, block int) textflow.Page {
		lines := set(50, 200, 10, lapwings...)
		for i := range lines {
			lines[i].Block = 1
		}
		extra := set(50, 300, 10, outside)
		extra[0].Block = block
		p := page(1, lines, extra)
		p.Blocks = []overlay.Block{{Kind: overlay.Heading, Level: 1}}
		return p
	}
	for _, c := range []struct {
		outside string
		block   int
		untold  int
	}{{"a", 0, 0}, {"Redshanks nest in April.", 0, 1}, {"Redshanks nest in April.", overlay.Decoration, 0}} {
		p := tagged(c.outside, c.block)
		assert.Equal(t, c.untold, textflow.Learn([]textflow.Page{p}).Untold, c.outside)
		got := strings.Join(flow(p), "\n")
		assert.Contains(t, got, c.outside, "it is shown in any case")
		assert.Equal(t, c.untold == 0, strings.HasPrefix(got, "heading"), c.outside)
	}
}

// Lines whose characters are all of one width stand as they are.
func TestCodeStandsAsItIs(t *testing.T) {
	fixed := func(x, y float64, text string) []overlay.Run {
		return []overlay.Run{{Text: text, X: x, Y: y, Size: 10, Length: 6 * float64(len(text)), Fixed: true, Break: true}}
	}
	p := page(1, set(50, 100, 10, lapwings...), fixed(60, 150, "for bird in marsh {"), fixed(84, 162, "count(bird)"), fixed(60, 174, "}"),
		fixed(60, 186, "a"), fixed(120, 186, "// ten cells on"), set(50, 210, 10, lapwings...))
	got := flow(p)
	require.Len(t, got, 3)
	assert.Equal(t, "code: for bird in marsh {\n    count(bird)\n}\na         // ten cells on", got[1])
	out := textflow.HTML([]textflow.Block{{Kind: textflow.Code, Text: "a <b>"}}, textflow.Setting{})
	assert.Equal(t, "<pre dir=\"ltr\"><code>a &lt;b&gt;</code></pre>\n", out)
}
