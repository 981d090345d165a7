package webpage_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
)

// page makes a page of rows "split: kinds of each column".
func page(rows ...string) webpage.Page {
	p := webpage.Page{Title: "Visiting"}
	n := 0
	id := func() string { n++; return fmt.Sprintf("%012x", n) }
	for _, r := range rows {
		split, rest, _ := strings.Cut(r, ":")
		row := webpage.Row{ID: id(), Split: webpage.Split(split)}
		for column := range strings.SplitSeq(rest, "|") {
			c := webpage.Column{}
			for word := range strings.FieldsSeq(column) {
				c.Blocks = append(c.Blocks, webpage.Block{ID: id(), Kind: webpage.Text, Text: word})
			}
			row.Columns = append(row.Columns, c)
		}
		p.Rows = append(p.Rows, row)
	}
	return p
}

// shape writes a page as page reads it.
func shape(p webpage.Page) string {
	var rows []string
	for _, r := range p.Rows {
		var columns []string
		for _, c := range r.Columns {
			var words []string
			for _, b := range c.Blocks {
				words = append(words, b.Text)
			}
			columns = append(columns, strings.Join(words, " "))
		}
		rows = append(rows, string(r.Split)+":"+strings.Join(columns, "|"))
	}
	return strings.Join(rows, " / ")
}

func named(t *testing.T, p webpage.Page, text string) string {
	t.Helper()
	for _, b := range p.Blocks() {
		if b.Text == text {
			return b.ID
		}
	}
	t.Fatalf("there is no %q", text)
	return ""
}

func TestActs(t *testing.T) {
	for name, x := range map[string]struct {
		act  webpage.Act
		of   string // the block it is about
		want string
	}{
		"add": {webpage.Act{Do: webpage.DoAdd, New: &webpage.Block{Kind: webpage.Text, Text: "new"},
			To: webpage.Spot{Row: 0, Column: 1, At: 0}}, "", "1-1:a b|new c / 1:d"},
		"add past the end": {webpage.Act{Do: webpage.DoAdd, New: &webpage.Block{Kind: webpage.Text, Text: "new"},
			To: webpage.Spot{Row: 1, At: 99}}, "", "1-1:a b|c / 1:d new"},
		"add below a block": {webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Text, Text: "new"}}, "a",
			"1-1:a new b|c / 1:d"},
		"add to no place": {webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Text, Text: "new"}}, "",
			"1-1:a b|c / 1:d new"},
		"change":                {webpage.Act{Do: webpage.DoChange, New: &webpage.Block{Kind: webpage.Text, Text: "A"}}, "a", "1-1:A b|c / 1:d"},
		"move to another row":   {webpage.Act{Do: webpage.DoMove, To: webpage.Spot{Row: 1, At: 0}}, "b", "1-1:a|c / 1:b d"},
		"move within":           {webpage.Act{Do: webpage.DoMove, To: webpage.Spot{At: 1}}, "a", "1-1:b a|c / 1:d"},
		"remove":                {webpage.Act{Do: webpage.DoRemove}, "c", "1-1:a b| / 1:d"},
		"a row of its own":      {webpage.Act{Do: webpage.DoOwnRow}, "a", "1-1:b|c / 1:a / 1:d"},
		"step up":               {webpage.Act{Do: webpage.DoStep, By: "up"}, "b", "1-1:b a|c / 1:d"},
		"step up, first of all": {webpage.Act{Do: webpage.DoStep, By: "up"}, "a", "1-1:a b|c / 1:d"},
		"step over rows":        {webpage.Act{Do: webpage.DoStep, By: "down"}, "b", "1-1:a|c / 1:b d"},
		"step into a row above": {webpage.Act{Do: webpage.DoStep, By: "up"}, "d", "1-1:a b d|c / 1:"},
		"step to the right":     {webpage.Act{Do: webpage.DoStep, By: "right"}, "b", "1-1:a|c b / 1:d"},
		"step to no column":     {webpage.Act{Do: webpage.DoStep, By: "left"}, "b", "1-1:a b|c / 1:d"},
		"another row": {webpage.Act{Do: webpage.DoAddRow, Split: webpage.Thirds, To: webpage.Spot{Row: 1}}, "",
			"1-1:a b|c / 1-1-1:|| / 1:d"},
	} {
		p := page("1-1:a b|c", "1:d")
		if x.of != "" {
			x.act.Block = named(t, p, x.of)
		}
		next, err := p.Done(x.act)
		require.NoError(t, err, name)
		assert.Equal(t, x.want, shape(next), name)
		assert.Equal(t, "1-1:a b|c / 1:d", shape(p), "%s leaves the page before as it was", name)
		assert.Empty(t, next.Check(), name)
	}

	p := page("1-2:a|b", "1:c")
	for _, x := range []struct {
		act  webpage.Act
		want string
	}{
		{webpage.Act{Do: webpage.DoSplit, Row: p.Rows[0].ID, Split: webpage.One}, "1:a b / 1:c"},
		{webpage.Act{Do: webpage.DoSplit, Row: p.Rows[1].ID, Split: webpage.Thirds}, "1-2:a|b / 1-1-1:c||"},
		{webpage.Act{Do: webpage.DoMoveRow, Row: p.Rows[1].ID}, "1:c / 1-2:a|b"},
		{webpage.Act{Do: webpage.DoDropRow, Row: p.Rows[0].ID}, "1:c"},
		{webpage.Act{Do: webpage.DoAddBelow, Row: p.Rows[0].ID, To: webpage.Spot{Column: 1},
			New: &webpage.Block{Kind: webpage.Text, Text: "new"}}, "1-2:a|b new / 1:c"},
	} {
		next, err := p.Done(x.act)
		require.NoError(t, err)
		assert.Equal(t, x.want, shape(next))
	}
	first, err := webpage.Page{Title: "Bare"}.Done(webpage.Act{Do: webpage.DoAddBelow, New: &webpage.Block{Kind: webpage.Text, Text: "new"}})
	require.NoError(t, err)
	assert.Equal(t, "1:new", shape(first), "a page without rows gets one")
	alone, err := page("1-1:a|").Done(webpage.Act{Do: webpage.DoOwnRow, Block: named(t, page("1-1:a|"), "a")})
	require.NoError(t, err)
	assert.Equal(t, "1:a", shape(alone), "where it stands alone, its row becomes whole")
}

