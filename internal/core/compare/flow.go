package compare

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// Text flows on over pages, so what was written and taken out is found over the whole
// document: between pages whose words are the same, first by rows of words that stand once
// in both (patience, after Cohen), then by a longest common row (Myers, An O(ND) difference
// algorithm, 1986). What stands at the edge of many pages (a running head, a page's number)
// does not flow: it is set against the edge of the page that was this one.

const (
	// mostEdge is how many words at the start or the end of a page may be a running head.
	mostEdge = 24
	// rowOf is how many words in a row are an anchor where they stand once in both.
	rowOf = 3
	// mostFlowing bounds the words between two pages that are the same, of both editions:
	// beyond, pages are compared with the one that each was, as if no text moved on.
	mostFlowing = 400_000
	// mostDiffered bounds the work on one gap: what differs in more words has nothing of it
	// in common.
	mostDiffered = 800
)

// leaf is a page with its words parted.
type leaf struct {
	words      []string
	head, foot int // how many words at the start and at the end do not flow
}

// leaves finds the running heads of some pages: words at an edge that are those of a page
// near by, whatever their figures.
func leaves(pages []Page) []leaf {
	out := make([]leaf, len(pages))
	plain := make([][]string, len(pages))
	edge := func(i, k int, end bool) string { // the k-th word from an edge, figures taken away
		w := pages[i].Words
		if end {
			k = len(w) - 1 - k
		}
		if plain[i] == nil {
			plain[i] = make([]string, len(w))
		}
		if plain[i][k] == "" {
			plain[i][k] = figureless(w[k])
		}
		return plain[i][k]
	}
	common := func(i, j int, end bool) int {
		n := 0
		for n < min(len(pages[i].Words), len(pages[j].Words), mostEdge) && edge(i, n, end) == edge(j, n, end) {
			n++
		}
		return n
	}
	for i := range pages {
		out[i].words = pages[i].Words
		for _, j := range []int{i - 2, i - 1, i + 1, i + 2} {
			if j >= 0 && j < len(pages) {
				out[i].head = max(out[i].head, common(i, j, false))
				out[i].foot = max(out[i].foot, common(i, j, true))
			}
		}
		if out[i].head+out[i].foot > len(out[i].words)/2 {
			out[i].head, out[i].foot = 0, 0 // pages that are alike altogether
		}
	}
	return out
}

// unmatched are words that have no other one in the other edition, by page, from 0, and by
// their place in it.
type unmatched struct {
	gone, fresh [][]int
	// sameBody are pages of the new edition that differ from the page they were in nothing
	// but their edges.
	sameBody map[int]bool
	old, now []leaf
}

// flowed sets the words of two editions against each other, as their pages were joined:
// to gives the old page that a new one was, from 1, or 0.
func flowed(old, now []Page, to []int, moved map[int]bool) unmatched {
	a, b := leaves(old), leaves(now)
	u := unmatched{make([][]int, len(old)), make([][]int, len(now)), map[int]bool{}, nil, nil}
	// Heads and feet, and pages that were moved or are the same, by page.
	apart := map[int]bool{}
	for j := range now {
		i := to[j] - 1
		if i < 0 {
			continue
		}
		if moved[j] || slices.Equal(old[i].Words, now[j].Words) {
			apart[i] = true
			u.pair(i, j, old[i].Words, now[j].Words, 0, 0)
			continue
		}
		both(&a[i], &b[j])
		u.pair(i, j, a[i].words[:a[i].head], b[j].words[:b[j].head], 0, 0)
		h, k := len(a[i].words)-a[i].foot, len(b[j].words)-b[j].foot
		u.pair(i, j, a[i].words[h:], b[j].words[k:], h, k)
		u.numbered(i, j, a[i], b[j])
		u.sameBody[j] = slices.Equal(a[i].words[a[i].head:h], b[j].words[b[j].head:k])
	}
	// What flows, between pages that are the same.
	var one, two []place
	row := func() {
		if len(one)+len(two) > mostFlowing {
			u.byPage(old, now, one, two, to)
		} else {
			u.row(old, now, one, two)
		}
		one, two = one[:0], two[:0]
	}
	i := 0
	for j := range now {
		if to[j] > 0 && !moved[j] {
			for ; i < to[j]-1; i++ {
				one = body(one, i, a[i], apart[i])
			}
			if apart[i] {
				row()
				i++
				continue
			}
		}
		two = body(two, j, b[j], to[j] > 0 && moved[j])
	}
	for ; i < len(old); i++ {
		one = body(one, i, a[i], apart[i])
	}
	row()
	u.old, u.now = a, b
	for _, side := range [][][]int{u.gone, u.fresh} {
		for i := range side {
			slices.Sort(side[i])
			side[i] = slices.Compact(side[i])
		}
	}
	return u
}

