// Package compare finds what became of the pages of a document in another edition of it:
// which are the same, which were changed, moved, added or removed, by what is on them and
// not by their numbers.
//
// Pages are likened by their words in pairs (shingles, after Broder, On the resemblance and
// containment of documents, 1997) and, where there are few words, by small pictures of
// them, also turned. Those that follow each other in both editions are the heaviest
// increasing row of likely pairs (Fredman, On computing the length of longest increasing
// subsequences, Discrete Mathematics 11, 1975, with weights); what is alike and stands
// outside that row was moved.
package compare

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"incipit/internal/core/sheet"
)

// Change is what became of a page.
type Change string

// What becomes of pages. A page that stands elsewhere only because others were added or
// removed before it is Same.
const (
	Same    Change = "same"
	Changed Change = "changed"
	Moved   Change = "moved"
	Added   Change = "added"
	Removed Change = "removed"
)

// Page is a page as it is compared: its size as it is shown, its words in reading order,
// and a small picture.
type Page struct {
	sheet.Sheet
	Words   []string
	Picture Picture
	// Unseen says that it could not be drawn: what it looks like is not known.
	Unseen bool
}

// Pair is a page of the old edition with what it is in the new one; 0 is none.
type Pair struct {
	Old    int    `json:"old"`
	New    int    `json:"new"`
	Change Change `json:"change"`
}

// Words counts what was written and what was taken out.
type Words struct {
	Added   int `json:"added"`
	Removed int `json:"removed"`
}

// WordsOf parts a text into words: at spaces, and each letter by itself where a script sets
// none between words.
func WordsOf(text string) []string {
	var out []string
	for _, field := range strings.Fields(text) {
		begun := 0
		for i, r := range field {
			if !unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar) {
				continue
			}
			if i > begun {
				out = append(out, field[begun:i])
			}
			begun = i + utf8.RuneLen(r)
			out = append(out, field[i:begun])
		}
		if begun < len(field) {
			out = append(out, field[begun:])
		}
	}
	return out
}

// Comparison is what differs between two editions. Pages stand in the order of the new
// edition, removed ones where they were.
type Comparison struct {
	Pages []Pair `json:"pages"`
	Words Words  `json:"words"`
	// Unseen are pages of the new edition of which it is not known what they, or those that
	// they were, look like: their words alone were compared.
	Unseen []int `json:"unseen,omitempty"`
	// Pictures are pages of the new edition that are told as the same, and have too few words
	// to prove it: they were compared as small pictures, in which a changed figure is lost.
	Pictures []int `json:"pictures,omitempty"`
}

// How alike pages are that may be the same: in their order, and out of it, where nothing
// else speaks for it.
const (
	likely = 0.35
	sure   = 0.6
	// visible is the size difference in points from which a page is another one.
	visible = 0.75
)

// Editions compares two editions.
func Editions(old, now []Page) Comparison {
	a, b := read(old), read(now)
	to := make([]int, len(now)) // the old page that a new one was, from 1; 0 is none
	from := make([]int, len(old))
	moved := map[int]bool{}
	join := func(i, j int) { to[j], from[i] = i+1, j+1 }

	likelyPairs := candidates(a, b)
	for _, p := range heaviest(likelyPairs, len(old)) {
		join(p.old, p.now)
	}
	// What is surely alike and stands elsewhere was moved.
	slices.SortStableFunc(likelyPairs, func(p, q pair) int { return cmp.Compare(q.weight, p.weight) })
	for _, p := range likelyPairs {
		if to[p.now] == 0 && from[p.old] == 0 && p.weight >= sure {
			join(p.old, p.now)
			moved[p.now] = true
		}
	}
	rewritten(a, b, to, from, moved, join)

	c := Comparison{Pages: []Pair{}}
	kind := func(i, j int) Change {
		switch {
		case moved[j]:
			return Moved
		case !a[i].looksAs(b[j]):
			return Changed
		}
		return Same
	}
	next := 0 // old pages before this one are told
	removedBefore := func(upTo int) {
		for ; next < upTo; next++ {
			if from[next] == 0 {
				c.Pages = append(c.Pages, Pair{next + 1, 0, Removed})
				c.Words.Removed += len(old[next].Words)
			}
		}
	}
	for j := range now {
		if to[j] == 0 {
			c.Pages = append(c.Pages, Pair{0, j + 1, Added})
			c.Words.Added += len(now[j].Words)
			continue
		}
		i := to[j] - 1
		if old[i].Unseen || now[j].Unseen {
			c.Unseen = append(c.Unseen, j+1)
		}
		if !moved[j] {
			removedBefore(i)
		}
		if len(now[j].Words) < fewWords && !old[i].Unseen && !now[j].Unseen && !blank(now[j]) && a[i].looksAs(b[j]) {
			c.Pictures = append(c.Pictures, j+1)
		}
		c.Pages = append(c.Pages, Pair{i + 1, j + 1, kind(i, j)})
		added, removed := differ(old[i].Words, now[j].Words)
		c.Words.Added += added
		c.Words.Removed += removed
	}
	removedBefore(len(old))
	return c
}

