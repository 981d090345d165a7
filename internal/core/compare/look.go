package compare

import (
	"math"
	"slices"

	"incipit/internal/core/compare/fine"
	"incipit/internal/core/sheet"
)

// remeasured is how much larger or smaller a page that is a picture may have become and be
// the same paper: scanners cut where they like.
const remeasured = 0.03

// mostReworded bounds the pages whose words differ that are looked at for what else does.
const mostReworded = 60

// ToLook gives the pairs that have to be looked at finely, since neither their words nor
// their pixels tell what became of them, and some whose words differ: what else was drawn
// otherwise there can be marked.
func (c Comparison) ToLook(old, now []Page) (must, reworded []Pair) {
	for _, p := range c.Pages {
		if p.Old == 0 || p.New == 0 || p.Change == Flowed {
			continue
		}
		a, b := old[p.Old-1], now[p.New-1]
		if a.Unseen || b.Unseen || proven(a, b) || !measured(a, b) {
			continue
		}
		if len(c.Gone[p.Old-1])+len(c.Fresh[p.New-1]) > 0 {
			reworded = append(reworded, p)
			continue
		}
		must = append(must, p)
	}
	return must, reworded[:min(len(reworded), mostReworded)]
}

// measured says whether two pages are of a size to be laid over each other.
func measured(a, b Page) bool {
	if sized(a.Sheet, b.Sheet) {
		return true
	}
	near := func(x, y float64) bool { return math.Abs(x-y) <= remeasured*max(x, y) }
	return len(a.Words) < fewWords && len(b.Words) < fewWords && a.Rotation == b.Rotation && near(a.Width, b.Width) && near(a.Height, b.Height)
}

// Looked takes what a fine look at a pair found. It gives the places to be marked on the new
// page: of one whose words differ, those that are drawn otherwise beside its words, if all
// else stands where it stood.
func (c *Comparison) Looked(p Pair, r fine.Result) []sheet.Rect {
	at := slices.IndexFunc(c.Pages, func(o Pair) bool { return o.Old == p.Old && o.New == p.New })
	if at < 0 {
		return nil
	}
	told := &c.Pages[at]
	if len(c.Gone[p.Old-1])+len(c.Fresh[p.New-1]) > 0 {
		if r.Exact {
			return r.Areas
		}
		return nil
	}
	c.Pictures = slices.DeleteFunc(c.Pictures, func(page int) bool { return page == p.New })
	if told.Change == Moved {
		told.Differs = r.Verdict == fine.Changed
		if r.Verdict == fine.Unsure {
			c.Pictures = append(c.Pictures, p.New)
			slices.Sort(c.Pictures)
		}
		return r.Areas
	}
	told.Change = map[fine.Verdict]Change{fine.Same: Same, fine.Anew: Anew, fine.Changed: Changed, fine.Unsure: Unsure}[r.Verdict]
	return r.Areas
}

// AwayFrom gives the places that lie about none of some words, all in fractions of a page: a
// word that was exchanged is told by its own mark.
func AwayFrom(areas, words []sheet.Rect) []sheet.Rect {
	return slices.DeleteFunc(slices.Clone(areas), func(a sheet.Rect) bool {
		return slices.ContainsFunc(words, func(w sheet.Rect) bool {
			return a.X < w.X+w.W && w.X < a.X+a.W && a.Y < w.Y+w.H && w.Y < a.Y+a.H
		})
	})
}

// Sorted gives the pages that differ, those of which it is not known as closely as it could be
// (see Comparison.Pictures), and how many are the same.
func (c Comparison) Sorted() (differ, doubtful []Pair, same int) {
	for _, p := range c.Pages {
		kept := p.Change == Same || p.Change == Anew
		if kept {
			same++
		}
		switch {
		case !kept && (p.Change != Flowed || p.Old == 0 || p.New == 0):
			differ = append(differ, p)
		case p.New > 0 && slices.Contains(c.Pictures, p.New):
			doubtful = append(doubtful, p)
		}
	}
	return differ, doubtful, same
}
