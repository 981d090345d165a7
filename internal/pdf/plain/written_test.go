package plain_test

import (
	"bytes"
	"compress/zlib"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/pdf/plain"
	"incipit/internal/testkit/hostile"
)

// written writes objects, the first of which is the catalog, with a cross-reference
// stream whose rows are predicted, and every second object in an object stream
// (ISO 32000-2, 7.5.7 and 7.5.8).
func written(objects []string, predictor int) []byte {
	var b bytes.Buffer
	b.WriteString("%PDF-1.7\n")
	deflated := func(data []byte) string {
		var out bytes.Buffer
		z := zlib.NewWriter(&out)
		_, _ = z.Write(data)
		_ = z.Close()
		return out.String()
	}
	n := len(objects)
	rows := make([][3]int, n+3)
	rows[0] = [3]int{0, 0, 65535}
	var heads, bodies strings.Builder
	inside := 0
	for i, o := range objects {
		if i%2 == 0 || strings.Contains(o, "stream") {
			rows[i+1] = [3]int{1, b.Len(), 0}
			fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", i+1, o)
			continue
		}
		rows[i+1] = [3]int{2, n + 1, inside}
		inside++
		fmt.Fprintf(&heads, "%d %d ", i+1, bodies.Len())
		bodies.WriteString(o + "\n")
	}
	rows[n+1] = [3]int{1, b.Len(), 0}
	fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", n+1, hostile.Stream(fmt.Sprintf("/Type /ObjStm /Filter /FlateDecode /N %d /First %d", inside,
		heads.Len()), deflated([]byte(heads.String()+bodies.String()))))
	at := b.Len()
	rows[n+2] = [3]int{1, at, 0}
	var plainRows []byte
	before := make([]byte, 6)
	for _, r := range rows {
		row := []byte{byte(r[0]), byte(r[1] >> 16), byte(r[1] >> 8), byte(r[1]), byte(r[2] >> 8), byte(r[2])}
		if predictor > 1 {
			plainRows = append(plainRows, 2) // up
			for k := range row {
				plainRows = append(plainRows, row[k]-before[k])
			}
			copy(before, row)
			continue
		}
		plainRows = append(plainRows, row...)
	}
	fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\nstartxref\n%d\n%%%%EOF\n", n+2,
		hostile.Stream(fmt.Sprintf("/Type /XRef /W [1 3 2] /Size %d /Root 1 0 R /Filter /FlateDecode /DecodeParms <</Predictor %d /Columns 6>>",
			n+3, predictor), deflated(plainRows)), at)
	return b.Bytes()
}

// booklet is a file whose parts are known: five pages with inherited boxes, labels
// in three styles, an outline that leads to each kind of place, links, and how it
// wants to be opened.
func booklet() []string {
	return []string{
		`<</Type /Catalog /Pages 2 0 R /Outlines 9 0 R /PageMode /UseOutlines /PageLayout /TwoPageRight /OpenAction [5 0 R /XYZ null 300 1.5]
		  /ViewerPreferences <</Direction /R2L /DisplayDocTitle true>> /Names <</Dests 15 0 R>>
		  /PageLabels <</Nums [0 <</S /r>> 2 <</S /D /P (A-) /St 7>> 4 <</S /a /St 27>>]>>>>`,
		"<</Type /Pages /Kids [3 0 R 4 0 R] /Count 5 /MediaBox [0 0 600 800]>>",
		"<</Type /Pages /Parent 2 0 R /Kids [5 0 R 6 0 R] /Count 2 /Rotate 90 /CropBox [500 700 100 -50]>>",
		"<</Type /Pages /Parent 2 0 R /Kids [7 0 R 8 0 R 14 0 R] /Count 3>>",
		"<</Type /Page /Parent 3 0 R>>",
		"<</Type /Page /Parent 3 0 R /Rotate -90>>",
		`<</Type /Page /Parent 4 0 R /UserUnit 2 /Annots [<</Subtype /Link /Rect [10 20 30 40] /Dest (tide)>> <</Subtype /Text /Rect [0 0 1 1]>>
		  <</Subtype /Link /Rect [30 20 10 40] /A <</S /URI /URI (https://harrowmere.example/)>>>> <</Subtype /Link /Rect [1 1 2 2] /A <</S /GoToR /F (other.pdf) /D [0 /Fit]>>>>
		  <</Subtype /Link /Rect [1 1 2 2] /Dest (nothing of that name)>>]>>`,
		"<</Type /Page /Parent 4 0 R /CropBox [0 0 0 0]>>",
		"<</First 10 0 R>>",
		"<</Title (Spring) /Dest [7 0 R /XYZ 0 700 0] /Next 11 0 R /First 12 0 R /Count -1>>",
		"<</Title <FEFF6E7F5730> /A <</S /GoTo /D (tide)>> /Next 13 0 R>>",
		"<</Title (Below \\215it\\216) /Dest [8 0 R /FitR 10 20 110 220]>>",
		"<</Title (Elsewhere) /A <</S /GoToR /F (other.pdf) /D [0 /Fit]>> /Next 16 0 R>>",
		"<</Type /Page /Parent 4 0 R>>",
		"<</Kids [<</Names [(a) [5 0 R /Fit] (tide) <</D [14 0 R /FitH 123]>>]>>]>>",
		"<</Title (Nowhere) /Dest (gone) /Next 10 0 R>>",
	}
}