func TestWhatCannotBeDone(t *testing.T) {
	p := page("1-1:a|b")
	a := named(t, p, "a")
	for _, x := range []struct {
		act  webpage.Act
		want error
	}{
		{webpage.Act{Do: webpage.DoRemove, Block: "ffffffffffff"}, webpage.ErrGone},
		{webpage.Act{Do: webpage.DoSplit, Row: "ffffffffffff"}, webpage.ErrGone},
		{webpage.Act{Do: webpage.DoMove, Block: a, To: webpage.Spot{Row: 7}}, webpage.ErrGone},
		{webpage.Act{Do: webpage.DoMove, Block: a, To: webpage.Spot{Column: 2}}, webpage.ErrGone},
		{webpage.Act{Do: "sing", Row: p.Rows[0].ID}, webpage.ErrNoAct},
		{webpage.Act{Do: webpage.DoAdd}, webpage.ErrNoAct},
		{webpage.Act{Do: webpage.DoAddBelow}, webpage.ErrNoAct},
		{webpage.Act{Do: webpage.DoChange, Block: a, New: &webpage.Block{Kind: webpage.Picture}}, webpage.ErrNoAct},
	} {
		_, err := p.Done(x.act)
		assert.ErrorIs(t, err, x.want, x.act.Do)
	}
}

func TestCheck(t *testing.T) {
	text := func(change func(*webpage.Block)) webpage.Page {
		p := page("1:a")
		change(&p.Rows[0].Columns[0].Blocks[0])
		return p
	}
	for name, p := range map[string]webpage.Page{
		"no title":       {Title: " "},
		"too few":        {Title: "x", Rows: []webpage.Row{{ID: "000000000001", Split: webpage.Thirds, Columns: make([]webpage.Column, 2)}}},
		"twice the same": {Title: "x", Rows: append(page("1:a").Rows, page("1:a").Rows...)},
		"long":           text(func(b *webpage.Block) { b.Text = strings.Repeat("x", 20_001) }),
		"script":         text(func(b *webpage.Block) { b.Kind, b.Address = webpage.Button, "javascript:alert(1)" }),
		"kind":           text(func(b *webpage.Block) { b.Kind = "video" }),
		"tools":          text(func(b *webpage.Block) { b.Kind, b.Set = webpage.Placement, setting.PatchOf(setting.Download, true) }),
		"name":           text(func(b *webpage.Block) { b.ID = "x\"y" }),
	} {
		assert.NotEmpty(t, p.Check(), name)
	}
	assert.Empty(t, webpage.New("Visiting").Check())
	for address, want := range map[string]bool{
		"https://harrowmere.example/": true, "/pages/visit": true, "#tides": true, "mailto:maren@harrowmere.example": true, "tel:+441234": true,
		"//elsewhere.example": false, "javascript:alert(1)": false, " JavaScript:x": false, "data:text/html,x": false, "https://": false,
		"visit": false,
	} {
		assert.Equal(t, want, webpage.Leads(address), address)
	}
	for path, want := range map[string]bool{"": true, "visit": true, "visit-2026": true, "Visit": false, "a/b": false, "-a": false,
		"..": false, strings.Repeat("a", 61): false} {
		assert.Equal(t, want, webpage.CheckPath(path) == "", path)
	}
}

