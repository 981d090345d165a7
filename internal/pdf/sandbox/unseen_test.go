package sandbox

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/find"
	"incipit/internal/core/overlay"
	"incipit/internal/core/scanned"
	"incipit/internal/core/sheet"
	"incipit/internal/pdf"
	"incipit/internal/testkit/hostile"
	"incipit/internal/testkit/pace"
)

// somehow is a file of blank pages as others build them: turned, cropped, in other units,
// what holds for them said further up or by other objects, and content that leaves its
// state behind.
func somehow(r *rand.Rand, pages int) []byte {
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "", "<</Font 4 0 R>>", "<</F 5 0 R>>",
		"<</Type /Font /Subtype /Type1 /BaseFont /Helvetica>>", hostile.Stream("", "q 3 0 0 3 40 -20 cm q 0.9 g"), "[6 0 R 6 0 R]"}
	var kids []string
	for range pages {
		kids = append(kids, fmt.Sprintf("%d 0 R", len(objects)+1))
		left, bottom := r.IntN(300)-150, r.IntN(300)-150
		page := fmt.Sprintf("<</Type /Page /Parent 2 0 R /MediaBox [%d %d %d %d] /Rotate %d", left-r.IntN(40), bottom-r.IntN(40), left+640, bottom+840, r.IntN(4)*90)
		page += fmt.Sprintf(" /CropBox [%d %d %d %d]", left, bottom, left+600, bottom+800)
		if r.IntN(3) == 0 {
			page += " /UserUnit 2"
		}
		page += []string{"", " /Contents 6 0 R", " /Contents 7 0 R", " /Contents [6 0 R]"}[r.IntN(4)]
		page += []string{"", " /Resources 3 0 R", " /Resources <</Font <</F 5 0 R /IncipitUnseen 5 0 R>>>>"}[r.IntN(3)]
		objects = append(objects, page+">>")
	}
	objects[1] = fmt.Sprintf("<</Type /Pages /Kids [%s] /Count %d /Resources 3 0 R>>", strings.Join(kids, " "), pages)
	return hostile.Build(objects...)
}

// Whatever a page is like, the words that are written on it are read back: all of them, in
// their order, where they stood.
func TestTextThatIsNotSeenIsRead(t *testing.T) {
	pace.Unraced(t)
	words := [][]string{{"Knot", "and", "Dunlin", "12,400", "Öland", "Größe", "čejka", "by", "Чайка", "Γλάρος"}, {"שלום", "צפור", "אגם"}, {"鴫", "干潟の鳥"}}
	for seed := range uint64(12) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			r := rand.New(rand.NewPCG(seed, 2))
			b := somehow(r, 4)
			d := reading(t, b)
			texts := map[int][]scanned.Line{}
			for page := 1; page <= 4; page++ {
				angle := float64(r.IntN(4)*90) + r.Float64()*3 - 1.5
				if angle < 0 {
					angle += 360
				}
				for i := range 3 {
					at := float64(150 + i*90)
					l := scanned.Line{X: at, Y: at + 40, Angle: angle, Size: 8 + r.Float64()*12}
					along, words := 0.0, words[max(0, r.IntN(8)-5)]
					for range 1 + r.IntN(4) {
						w := words[r.IntN(len(words))]
						length := float64(len([]rune(w))) * l.Size * (0.4 + r.Float64()*0.3)
						l.Words = append(l.Words, scanned.Word{Text: w, At: along, Length: length, Sure: 90})
						along += length + l.Size*0.3
					}
					texts[page] = append(texts[page], l)
				}
			}
			addition, err := d.amended(pdf.Said{Texts: texts})
			require.NoError(t, err)
			after := reading(t, slices.Concat(b, addition))
			after.units = d.objects().Units() // as the facts of an edition have them
			for page, lines := range texts {
				layer, err := after.layer(page)
				require.NoError(t, err)
				assert.False(t, slices.ContainsFunc(layer.Runs, func(r overlay.Run) bool { return r.Fixed || r.Bold || r.Italic }), "it looks like no code")
				text := find.Of(layer.Runs)
				plain := text.Plain()
				for _, l := range lines {
					for _, w := range l.Words {
						q, err := find.Ask(w.Text, find.Options{Exact: true, WholeWord: w.Text[0] < 0xE0})
						require.NoError(t, err)
						var boxes []sheet.Rect
						for _, hit := range q.In(plain) {
							boxes = append(boxes, text.Boxes(hit)...)
						}
						assert.True(t, slices.ContainsFunc(boxes, func(r sheet.Rect) bool { return stands(r, l, w) }), "page %d: %q of %+v in %v", page, w.Text, l, boxes)
					}
				}
				assert.Len(t, []rune(strings.Join(strings.Fields(plain), "")), letters(lines), "page %d: %q", page, plain)
			}
		})
	}
}

func letters(lines []scanned.Line) (n int) {
	for _, l := range lines {
		for _, w := range l.Words {
			n += len([]rune(w.Text))
		}
	}
	return n
}

// stands says whether the middle of a word's baseline lies in a box, or as far beside it as
// letters hang below.
func stands(r sheet.Rect, l scanned.Line, w scanned.Word) bool {
	sin, cos := math.Sincos(l.Angle * math.Pi / 180)
	x, y := l.X+(w.At+w.Length/2)*cos, l.Y+(w.At+w.Length/2)*sin
	slack := 0.3 * l.Size
	return x >= r.X-slack && x <= r.X+r.W+slack && y >= r.Y-slack && y <= r.Y+r.H+slack
}
