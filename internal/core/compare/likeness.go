package compare

import (
	"cmp"
	"hash/fnv"
	"slices"
)

// page is a page with what it is likened by.
type page struct {
	Page
	shingles []uint64  // of every two words that follow each other, sorted, each once
	dark     []float32 // how dark its cells are
}

// fewWords is how many words a page must have to be known by them.
const fewWords = 8

func read(pages []Page) []page {
	out := make([]page, len(pages))
	for i, p := range pages {
		out[i] = page{Page: p, shingles: shingles(p.Words), dark: p.Picture.grey()}
	}
	return out
}

func shingles(words []string) []uint64 {
	out := make([]uint64, 0, len(words))
	for i := range words {
		h := fnv.New64a()
		h.Write([]byte(words[i]))
		if i+1 < len(words) {
			h.Write([]byte{0})
			h.Write([]byte(words[i+1]))
		}
		out = append(out, h.Sum64())
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// likeness says how alike two pages are, from 0 to 1: by their words where both have
// some, else by how they look, also turned.
func (p page) likeness(q page) float64 {
	textual := len(p.Words) >= fewWords && len(q.Words) >= fewWords
	if textual {
		// Running heads and forms make pages alike that are not the same: how they look
		// decides among them, a little.
		return 0.9*resemblance(p.shingles, q.shingles) + 0.1*looks(p, q, false)
	}
	if (len(p.Words) >= fewWords) != (len(q.Words) >= fewWords) {
		return 0.8 * looks(p, q, true) // a scan may have got a text layer
	}
	few := 1.0
	if len(p.Words)+len(q.Words) > 0 {
		few = resemblance(p.shingles, q.shingles)
	}
	return (0.75 + 0.25*few) * looks(p, q, true)
}

// resemblance is what two sets have in common, over what both hold (Sørensen and Dice).
func resemblance(a, b []uint64) float64 {
	if len(a)+len(b) == 0 {
		return 1
	}
	common, i, j := 0, 0, 0
	for i < len(a) && j < len(b) {
		switch {
		case a[i] == b[j]:
			common++
			i, j = i+1, j+1
		case a[i] < b[j]:
			i++
		default:
			j++
		}
	}
	return 2 * float64(common) / float64(len(a)+len(b))
}

// mostCandidates is how many old pages are looked at for a new one.
const mostCandidates = 12

// candidates finds pairs of pages that are likely one: those with the rarest words in
// common, those that look alike, and those that keep their place from either end.
func candidates(a, b []page) []pair {
	having := map[uint64][]int{}
	for i, p := range a {
		for _, s := range p.shingles {
			having[s] = append(having[s], i)
		}
	}
	bySight := sights(a)
	var out []pair
	for j, q := range b {
		score := map[int]float64{}
		for _, s := range q.shingles {
			// What many pages have tells little, and is not gone through.
			if in := having[s]; len(in) > 0 && len(in) <= 2*mostCandidates {
				for _, i := range in {
					score[i] += 1 / float64(len(in))
				}
			}
		}
		for _, i := range bySight.near(q) {
			score[i] += 0.5
		}
		// A page without words is looked for about its place, too: scans differ each time.
		about := 0
		if len(q.Words) < fewWords {
			about = mostCandidates / 2
		}
		for _, place := range []int{j, len(a) - len(b) + j} {
			for i := max(place-about, 0); i <= min(place+about, len(a)-1); i++ {
				score[i] += 0.01
			}
		}
		found := make([]int, 0, len(score))
		for i := range score {
			found = append(found, i)
		}
		slices.SortFunc(found, func(x, y int) int { return cmp.Or(cmp.Compare(score[y], score[x]), cmp.Compare(x, y)) })
		for _, i := range found[:min(len(found), mostCandidates)] {
			if w := a[i].likeness(q); w >= likely {
				out = append(out, pair{i, j, w})
			}
		}
	}
	return out
}