func TestDifferences(t *testing.T) {
	p := page("1-1:a b|c", "1:d")
	told := func(after webpage.Page) string {
		var out []string
		for _, d := range webpage.Differences(p, after, webpage.Names{webpage.Placement: {7: "Tide table 2027"}}) {
			out = append(out, string(d.How)+" "+d.Words)
		}
		return strings.Join(out, ", ")
	}
	do := func(acts ...webpage.Act) webpage.Page {
		next := p
		for _, a := range acts {
			var err error
			next, err = next.Done(a)
			require.NoError(t, err)
		}
		return next
	}
	assert.Empty(t, told(p))
	assert.Equal(t, "changed Title", told(do(webpage.Act{Do: webpage.DoRename, Title: "Visit"})))
	assert.Equal(t, "moved Text “d”", told(do(webpage.Act{Do: webpage.DoMove, Block: named(t, p, "d"), To: webpage.Spot{}})),
		"one was moved, so one is said to have moved")
	assert.Equal(t, "moved Text “c”", told(do(webpage.Act{Do: webpage.DoMove, Block: named(t, p, "c"), To: webpage.Spot{Row: 1}})))
	assert.Equal(t, "removed Text “a”", told(do(webpage.Act{Do: webpage.DoRemove, Block: named(t, p, "a")})))
	assert.Equal(t, "changed Text “A”", told(do(webpage.Act{Do: webpage.DoChange, Block: named(t, p, "a"),
		New: &webpage.Block{Kind: webpage.Text, Text: "A"}})))
	put := func(b webpage.Block) webpage.Page {
		return do(webpage.Act{Do: webpage.DoAdd, New: &b, To: webpage.Spot{}})
	}
	assert.Equal(t, "added Document “Tide table 2027”", told(put(webpage.Block{Kind: webpage.Placement, Of: 7})), "by what it is called")
	assert.Equal(t, "added Document", told(put(webpage.Block{Kind: webpage.Placement, Of: 8})), "what is gone has no name")
	assert.Equal(t, "changed Row: two columns, now three columns",
		told(do(webpage.Act{Do: webpage.DoSplit, Row: p.Rows[0].ID, Split: webpage.Thirds})))
	assert.Equal(t, "removed Text “d”, removed Row of one column", told(do(webpage.Act{Do: webpage.DoDropRow, Row: p.Rows[1].ID})))
}

