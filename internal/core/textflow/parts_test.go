package textflow_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
	"incipit/internal/core/textflow"
)

// beside sets pieces of one line, from some place on: what stands between bars is
// raised and small.
func beside(x, y, size float64, line int, text string) []overlay.Run {
	var out []overlay.Run
	for i, part := range strings.Split(text, "|") {
		if part == "" {
			continue
		}
		r := overlay.Run{Text: part, X: x, Y: y, Size: size, Line: line, Glued: true}
		if i%2 == 1 {
			r.Size, r.Y = 0.65*size, y-0.33*size
		}
		r.Length = float64(len([]rune(r.Text))) * r.Size / 2
		x += r.Length
		out = append(out, r)
	}
	out[len(out)-1].Glued, out[len(out)-1].Break = false, true
	return out
}

func written(blocks []textflow.Block) string {
	return textflow.HTML(blocks, textflow.Setting{Mark: func(int) string { return "" }, Blank: func(int) string { return "" },
		To:     func(page int) string { return fmt.Sprintf("#t%d", page) },
		Image:  func(int) textflow.PageImage { return textflow.PageImage{Address: "page.png", Width: 420, Height: 595} },
		Figure: func(page int) string { return "A picture" }})
}

// Notes stand where they are called, both ways; a power is no call, and small type
// no note.
func TestNotes(t *testing.T) {
	p := page(3, set(40, 60, 10, lapwings...), beside(40, 110, 10, 50, "They eat snails|1| on 4 km|2| of marsh, and others|∗| too."),
		beside(40, 520, 8, 60, "|1|Of the kind that bears no shell."), beside(40, 534, 8, 61, "|∗|Leatherjackets above all."),
		set(40, 560, 8, "Printed by the society at its own press."))
	blocks := textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10})
	got := written(blocks)
	assert.Contains(t, got, `snails<a id="r3-1" href="#n3-1" role="doc-noteref"><sup>1</sup></a> on 4 km<sup>2</sup> of marsh, and others<a id="r3-2" href="#n3-2" role="doc-noteref"><sup>∗</sup></a> too.`)
	assert.Contains(t, got, `<p class="note" id="n3-1" role="doc-footnote" tabindex="-1" dir="ltr"><a href="#r3-1" role="doc-backlink">1</a> Of the kind that bears no shell.</p>`)
	assert.Contains(t, got, `id="n3-2"`)
	assert.Contains(t, got, "<p dir=\"ltr\">Printed by the society")
	// A paragraph goes on over the page, past its notes.
	next := page(4, set(40, 60, 10, "which the wardens had not seen before that winter."))
	open := page(3, set(40, 60, 10, lapwings...), beside(40, 110, 10, 50, "They eat snails|1| of a kind on the marsh at"),
		beside(40, 520, 8, 60, "|1|Of the kind that bears no shell."))
	all := told(textflow.Flow([]textflow.Page{open, next}, textflow.Style{Body: 10}))
	assert.Equal(t, "note 1: Of the kind that bears no shell.", all[len(all)-1])
	assert.Contains(t, all[len(all)-2], "on the marsh at |4|which the wardens")
}

func dotted(x, y float64, title, number string) []overlay.Run {
	text := title + " " + strings.Repeat(". ", (60-len(title))/2) + number
	return []overlay.Run{{Text: text, X: x, Y: y, Size: 10, Length: 340 - (x - 40), Break: true}}
}

// Contents become lists in lists that lead to pages: by the file's own links, by its
// labels, or as the numbers printed on its pages count.
func TestContents(t *testing.T) {
	p := page(2, dotted(40, 60, "1 The marsh", "5"), dotted(60, 76, "1.1 In spring", "6"),
		dotted(60, 92, "1.2 In autumn, when the waders come", "xii"),
		[]overlay.Run{{Text: "2 A chapter whose name is long and takes", X: 40, Y: 108, Size: 10, Length: 300, Break: true}},
		dotted(40, 122, "all of two lines", "9"))
	p.Links = []overlay.Link{{Kind: overlay.ToPage, Page: 8, Box: sheet.Rect{X: 60, Y: 68, W: 200, H: 10}}}
	style := textflow.Style{Body: 10, Printed: true, Away: -2}
	labels := strings.Fields("1 2 3 4 5 6 7 8 9 10 11 12 13 14")
	got := textflow.HTML(textflow.Flow([]textflow.Page{p}, style), textflow.Setting{Mark: func(int) string { return "" },
		To: func(page int) string { return fmt.Sprintf("#t%d", page) }, Printed: func(n string) int { return style.PageOf(n, labels) }})
	assert.Equal(t, `<ul class="contents">
<li dir="ltr"><a href="#t7" data-to="7"><span>1 The marsh</span> <span class="no">5</span></a><ul class="contents">
<li dir="ltr"><a href="#t8" data-to="8"><span>1.1 In spring</span> <span class="no">6</span></a></li>
<li dir="ltr">1.2 In autumn, when the waders come xii</li>
</ul>
</li>
<li dir="ltr"><a href="#t11" data-to="11"><span>2 A chapter whose name is long and takes all of two lines</span> <span class="no">9</span></a></li>
</ul>
`, got)
	assert.Equal(t, 3, textflow.Style{}.PageOf("iii", []string{"i", "ii", "iii", "1"}))
	assert.Zero(t, textflow.Style{}.PageOf("99", labels))
}