// both has the pages of a pair have edges alike: of a document of one page nothing tells what
// its running head is, but the other edition may.
func both(a, b *leaf) {
	common := func(end bool) int {
		n := 0
		for n < min(len(a.words), len(b.words), mostEdge) {
			x, y := a.words[n], b.words[n]
			if end {
				x, y = a.words[len(a.words)-1-n], b.words[len(b.words)-1-n]
			}
			if figureless(x) != figureless(y) {
				break
			}
			n++
		}
		return n
	}
	settle := func(x, y *int, n int) {
		switch {
		case n > 0: // what they do not have in common may be text that is alike by chance
			*x, *y = min(max(*x, *y), n), min(max(*x, *y), n)
		case min(*x, *y) == 0:
			*x, *y = 0, 0
		}
	}
	settle(&a.head, &b.head, common(false))
	settle(&a.foot, &b.foot, common(true))
	if a.head+a.foot > len(a.words) || b.head+b.foot > len(b.words) {
		a.head, a.foot, b.head, b.foot = 0, 0, 0, 0
	}
}

// figureless is a word whose figures are all one.
func figureless(word string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsDigit(r) {
			return '#'
		}
		return r
	}, word)
}

// place is a word on a page.
type place struct{ page, word int }

// body adds the words of a page that flow.
func body(to []place, page int, l leaf, apart bool) []place {
	for k := l.head; k < len(l.words)-l.foot && !apart; k++ {
		to = append(to, place{page, k})
	}
	return to
}

// pair sets some words of two pages against each other, from a place on each.
func (u *unmatched) pair(i, j int, a, b []string, at, bt int) {
	gone, fresh := differ(a, b)
	for _, k := range gone {
		u.gone[i] = append(u.gone[i], at+k)
	}
	for _, k := range fresh {
		u.fresh[j] = append(u.fresh[j], bt+k)
	}
}

// numbered takes out page numbers: figures at an edge that are as far apart as the pages.
func (u *unmatched) numbered(i, j int, a, b leaf) {
	at := func(l leaf, list []int, edge func(k int) bool) (out []int) {
		for _, k := range list {
			if edge(k) {
				if _, err := strconv.Atoi(l.words[k]); err == nil {
					out = append(out, k)
				}
			}
		}
		return out
	}
	for _, end := range []bool{false, true} {
		olds := at(a, u.gone[i], func(k int) bool { return !end && k < a.head || end && k >= len(a.words)-a.foot })
		news := at(b, u.fresh[j], func(k int) bool { return !end && k < b.head || end && k >= len(b.words)-b.foot })
		for n := range min(len(olds), len(news)) {
			x, _ := strconv.Atoi(a.words[olds[n]])
			y, _ := strconv.Atoi(b.words[news[n]])
			if y-x == j-i && i != j {
				u.gone[i] = slices.DeleteFunc(u.gone[i], func(k int) bool { return k == olds[n] })
				u.fresh[j] = slices.DeleteFunc(u.fresh[j], func(k int) bool { return k == news[n] })
			}
		}
	}
}

// byPage sets the words of each page against those of the page that it was.
func (u *unmatched) byPage(old, now []Page, one, two []place, to []int) {
	by := func(list []place) map[int][]place {
		out := map[int][]place{}
		for _, p := range list {
			out[p.page] = append(out[p.page], p)
		}
		return out
	}
	a, b := by(one), by(two)
	for j, words := range b {
		i := to[j] - 1
		u.row(old, now, a[i], words)
		delete(a, i)
	}
	for _, words := range a {
		u.row(old, now, words, nil)
	}
}

func (u *unmatched) row(old, now []Page, one, two []place) {
	words := func(pages []Page, at []place) []string {
		out := make([]string, len(at))
		for k, p := range at {
			out[k] = pages[p.page].Words[p.word]
		}
		return out
	}
	gone, fresh := differ(words(old, one), words(now, two))
	for _, k := range gone {
		u.gone[one[k].page] = append(u.gone[one[k].page], one[k].word)
	}
	for _, k := range fresh {
		u.fresh[two[k].page] = append(u.fresh[two[k].page], two[k].word)
	}
}

// differ gives the words that are only in the one and only in the other, by their places.
func differ(a, b []string) (gone, fresh []int) {
	numbers := map[string]int{}
	of := func(words []string) []int {
		out := make([]int, len(words))
		for i, w := range words {
			n, known := numbers[w]
			if !known {
				n = len(numbers)
				numbers[w] = n
			}
			out[i] = n
		}
		return out
	}
	d := differing{a: of(a), b: of(b)}
	d.lost, d.won = make([]bool, len(a)), make([]bool, len(b))
	d.between(0, len(a), 0, len(b), 0)
	slide(a, d.lost)
	slide(b, d.won)
	for i, is := range d.lost {
		if is {
			gone = append(gone, i)
		}
	}
	for i, is := range d.won {
		if is {
			fresh = append(fresh, i)
		}
	}
	return gone, fresh
}