// Two editors: what one does is done to what the other left, unless it is the
// same thing.
func TestTouched(t *testing.T) {
	p := page("1-1:a b|c", "1:d")
	a, b := named(t, p, "a"), named(t, p, "b")
	theirs, err := p.Done(webpage.Act{Do: webpage.DoChange, Block: a, New: &webpage.Block{Kind: webpage.Text, Text: "theirs"}})
	require.NoError(t, err)
	for name, x := range map[string]struct {
		act  webpage.Act
		want bool
	}{
		"the same text":       {webpage.Act{Do: webpage.DoChange, Block: a}, true},
		"its removal":         {webpage.Act{Do: webpage.DoRemove, Block: a}, true},
		"another text":        {webpage.Act{Do: webpage.DoChange, Block: b}, false},
		"a move":              {webpage.Act{Do: webpage.DoMove, Block: b}, false},
		"the row it is in":    {webpage.Act{Do: webpage.DoDropRow, Row: p.Rows[0].ID}, true},
		"another row":         {webpage.Act{Do: webpage.DoDropRow, Row: p.Rows[1].ID}, false},
		"the title":           {webpage.Act{Do: webpage.DoRename}, false},
		"a row of b's alone":  {webpage.Act{Do: webpage.DoOwnRow, Block: b}, false},
		"below what is there": {webpage.Act{Do: webpage.DoAddBelow, Block: b}, false},
		"below what is gone":  {webpage.Act{Do: webpage.DoAddBelow, Block: "ffffffffffff"}, true},
		"at the end":          {webpage.Act{Do: webpage.DoAddBelow}, false},
	} {
		assert.Equal(t, x.want, webpage.Touched(p, theirs, x.act), name)
	}
	fewer, err := p.Done(webpage.Act{Do: webpage.DoDropRow, Row: p.Rows[0].ID})
	require.NoError(t, err)
	assert.True(t, webpage.Touched(p, fewer, webpage.Act{Do: webpage.DoAdd, To: webpage.Spot{Row: 1}}),
		"a place is counted in rows as they were seen")
}

func TestWidths(t *testing.T) {
	for _, x := range []struct {
		split  webpage.Split
		window float64
		want   []float64
	}{
		{webpage.One, 1280, []float64{1080}}, {webpage.One, 360, []float64{312}}, {webpage.Thirds, 1280, []float64{338.67, 338.67, 338.67}},
		{webpage.WideFirst, 1128, []float64{698.67, 349.33}}, {webpage.Thirds, 759, []float64{711, 711, 711}},
		{webpage.Halves, 760, []float64{340, 340}},
	} {
		got := x.split.Widths(x.window)
		require.Len(t, got, len(x.want))
		for i := range got {
			assert.InDelta(t, x.want[i], got[i], 0.01, "%s in %v", x.split, x.window)
		}
	}
}

// What browsers are told of an image's width is the column's width.
func TestSizes(t *testing.T) {
	assert.Equal(t, "(width < 760px) calc(100vw - 48px), (width < 1128px) calc((100vw - 80px) * 0.6667), 699px", webpage.WideFirst.Sizes(0))
	form := regexp.MustCompile(`^\(width < (\d+)px\) calc\(100vw - (\d+)px\), \(width < (\d+)px\) calc\(\(100vw - (\d+)px\) \* ([\d.]+)\), (\d+)px$`)
	for _, s := range webpage.Splits() {
		for column := range s.Count() {
			m := form.FindStringSubmatch(s.Sizes(column))
			require.NotNil(t, m, s.Sizes(column))
			n := make([]float64, len(m))
			for i := 1; i < len(m); i++ {
				var err error
				n[i], err = strconv.ParseFloat(m[i], 64)
				require.NoError(t, err)
			}
			for window := 300.0; window < 2000; window += 7 {
				said := n[6]
				if window < n[1] {
					said = window - n[2]
				} else if window < n[3] {
					said = (window - n[4]) * n[5]
				}
				assert.InDelta(t, s.Widths(window)[column], said, 0.6, "column %d of %s in %v", column, s, window)
			}
		}
	}
}

func TestHolding(t *testing.T) {
	at := func(hour int) time.Time { return time.Date(2026, 6, 1, hour, 0, 0, 0, time.UTC) }
	turns := []webpage.Turn{{ID: 1, Version: 1, Due: at(8)}, {ID: 2, Version: 2, Due: at(12)}, {ID: 3, Version: 0, Due: at(18)},
		{ID: 4, Version: 3, Due: at(12)}}
	for hour, want := range map[int]int{7: 0, 8: 1, 11: 1, 12: 3, 17: 3, 18: 0, 23: 0} {
		assert.Equal(t, want, webpage.Holding(turns, at(hour)), hour)
	}
	planned := webpage.Planned(turns, at(12))
	require.Len(t, planned, 1)
	assert.Equal(t, int64(3), planned[0].ID)

	now := at(12)
	for name, x := range map[string]struct {
		plan webpage.Plan
		ok   bool
	}{
		"now": {webpage.Plan{}, true}, "later": {webpage.Plan{From: at(13)}, true}, "past": {webpage.Plan{From: at(9)}, false},
		"an end": {webpage.Plan{Until: at(13)}, true},
		"ended":  {webpage.Plan{Until: at(11)}, false}, "before it begins": {webpage.Plan{From: at(15), Until: at(14)}, false},
		"far off": {webpage.Plan{From: now.AddDate(9, 0, 0)}, false},
	} {
		assert.Equal(t, x.ok, x.plan.Check(now) == "", name)
	}
}