// The numbers printed on pages are learned, whatever they begin with.
func TestPrintedNumbersCount(t *testing.T) {
	var pages []textflow.Page
	for n := 1; n <= 6; n++ {
		pages = append(pages, page(n, set(40, 100, 10, lapwings...), set(200, 580, 9, fmt.Sprintf("– %d –", n+40))))
	}
	style := textflow.Learn(pages)
	require.True(t, style.Printed)
	assert.Equal(t, 2, style.PageOf("42", strings.Fields("1 2 3 4 5 6")))
}

func TestListsInLists(t *testing.T) {
	p := page(1, set(40, 60, 10, "• Bring a lamp"), set(60, 74, 10, "– and a spare one", "– and a book to write in"),
		set(40, 102, 10, "• Shut the gate"),
		set(40, 140, 10, "(a) By boat", "(b) On foot"))
	assert.Equal(t, `<ul>
<li dir="ltr">Bring a lamp<ul>
<li dir="ltr">and a spare one</li>
<li dir="ltr">and a book to write in</li>
</ul>
</li>
<li dir="ltr">Shut the gate</li>
</ul>
<ol class="marked">
<li dir="ltr"><span class="marker">(a)</span> By boat</li>
<li dir="ltr"><span class="marker">(b)</span> On foot</li>
</ol>
`, written(textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10})))
}

// A figure stands behind what is above it, with its name; what comes back on page
// after page is none.
func TestFigures(t *testing.T) {
	p := page(5, set(40, 60, 10, lapwings...), set(40, 330, 9, "Figure 2: The scrape in March"), set(40, 380, 10, lapwings...))
	p.Figures = []sheet.Rect{{X: 40, Y: 120, W: 300, H: 190}}
	got := written(textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10, Language: "en"}))
	at := strings.Index(got, "<figure>")
	require.Positive(t, at)
	assert.Contains(t, got, `<svg class="cut" role="img" aria-label="A picture" viewBox="40.0 120.0 300.0 190.0" width="400"><image href="page.png" width="420.00" height="595.00"/></svg><figcaption dir="ltr">Figure 2: The scrape in March</figcaption></figure>`)
	assert.Equal(t, 1, strings.Count(got, "The scrape in March"))
	assert.Contains(t, got[:at], "tide turns")
	assert.Contains(t, got[at:], "Lapwings come")
	logo := sheet.Rect{X: 350, Y: 20, W: 40, H: 40}
	var pages []textflow.Page
	for n := 1; n <= 3; n++ {
		q := page(n, set(40, 100, 10, lapwings...))
		q.Figures = []sheet.Rect{logo}
		pages = append(pages, q)
	}
	assert.NotContains(t, written(textflow.Flow(pages, textflow.Learn(pages))), "<figure")
}

// A displayed formula is a picture with its letters behind it; a sum in a sentence
// is none.
func TestFormulas(t *testing.T) {
	p := page(1, set(40, 60, 10, lapwings...), set(150, 110, 10, "N = ∑ n × (1 − α)"), set(160, 122, 7, "i=1"),
		set(40, 150, 10, "where α ≤ 1 is the share that nobody sees."))
	got := told(textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10}))
	require.Len(t, got, 3)
	assert.Equal(t, "formula: N = ∑ n × (1 − α) i=1", got[1])
}

// No heading lies more than one level below the one before it, whatever sizes a
// document has; one that the outline names lies where the outline has it.
func TestHeadingsSkipNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for range 200 {
		var parts [][]overlay.Run
		y := 40.0
		p := page(1)
		for i := range 12 {
			size := []float64{10, 10, 12, 14, 18, 24}[r.IntN(6)]
			text := fmt.Sprintf("Of the marsh, part %d", i)
			parts = append(parts, set(40, y, size, text))
			if r.IntN(3) == 0 {
				p.Outline = append(p.Outline, textflow.Entry{Title: text, Level: 1 + r.IntN(4)})
			}
			y += 3 * size
		}
		q := page(1, parts...)
		q.Outline = p.Outline
		last := 0
		for _, b := range textflow.Flow([]textflow.Page{q}, textflow.Learn([]textflow.Page{q,
			page(2, set(40, 60, 10, strings.Repeat("words ", 90)))})) {
			if b.Kind == textflow.Heading {
				require.LessOrEqual(t, b.Level, last+1)
				last = b.Level
			}
		}
	}
	p := page(9, set(40, 60, 10, "3.2 The scrape"), set(40, 90, 10, lapwings...))
	p.Outline = []textflow.Entry{{Title: "The scrape", Level: 2}}
	assert.Equal(t, "heading2: |9|3.2 The scrape", told(textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10}))[0])
}