// rewritten joins pages that are alike in nothing but their place: between neighbours that
// were found, as many in one edition as in the other. What is left over there was added or
// removed.
func rewritten(a, b []page, to, from []int, moved map[int]bool, join func(i, j int)) {
	last := 0 // the old page behind the last one in order
	for j := 0; j < len(b); {
		if to[j] > 0 {
			if !moved[j] {
				last = to[j]
			}
			j++
			continue
		}
		end := j
		for end < len(b) && (to[end] == 0 || moved[end]) {
			end++
		}
		upTo := len(a)
		if end < len(b) {
			upTo = to[end] - 1
		}
		var olds, news []int
		for i := last; i < upTo; i++ {
			if from[i] == 0 {
				olds = append(olds, i)
			}
		}
		for k := j; k < end; k++ {
			if to[k] == 0 {
				news = append(news, k)
			}
		}
		switch {
		case len(olds) == len(news):
			for k := range olds {
				join(olds[k], news[k])
			}
		case len(olds) > 0 && len(news) > 0:
			// Whichever are most alike, in their order; each is looked for about its place.
			var some []pair
			for n, k := range news {
				place := n * len(olds) / len(news)
				for _, i := range olds[max(place-mostCandidates, 0):min(place+mostCandidates+1, len(olds))] {
					if w := a[i].likeness(b[k]); w >= likely/2 {
						some = append(some, pair{i, k, w})
					}
				}
			}
			for _, p := range heaviest(some, len(a)) {
				join(p.old, p.now)
			}
		}
		j = end
	}
}

// pair is two pages that may be one, and how alike they are, from 0 to 1.
type pair struct {
	old, now int
	weight   float64
}

// heaviest gives the pairs whose pages follow each other in both editions and that weigh
// most together.
func heaviest(pairs []pair, olds int) []pair {
	pairs = slices.Clone(pairs)
	// Of one new page, the later old ones first: so no two of them are taken.
	slices.SortFunc(pairs, func(p, q pair) int { return cmp.Or(cmp.Compare(p.now, q.now), cmp.Compare(q.old, p.old)) })
	type best struct {
		weight float64
		last   int // the pair, or -1
	}
	tree := make([]best, olds+1) // of Fenwick: the heaviest row that ends before an old page
	for i := range tree {
		tree[i].last = -1
	}
	before := make([]int, len(pairs))
	top := best{last: -1}
	for k, p := range pairs {
		found := best{last: -1}
		for i := p.old; i > 0; i -= i & -i {
			if tree[i].weight > found.weight {
				found = tree[i]
			}
		}
		before[k] = found.last
		here := best{found.weight + p.weight, k}
		if here.weight > top.weight {
			top = here
		}
		for i := p.old + 1; i <= olds; i += i & -i {
			if here.weight > tree[i].weight {
				tree[i] = here
			}
		}
	}
	var out []pair
	for k := top.last; k >= 0; k = before[k] {
		out = append(out, pairs[k])
	}
	slices.Reverse(out)
	return out
}

// differ counts the words that are only in the one and only in the other, as a longest
// common row of both leaves them (Myers, An O(ND) difference algorithm, 1986). Pages that
// differ in more than mostDiffered words are counted without their order.
func differ(a, b []string) (added, removed int) {
	for len(a) > 0 && len(b) > 0 && a[0] == b[0] {
		a, b = a[1:], b[1:]
	}
	for len(a) > 0 && len(b) > 0 && a[len(a)-1] == b[len(b)-1] {
		a, b = a[:len(a)-1], b[:len(b)-1]
	}
	n, m := len(a), len(b)
	if n == 0 || m == 0 {
		return m, n
	}
	most := min(n+m, mostDiffered)
	reach := make([]int, 2*most+3)
	for d := 0; d <= most; d++ {
		for k := -d; k <= d; k += 2 {
			x := 0
			if k == -d || k != d && reach[most+k] < reach[most+k+2] {
				x = reach[most+k+2]
			} else {
				x = reach[most+k] + 1
			}
			y := x - k
			for x < n && y < m && a[x] == b[y] {
				x, y = x+1, y+1
			}
			reach[most+k+1] = x
			if x >= n && y >= m {
				common := (n + m - d) / 2
				return m - common, n - common
			}
		}
	}
	counts := map[string]int{}
	for _, w := range a {
		counts[w]++
	}
	common := 0
	for _, w := range b {
		if counts[w] > 0 {
			counts[w]--
			common++
		}
	}
	return m - common, n - common
}

// mostDiffered bounds the work of one page.
const mostDiffered = 800

// sized says whether two pages are of one size, as they are shown.
func sized(a, b sheet.Sheet) bool {
	return math.Abs(a.Width-b.Width) < visible && math.Abs(a.Height-b.Height) < visible && a.Rotation == b.Rotation
}
