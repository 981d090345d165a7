package compare

import "incipit/internal/core/sheet"

// marked is how much a cell differs at least that is marked, of 255: where a page is known
// to have changed, a word in another one's place is seen by less than a page is judged by.
const marked = 6

// mostAreas bounds the areas of a page: beyond, one that holds all of them is said.
const mostAreas = 40

// Areas are the parts of a page in which it looks otherwise, in fractions of its width
// and height, from the top left corner: cells that differ and lie near each other are one. Where the two pages are of other sizes, or how one looks is not known,
// there are none.
func Areas(before, after Page) []sheet.Rect {
	a, b := before.Picture, after.Picture
	if !sized(before.Sheet, after.Sheet) || len(a) != Cells*Cells*3 || len(b) != len(a) {
		return nil
	}
	var differs [Cells * Cells]bool
	for i := range a {
		if d := int(a[i]) - int(b[i]); d > marked || d < -marked {
			differs[i/3] = true
		}
	}
	var out []sheet.Rect
	whole := [4]int{Cells, Cells, -1, -1}
	for at := range differs {
		if !differs[at] {
			continue
		}
		box := grown(&differs, at)
		whole = [4]int{min(whole[0], box[0]), min(whole[1], box[1]), max(whole[2], box[2]), max(whole[3], box[3])}
		out = append(out, fraction(box))
	}
	if len(out) > mostAreas {
		return []sheet.Rect{fraction(whole)}
	}
	return out
}

// grown takes the cells out that hang together with one, and gives their box: the first
// and the last column and row.
func grown(differs *[Cells * Cells]bool, at int) [4]int {
	const across, down = 5, 2 // words of a line belong together
	box := [4]int{Cells, Cells, -1, -1}
	open := []int{at}
	differs[at] = false
	for len(open) > 0 {
		cell := open[len(open)-1]
		open = open[:len(open)-1]
		x, y := cell%Cells, cell/Cells
		box = [4]int{min(box[0], x), min(box[1], y), max(box[2], x), max(box[3], y)}
		for dy := max(y-down, 0); dy <= min(y+down, Cells-1); dy++ {
			for dx := max(x-across, 0); dx <= min(x+across, Cells-1); dx++ {
				if near := dy*Cells + dx; differs[near] {
					differs[near] = false
					open = append(open, near)
				}
			}
		}
	}
	return box
}

// fraction is a box with half a cell around it: what touches a cell's edge differs little
// in it.
func fraction(box [4]int) sheet.Rect {
	left, top := max(float64(box[0])-0.5, 0), max(float64(box[1])-0.5, 0)
	right, bottom := min(float64(box[2])+1.5, Cells), min(float64(box[3])+1.5, Cells)
	return sheet.Rect{X: left / Cells, Y: top / Cells, W: (right - left) / Cells, H: (bottom - top) / Cells}
}

// Where gives the page of the new edition that a page of the old one has become, and
// whether it is there still. One that is gone leads to the next that is left, or to the
// last.
func (c Comparison) Where(old int) (page int, there bool) {
	last, next := 1, 0
	for _, p := range c.Pages {
		switch {
		case p.Old == old && p.New > 0:
			return p.New, true
		case p.New == 0 || p.Old == 0:
		case p.Old > old && (next == 0 || p.New < next):
			next = p.New
		case p.Old < old:
			last = max(last, p.New)
		}
	}
	if next > 0 {
		return next, false
	}
	return last, false
}

// Back is the same, seen from the new edition.
func (c Comparison) Back() Comparison {
	out := Comparison{Words: Words{Added: c.Words.Removed, Removed: c.Words.Added}}
	for _, p := range c.Pages {
		p.Old, p.New = p.New, p.Old
		switch p.Change {
		case Added:
			p.Change = Removed
		case Removed:
			p.Change = Added
		}
		out.Pages = append(out.Pages, p)
	}
	return out
}