// However a file is written, the same is read out of it.
func TestEveryWayOfWriting(t *testing.T) {
	set := func(v float64) plain.Coordinate { return plain.Coordinate{Value: v, Set: true} }
	for name, b := range map[string][]byte{"a table": hostile.Build(booklet()...), "streams": written(booklet(), 1),
		"predicted streams": written(booklet(), 12)} {
		f, err := plain.Read(b)
		require.NoError(t, err, name)
		pages := f.Pages()
		require.Len(t, pages, 5, name)
		var labels []string
		for _, p := range pages {
			labels = append(labels, p.Label)
		}
		assert.Equal(t, []string{"i", "ii", "A-7", "A-8", "aa"}, labels, name)
		assert.Equal(t, plain.Box{100, 0, 500, 700}, pages[0].Box, "within the media box")
		assert.Equal(t, []int{90, 270, 0}, []int{pages[0].Rotation, pages[1].Rotation, pages[2].Rotation})
		assert.Equal(t, plain.Box{0, 0, 600, 800}, pages[3].Box, "an empty crop box is none")
		assert.Equal(t, map[int]float64{3: 2}, f.Units())
		assert.Equal(t, plain.Opening{Place: plain.Destination{Page: 1, Fit: "XYZ", Top: set(300), Zoom: 1.5}, Layout: "TwoPageRight",
			Mode: "UseOutlines", Direction: "R2L", Titled: true}, f.Opening())
		tide := plain.Destination{Page: 5, Fit: "FitH", Top: set(123)}
		assert.Equal(t, []plain.Entry{
			{Title: "Spring", Level: 1, Folded: true, Target: plain.Target{Place: plain.Destination{Page: 3, Fit: "XYZ", Left: set(0),
				Top: set(700)}}},
			{Title: "Below “it”", Level: 2, Target: plain.Target{Place: plain.Destination{Page: 4, Fit: "FitR", Left: set(10), Top: set(220),
				Box: plain.Box{10, 20, 110, 220}}}},
			{Title: "湿地", Level: 1, Target: plain.Target{Place: tide}},
			{Title: "Elsewhere", Level: 1, Target: plain.Target{File: "other.pdf"}},
			{Title: "Nowhere", Level: 1},
		}, f.Outline(100, 10), "in circles, and yet it ends")
		assert.Len(t, f.Outline(2, 10), 2)
		assert.Equal(t, []plain.Link{
			{Box: plain.Box{10, 20, 30, 40}, Target: plain.Target{Place: tide}},
			{Box: plain.Box{10, 20, 30, 40}, Target: plain.Target{Address: "https://harrowmere.example/"}},
			{Box: plain.Box{1, 1, 2, 2}, Target: plain.Target{File: "other.pdf"}},
			{Box: plain.Box{1, 1, 2, 2}},
		}, f.Links(3, 100))
		assert.Equal(t, tide, f.Named("tide"))
		assert.Zero(t, f.Named("gone"))
	}
}

// A change behind a file counts before what it changes; what is made free is gone.
func TestTheLastWordCounts(t *testing.T) {
	b := hostile.Build(booklet()...)
	at := bytes.LastIndex(b, []byte("startxref"))
	var before int
	_, err := fmt.Sscanf(string(b[at:]), "startxref\n%d", &before)
	require.NoError(t, err)
	var c bytes.Buffer
	c.Write(b)
	first := c.Len()
	c.WriteString("9 0 obj\n<</First 11 0 R>>\nendobj\n")
	table := c.Len()
	fmt.Fprintf(&c, "xref\n9 1\n%010d 00000 n \n13 1\n0000000000 00001 f \ntrailer\n<</Size 17 /Root 1 0 R /Prev %d>>\nstartxref\n%d\n%%%%EOF\n", first, before, table)
	f, err := plain.Read(c.Bytes())
	require.NoError(t, err)
	got := f.Outline(100, 10)
	require.Len(t, got, 1)
	assert.Equal(t, "湿地", got[0].Title)
}

// A tree whose nodes have a page each is read as well as one whose pages hang on it.
func TestNodesOfOnePage(t *testing.T) {
	objects := []string{"<</Type /Catalog /Pages 2 0 R>>", "<</Type /Pages /Kids [3 0 R 5 0 R] /Count 2 /MediaBox [0 0 300 400]>>",
		"<</Type /Pages /Parent 2 0 R /Kids [4 0 R] /Count 1>>", "<</Type /Page /Parent 3 0 R>>",
		"<</Type /Pages /Parent 2 0 R /Kids [6 0 R] /Count 1 /Rotate 90>>", "<</Type /Page /Parent 5 0 R /CropBox [0 0 100 100]>>"}
	f, err := plain.Read(hostile.Build(objects...))
	require.NoError(t, err)
	require.Equal(t, 2, f.Count())
	second, ok := f.Page(2)
	require.True(t, ok)
	assert.Equal(t, []any{plain.Box{0, 0, 100, 100}, 90}, []any{second.Box, second.Rotation})
	assert.Equal(t, 2, f.Destination([]plain.Value{plain.Ref(6), plain.Name("Fit")}).Page)
	_, ok = f.Page(3)
	assert.False(t, ok)
}

// What is refused is refused, whatever it is cut to: nothing hangs, nothing panics.
func TestBrokenFilesAreRefused(t *testing.T) {
	whole := written(booklet(), 12)
	r := rand.New(rand.NewPCG(7, 7))
	for range 4000 {
		b := bytes.Clone(whole)
		for range 1 + r.IntN(6) {
			b[r.IntN(len(b))] = byte(r.IntN(256))
		}
		f, err := plain.Read(b[:len(b)-r.IntN(40)])
		if err != nil {
			continue
		}
		assert.LessOrEqual(t, len(f.Pages()), 50)
		f.Outline(100, 10)
		f.Links(3, 100)
		f.Opening()
		_, _ = f.Metadata()
	}
	_, err := plain.Read(hostile.Locked())
	assert.ErrorIs(t, err, plain.ErrEncrypted)
}