// Lines of uneven size, as a recognised scan has, are text.
func TestARecognisedScanIsText(t *testing.T) {
	var runs []overlay.Run
	for i := range 30 {
		runs = append(runs, set(40, 40+float64(i)*13, 9+0.5*float64(i*7%11),
			fmt.Sprintf("The warden wrote line %d of his book that evening, as", i))...)
	}
	p := page(1, runs)
	for _, line := range told(textflow.Flow([]textflow.Page{p}, textflow.Learn([]textflow.Page{p}))) {
		assert.NotContains(t, line, "heading")
	}
}

func TestLanguage(t *testing.T) {
	for named, want := range map[string]string{"de-AT": "de-AT", "en_GB": "en-GB", "Deutsch": "", "": "", "x": "", "zh-hans": "zh-Hans",
		" fr ": "fr"} {
		assert.Equal(t, want, textflow.Language(named), named)
	}
	texts := map[string]string{
		"de": "Die Kiebitze kommen in der letzten Februarwoche auf die nördliche Wiese und bleiben, bis das Gras zu hoch für sie wird. Sie werden zweimal gezählt, am Morgen und wenn die Flut kommt.",
		"fr": "Les vanneaux arrivent sur la prairie du nord dans la dernière semaine de février et y restent jusqu’à ce que l’herbe devienne trop haute. On les compte deux fois, à l’aube et à la marée.",
		"pl": "Czajki przylatują na północną łąkę w ostatnim tygodniu lutego i pozostają, dopóki trawa nie będzie dla nich za wysoka. Liczy się je dwa razy, o świcie i gdy nadchodzi przypływ.",
		"ja": "タゲリは二月の最後の週に北の湿地に来て、草が高くなりすぎるまでとどまります。夜明けと潮が変わるときに二度数えられます。",
		"he": "הקיוויות מגיעות אל האחו הצפוני בשבוע האחרון של פברואר ונשארות עד שהעשב גבוה מדי בשבילן. סופרים אותן פעמיים, עם שחר וכאשר הגאות משתנה, בכל שנה מחדש.",
	}
	for want, text := range texts {
		assert.Equal(t, want, textflow.Detected(text))
	}
	assert.Empty(t, textflow.Detected("Nr. 12"), "too little to tell: nothing is taken for English")
	p := page(1, set(40, 60, 10, lapwings...), set(40, 160, 10, strings.Fields(strings.ReplaceAll(texts["de"], ", ", ",\n"))[0]+" "+
		texts["de"]))
	blocks := textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10, Language: "en"})
	for _, b := range blocks {
		assert.Equal(t, strings.Contains(b.Text, "Kiebitze"), b.Language == "de", b.Text)
	}
	assert.Equal(t, "rtl", textflow.Direction("PDF: "+texts["he"]))
}

// Figures in columns that hold over three rows are a table; lines that happen to
// stand apart are none.
func TestTablesHoldTheirColumns(t *testing.T) {
	p := page(1, row(60, "Bird", "March", "May"), row(74, "Lapwing", "41", "7"), row(88, "Knot", "5", "0"))
	assert.Contains(t, told(textflow.Flow([]textflow.Page{p}, textflow.Style{Body: 10}))[0], "table: ")
	q := page(1, []overlay.Run{{Text: "One of them", X: 40, Y: 60, Size: 10, Length: 60, Line: 1},
		{Text: "there", X: 140, Y: 60, Size: 10, Length: 30, Line: 2, Break: true},
		{Text: "Another one here", X: 40, Y: 74, Size: 10, Length: 110, Line: 3},
		{Text: "and", X: 190, Y: 74, Size: 10, Length: 20, Line: 4, Break: true},
		{Text: "A", X: 40, Y: 88, Size: 10, Length: 5, Line: 5}, {Text: "third that runs over all the others", X: 70, Y: 88, Size: 10,
			Length: 200, Line: 6, Break: true}})
	for _, line := range told(textflow.Flow([]textflow.Page{q}, textflow.Style{Body: 10})) {
		assert.NotContains(t, line, "table: ")
	}
}
