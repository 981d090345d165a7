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
	"unicode"

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
	// Flowed has only words that are in the other edition, too, in their order, on other
	// pages. One that is in one edition only has no Old, or no New.
	Flowed Change = "flowed"
	// Anew was scanned, printed or laid out anew, and is the same otherwise; Unsure was made
	// anew, too roughly to say that it is the same (see package fine).
	Anew   Change = "anew"
	Unsure Change = "unsure"
)

// Page is a page as it is compared: its size as it is shown, its words in reading order,
// and a small picture.
type Page struct {
	sheet.Sheet
	Words   []string
	Picture Picture
	// Unseen says that it could not be drawn: what it looks like is not known.
	Unseen bool
	// Drawn is a sum of the pixels of the image that Picture is made of; 0 is not known.
	Drawn uint64
}

// Pair is a page of the old edition with what it is in the new one; 0 is none.
type Pair struct {
	Old    int    `json:"old"`
	New    int    `json:"new"`
	Change Change `json:"change"`
	// Differs says that a page which was moved was changed as well.
	Differs bool `json:"differs,omitempty"`
}

// Words counts what was written and what was taken out.
type Words struct {
	Added   int `json:"added"`
	Removed int `json:"removed"`
}

// WordsOf parts a text into words: at spaces, and each letter by itself where a script sets
// none between words.
func WordsOf(text string) (out []string) {
	eachWord(text, func(word string, _, _ int) { out = append(out, word) })
	return out
}

// WordsAt gives where the words of a text are: its characters from and up to.
func WordsAt(text string) (out [][2]int) {
	eachWord(text, func(_ string, from, to int) { out = append(out, [2]int{from, to}) })
	return out
}

func eachWord(text string, see func(word string, from, to int)) {
	begun, from, n := -1, 0, 0
	end := func(at int) {
		if begun >= 0 {
			see(text[begun:at], from, n)
		}
		begun = -1
	}
	for i, r := range text {
		switch {
		case unicode.IsSpace(r):
			end(i)
		case unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar):
			end(i)
			see(string(r), n, n+1)
		case begun < 0:
			begun, from = i, n
		}
		n++
	}
	end(len(text))
}

// Comparison is what differs between two editions. Pages stand in the order of the new
// edition, removed ones where they were.
type Comparison struct {
	Pages []Pair `json:"pages"`
	Words Words  `json:"words"`
	// Unseen are pages of the new edition of which it is not known what they, or those that
	// they were, look like: their words alone were compared.
	Unseen []int `json:"unseen,omitempty"`
	// Pictures are pages of the new edition that are not told as changed, and of which not
	// every pixel is the same: what is drawn on them was compared coarsely, as small pictures,
	// in which a changed figure is lost, or, where text moved on, not at all.
	Pictures []int `json:"pictures,omitempty"`
	// Gone and Fresh are the words that have no other one in the other edition, by page and
	// by their place on it, all from 0; they are not kept.
	Gone  [][]int `json:"-"`
	Fresh [][]int `json:"-"`
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

	u := flowed(old, now, to, moved)
	c := Comparison{Pages: []Pair{}, Gone: u.gone, Fresh: u.fresh}
	next := 0 // old pages before this one are told
	removedBefore := func(upTo int) {
		for ; next < upTo; next++ {
			if from[next] == 0 {
				c.Pages = append(c.Pages, Pair{Old: next + 1, Change: alone(u.old[next], u.gone[next], Removed)})
			}
		}
	}
	for j := range now {
		if to[j] == 0 {
			c.Pages = append(c.Pages, Pair{New: j + 1, Change: alone(u.now[j], u.fresh[j], Added)})
			continue
		}
		i := to[j] - 1
		if old[i].Unseen || now[j].Unseen {
			c.Unseen = append(c.Unseen, j+1)
		}
		p := Pair{Old: i + 1, New: j + 1, Change: Changed}
		reworded := len(u.gone[i])+len(u.fresh[j]) > 0
		switch alike := a[i].looksAs(b[j]); {
		case moved[j]:
			p.Change, p.Differs = Moved, reworded || !alike
		case alike, u.sameBody[j] && !reworded && a[i].looksWithin(b[j]):
			p.Change = Same
		case !reworded && !slices.Equal(old[i].Words, now[j].Words) && !u.sameBody[j]:
			p.Change = Flowed
		}
		if !moved[j] {
			removedBefore(i)
		}
		if !p.Differs && p.Change != Changed && !proven(old[i], now[j]) {
			c.Pictures = append(c.Pictures, j+1)
		}
		c.Pages = append(c.Pages, p)
	}
	removedBefore(len(old))
	for _, gone := range u.gone {
		c.Words.Removed += len(gone)
	}
	for _, fresh := range u.fresh {
		c.Words.Added += len(fresh)
	}
	return c
}

// alone is what became of a page that is in one edition only: where all its words stand in
// the other one, on other pages, they moved on.
func alone(l leaf, unmatched []int, otherwise Change) Change {
	if len(l.words) > l.head+l.foot && len(unmatched) == 0 {
		return Flowed
	}
	return otherwise
}

// proven says whether two pages are known to look the same: pixel by pixel, or since there
// is nothing to be seen on either. What could not be drawn is told of otherwise.
func proven(p, q Page) bool {
	return p.Unseen || q.Unseen || p.Drawn != 0 && p.Drawn == q.Drawn && sized(p.Sheet, q.Sheet) || len(p.Words)+len(q.Words) == 0 && blank(p) && blank(q)
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

// sized says whether two pages are of one size, as they are shown.
func sized(a, b sheet.Sheet) bool {
	return math.Abs(a.Width-b.Width) < visible && math.Abs(a.Height-b.Height) < visible && a.Rotation == b.Rotation
}
