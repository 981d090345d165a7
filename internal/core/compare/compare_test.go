package compare_test

import (
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/core/compare"
	"incipit/internal/core/sheet"
	"incipit/internal/testkit/vary"
)

// drawnPage draws words as rows of dark cells, as type looks from afar.
func drawnPage(words []string, ink color.Color) compare.Picture {
	m := image.NewRGBA(image.Rect(0, 0, 96, 128))
	draw.Draw(m, m.Bounds(), image.White, image.Point{}, draw.Src)
	for i, w := range words {
		x, y := 4+i%12*7, 4+i/12*5
		for k := range min(len(w), 6) {
			if w[k]%2 == 0 {
				m.Set(x+k, y, ink)
			}
			m.Set(x+k, y+1, ink)
		}
	}
	return compare.Small(m)
}

func pageOf(words []string) compare.Page {
	return compare.Page{Sheet: sheet.Sheet{Width: 595, Height: 842}, Words: words, Picture: drawnPage(words, color.Black)}
}

// somePages makes pages of words of their own, under a head that all have.
func somePages(r *rand.Rand, n int) []compare.Page {
	out := make([]compare.Page, n)
	for i := range out {
		words := []string{"Harrowmere", "Bird", "Observatory"}
		for range 40 + r.IntN(200) {
			words = append(words, word(r))
		}
		out[i] = pageOf(append(words, fmt.Sprint(i+1)))
	}
	return out
}

func word(r *rand.Rand) string {
	const letters = "etaoinshrdlu"
	b := make([]byte, 2+r.IntN(7))
	for i := range b {
		b[i] = letters[r.IntN(len(letters))]
	}
	return string(b)
}

// told is a comparison in short: 2>3 moved, +4, -1.
func told(c compare.Comparison) (out []string) {
	for _, p := range c.Pages {
		out = append(out, fmt.Sprintf("%d>%d %s", p.Old, p.New, p.Change))
	}
	return out
}

// Whatever is done to some pages, just that is found: every edit that can be told from the
// others, on documents from a seed.
func TestKnownEditsAreFound(t *testing.T) {
	r := vary.Rand(16)
	for round := range 150 {
		old := somePages(r, 3+r.IntN(25))
		type kept struct {
			old  int
			page compare.Page
		}
		var now []kept
		for i, p := range old {
			now = append(now, kept{i + 1, p})
		}
		changed := map[int]bool{}
		// Words of some pages, by a few.
		for range r.IntN(3) {
			i := r.IntN(len(now))
			words := slices.Clone(now[i].page.Words)
			for range 1 + r.IntN(8) {
				words[3+r.IntN(len(words)-4)] = word(r)
			}
			now[i].page = pageOf(words)
			changed[now[i].old] = true
		}
		removed := map[int]bool{}
		for range r.IntN(3) {
			if i := r.IntN(len(now)); len(now) > 2 {
				removed[now[i].old] = true
				now = slices.Delete(now, i, i+1)
			}
		}
		for range r.IntN(3) {
			// Where nothing was removed: else it might be one that was written anew.
			i := r.IntN(len(now) + 1)
			before, after := 0, len(old)+1
			if i > 0 {
				before = now[i-1].old
			}
			if i < len(now) {
				after = now[i].old
			}
			if before > 0 && after-before == 1 {
				now = slices.Insert(now, i, kept{0, somePages(r, 1)[0]})
			}
		}
		var before, after []compare.Page
		before = old
		for _, k := range now {
			after = append(after, k.page)
		}
		got := compare.Editions(before, after)
		found := map[int]compare.Pair{}
		for _, p := range got.Pages {
			if p.New > 0 {
				found[p.New] = p
			} else {
				assert.Equal(t, compare.Removed, p.Change)
				assert.True(t, removed[p.Old], "round %d: %v", round, told(got))
				delete(removed, p.Old)
			}
		}
		assert.Empty(t, removed, "round %d: %v", round, told(got))
		for j, k := range now {
			want := compare.Same
			switch {
			case k.old == 0:
				want = compare.Added
			case changed[k.old] && !slices.Equal(k.page.Words, old[k.old-1].Words):
				want = compare.Changed
			}
			assert.Equal(t, compare.Pair{Old: k.old, New: j + 1, Change: want}, found[j+1], "round %d: %v", round, told(got))
		}
	}
}

// Each page of both editions is told of once, and none twice; an edition is the same as
// itself; and what is added one way was removed the other.
func TestEveryPageIsToldOnce(t *testing.T) {
	r := vary.Rand(17)
	for range 100 {
		pool := somePages(r, 12)
		some := func() (out []compare.Page) {
			for range r.IntN(15) {
				out = append(out, pool[r.IntN(len(pool))])
			}
			return out
		}
		a, b := some(), some()
		there, back := compare.Editions(a, b), compare.Editions(b, a)
		for _, c := range []struct {
			compare.Comparison
			olds, news int
		}{{there, len(a), len(b)}, {back, len(b), len(a)}} {
			olds, news := map[int]int{}, map[int]int{}
			for _, p := range c.Pages {
				olds[p.Old]++
				news[p.New]++
				assert.Equal(t, p.Old == 0, p.Change == compare.Added)
				assert.Equal(t, p.New == 0, p.Change == compare.Removed)
			}
			for n := 1; n <= c.olds; n++ {
				assert.Equal(t, 1, olds[n])
			}
			for n := 1; n <= c.news; n++ {
				assert.Equal(t, 1, news[n])
			}
		}
		for _, p := range compare.Editions(a, a).Pages {
			assert.Equal(t, compare.Same, p.Change)
			assert.Equal(t, p.Old, p.New)
		}
		assert.Equal(t, compare.Words{}, compare.Editions(a, a).Words)
	}
}