func TestFrameCheck(t *testing.T) {
	assert.Empty(t, webpage.NewFrame().Check())
	for name, change := range map[string]func(*webpage.Frame){
		"no name": func(f *webpage.Frame) { f.Name = "" }, "pale": func(f *webpage.Frame) { f.Accent = "#ffcc00" }, "no colour": func(f *webpage.Frame) { f.Accent = "red;}" },
		"no language": func(f *webpage.Frame) { f.Language = "in Polish" },
		"nowhere": func(f *webpage.Frame) {
			f.Links = []webpage.Nav{{Label: "x",
				Address: "javascript:1"}}
		}, "no label": func(f *webpage.Frame) { f.Links = []webpage.Nav{{Page: 1}} },
	} {
		f := webpage.NewFrame()
		change(&f)
		assert.NotEmpty(t, f.Check(), name)
	}
	for tag, want := range map[string]string{"": "en", "nonsense-": "en", "pl": "pl", "PT-br": "pt-BR"} {
		assert.Equal(t, want, webpage.Frame{Language: tag}.Written().String(), tag)
	}
}

// Whatever acts come, a page that is kept can be kept again, nothing but what
// was removed is lost, and what differs names every difference.
func TestActsKeepPagesSound(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 26))
	for range 300 {
		p := page("1-1:a b|c", "1:d", "1-1-1:e|f|g")
		for step := range 20 {
			blocks := p.Blocks()
			a := webpage.Act{
				Do: []string{webpage.DoAdd, webpage.DoMove, webpage.DoStep, webpage.DoOwnRow, webpage.DoSplit, webpage.DoMoveRow, webpage.DoAddRow,
					webpage.DoAddBelow}[r.IntN(8)],
				To:  webpage.Spot{Row: r.IntN(6) - 1, Column: r.IntN(4) - 1, At: r.IntN(6) - 1},
				By:  []string{"up", "down", "left", "right"}[r.IntN(4)],
				New: &webpage.Block{Kind: webpage.Text, Text: fmt.Sprintf("new-%d", step)}, Split: webpage.Splits()[r.IntN(5)],
			}
			a.Block, a.Row = blocks[r.IntN(len(blocks))].ID, p.Rows[r.IntN(len(p.Rows))].ID
			next, err := p.Done(a)
			if err != nil {
				continue
			}
			require.Empty(t, next.Check(), a.Do)
			added := 0
			if a.Do == webpage.DoAdd || a.Do == webpage.DoAddBelow {
				added = 1
			}
			require.Len(t, next.Blocks(), len(blocks)+added, a.Do)
			if a.Do != webpage.DoMoveRow { // rows that hold nothing may change places unnoticed
				require.Equal(t, shape(p) == shape(next), len(webpage.Differences(p, next, nil)) == 0, "%s: %s, then %s", a.Do, shape(p), shape(next))
			}
			kept, err := json.Marshal(next)
			require.NoError(t, err)
			var again webpage.Page
			require.NoError(t, json.Unmarshal(kept, &again))
			require.Equal(t, shape(next), shape(again))
			p = next
		}
	}
}

// An address is made of what somebody wrote, and can always be one.
func TestAnAddressOutOfATitle(t *testing.T) {
	for words, want := range map[string]string{
		"Visiting the hides": "visiting-the-hides", "  Tide tables, 2026! ": "tide-tables-2026", "Über die Bucht": "uber-die-bucht",
		"Warden’s log": "wardens-log",
		"visiting":     "visiting", "VISITING": "visiting", "潮汐": "", "": "",
	} {
		assert.Equal(t, want, webpage.PathOf(words), words)
	}
	r := rand.New(rand.NewPCG(3, 9))
	for range 500 {
		letters := make([]rune, r.IntN(100))
		for i := range letters {
			letters[i] = []rune{'a', 'Z', '9', ' ', '-', 'é', '潮', '\'', '.'}[r.IntN(9)]
		}
		path := webpage.PathOf(string(letters))
		require.Empty(t, webpage.CheckPath(path), "%q: %q", string(letters), path)
		require.Equal(t, path, webpage.PathOf(path))
	}
}