type differing struct {
	a, b      []int
	lost, won []bool
}

// deepestRow bounds how often anchors are looked for within what lies between anchors.
const deepestRow = 24

func (d *differing) between(a0, a1, b0, b1, depth int) {
	for a0 < a1 && b0 < b1 && d.a[a0] == d.b[b0] {
		a0, b0 = a0+1, b0+1
	}
	for a0 < a1 && b0 < b1 && d.a[a1-1] == d.b[b1-1] {
		a1, b1 = a1-1, b1-1
	}
	if a0 == a1 || b0 == b1 {
		d.none(a0, a1, b0, b1)
		return
	}
	anchors := d.anchors(a0, a1, b0, b1)
	if len(anchors) == 0 || depth == deepestRow {
		d.shortest(a0, a1, b0, b1)
		return
	}
	for _, p := range anchors {
		if p.old < a0 || p.now < b0 {
			continue // within the one before
		}
		d.between(a0, p.old, b0, p.now, depth+1)
		a0, b0 = p.old+rowOf, p.now+rowOf
	}
	d.between(a0, a1, b0, b1, depth+1)
}

func (d *differing) none(a0, a1, b0, b1 int) {
	for i := a0; i < a1; i++ {
		d.lost[i] = true
	}
	for j := b0; j < b1; j++ {
		d.won[j] = true
	}
}

// anchors gives rows of words that stand once in both, as they follow each other in both.
func (d *differing) anchors(a0, a1, b0, b1 int) []pair {
	type row [rowOf]int
	once := func(words []int, from, to int) map[row]int {
		out := map[row]int{}
		for i := from; i+rowOf <= to; i++ {
			r := row(words[i : i+rowOf])
			if _, there := out[r]; there {
				out[r] = -1
			} else {
				out[r] = i
			}
		}
		return out
	}
	in := once(d.a, a0, a1)
	var pairs []pair
	for r, j := range once(d.b, b0, b1) {
		if i, there := in[r]; there && i >= 0 && j >= 0 {
			pairs = append(pairs, pair{i - a0, j, 1})
		}
	}
	out := heaviest(pairs, a1-a0)
	for k := range out {
		out[k].old += a0
	}
	return out
}

// shortest is Myers' way.
func (d *differing) shortest(a0, a1, b0, b1 int) {
	n, m := a1-a0, b1-b0
	most := min(n+m, mostDiffered)
	reach := make([]int, 2*most+3)
	var rows [][]int
	for step := 0; step <= most; step++ {
		for k := -step; k <= step; k += 2 {
			x := 0
			if k == -step || k != step && reach[most+k] < reach[most+k+2] {
				x = reach[most+k+2]
			} else {
				x = reach[most+k] + 1
			}
			y := x - k
			for x < n && y < m && d.a[a0+x] == d.b[b0+y] {
				x, y = x+1, y+1
			}
			reach[most+k+1] = x
			if x >= n && y >= m {
				d.back(a0, b0, k, rows)
				return
			}
		}
		rows = append(rows, slices.Clone(reach[most-step:most+step+3]))
	}
	d.none(a0, a1, b0, b1)
}

// back goes the way back that was found, and marks what it steps over. rows[s] has how far
// each diagonal from -s to s reaches after s steps, from place 1 on.
func (d *differing) back(a0, b0, k int, rows [][]int) {
	for s := len(rows); s > 0; s-- {
		before := func(k int) int { return rows[s-1][k+s] }
		if k == -s || k != s && before(k-1) < before(k+1) {
			k++
			d.won[b0+before(k)-k] = true
		} else {
			k--
			d.lost[a0+before(k)] = true
		}
	}
}

// slide moves a run of words that have no other one to where a sentence begins, if it may
// stand there as well: "… tern. The knot | rests. The knot | sleeps." reads so.
func slide(words []string, is []bool) {
	for from := 0; from < len(is); {
		if !is[from] {
			from++
			continue
		}
		to := from
		for to < len(is) && is[to] {
			to++
		}
		back := 0
		for from-back-1 >= 0 && !is[from-back-1] && words[from-back-1] == words[to-back-1] {
			back++
		}
		for k := 0; k <= back; k++ {
			if at := from - k; at == 0 || ends(words[at-1]) {
				for n := range k {
					is[to-1-n], is[from-1-n] = false, true
				}
				break
			}
		}
		from = to
	}
}

// ends says whether a sentence ends with a word.
func ends(word string) bool {
	return strings.HasSuffix(strings.TrimRight(word, `"”’)»`), ".") || word != "" && strings.ContainsAny(word[len(word)-1:], "!?:;") || strings.HasSuffix(word, "。")
}