func TestCases(t *testing.T) {
	r := vary.Rand(18)
	p := somePages(r, 6)
	turned, cropped, coloured := p[2], p[2], p[2]
	turned.Width, turned.Height, turned.Rotation = p[2].Height, p[2].Width, 90
	cropped.Width -= 40
	coloured.Picture = drawnPage(p[2].Words, color.RGBA{160, 0, 0, 255})
	retyped := somePages(r, 1)[0]
	with := func(q compare.Page) []compare.Page { return []compare.Page{p[0], p[1], q, p[3]} }
	four := p[:4]
	for name, c := range map[string]struct {
		old, now []compare.Page
		want     string
	}{
		"the same":       {four, four, "1>1 same, 2>2 same, 3>3 same, 4>4 same"},
		"turned":         {four, with(turned), "1>1 same, 2>2 same, 3>3 changed, 4>4 same"},
		"cropped":        {four, with(cropped), "1>1 same, 2>2 same, 3>3 changed, 4>4 same"},
		"another colour": {four, with(coloured), "1>1 same, 2>2 same, 3>3 changed, 4>4 same"},
		"written anew":   {four, with(retyped), "1>1 same, 2>2 same, 3>3 changed, 4>4 same"},
		"moved to the end": {p[:5], []compare.Page{p[0], p[2], p[3], p[4], p[1]},
			"1>1 same, 3>2 same, 4>3 same, 5>4 same, 2>5 moved"},
		"before":   {four, []compare.Page{p[5], p[0], p[1], p[2], p[3]}, "0>1 added, 1>2 same, 2>3 same, 3>4 same, 4>5 same"},
		"away":     {four, []compare.Page{p[1], p[2], p[3]}, "1>0 removed, 2>1 same, 3>2 same, 4>3 same"},
		"nothing":  {nil, four[:1], "0>1 added"},
		"all away": {four[:1], nil, "1>0 removed"},
	} {
		assert.Equal(t, c.want, strings.Join(told(compare.Editions(c.old, c.now)), ", "), name)
	}
}

// Scans have no words: they are known by how they look, also scanned again, a little
// lighter and with other dust, or turned.
func TestScansAreKnownByTheirLook(t *testing.T) {
	r := vary.Rand(19)
	scan := func(words []string, dust int) compare.Page {
		q := compare.Page{Sheet: sheet.Sheet{Width: 595, Height: 842}, Picture: drawnPage(words, color.Gray{uint8(dust * 2)})}
		for range dust {
			q.Picture[r.IntN(len(q.Picture))] = uint8(120 + r.IntN(120))
		}
		return q
	}
	var old, now []compare.Page
	for _, p := range somePages(r, 9) {
		old, now = append(old, scan(p.Words, 0)), append(now, scan(p.Words, 25))
	}
	now = slices.Delete(now, 3, 4)
	assert.Equal(t, "1>1 changed, 2>2 changed, 3>3 changed, 4>0 removed, 5>4 changed, 6>5 changed, 7>6 changed, 8>7 changed, 9>8 changed",
		strings.Join(told(compare.Editions(old, now)), ", "))
}

func TestWordsAreCounted(t *testing.T) {
	one := func(text string) []compare.Page { return []compare.Page{pageOf(strings.Fields(text))} }
	for _, c := range []struct {
		old, now       string
		added, removed int
	}{
		{"the tern rests on the scrape while the tide falls", "the tern rests on the scrape while the tide falls", 0, 0},
		{"the tern rests on the scrape while the tide falls", "the tern sleeps on the scrape while the tide falls again", 2, 1},
		{"the tern rests on the scrape", "", 0, 6},
		{"", "knot and dunlin", 3, 0},
	} {
		got := compare.Editions(one(c.old), one(c.now))
		assert.Equal(t, compare.Words{Added: c.added, Removed: c.removed}, got.Words, c.now)
	}
}

func TestWordsOfEveryScript(t *testing.T) {
	assert.Equal(t, []string{"The", "tide:", "潮", "の", "表", "2027", "年", "x"}, compare.WordsOf(" The tide: 潮の表2027年x "))
	assert.Empty(t, compare.WordsOf(" \n"))
	assert.Equal(t, []string{"a\xff", "b"}, compare.WordsOf("a\xff b"), "what is no text is kept as it is")
}

// Hostile editions, with the same words on every page or none at all, take no time to
// speak of.
func TestManyPagesAreComparedInTime(t *testing.T) {
	alike := make([]compare.Page, 3000)
	for i := range alike {
		alike[i] = pageOf(strings.Fields(strings.Repeat("the same words on every page ", 20)))
	}
	empty := make([]compare.Page, 3000)
	begun := time.Now()
	got := compare.Editions(alike, alike)
	require.Len(t, got.Pages, 3000)
	compare.Editions(empty, empty[:2000])
	compare.Editions(alike, empty)
	// Nothing in common, and not as many: each is looked for about its place alone.
	r := vary.Rand(20)
	compare.Editions(somePages(r, 1500), somePages(r, 1000))
	t.Log(time.Since(begun))
}
