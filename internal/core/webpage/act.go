package webpage

import "slices"

// Act is one thing that an editor does to a page.
type Act struct {
	Do string `json:"do"`
	// Block is changed, moved, removed, copied or given a row; Row is moved,
	// divided or removed.
	Block string `json:"block"`
	Row   string `json:"row"`
	// To is where a block comes to stand, or before which row a row does.
	To    Spot   `json:"to"`
	By    string `json:"by"`
	Split Split  `json:"split"`
	New   *Block `json:"new"` // added, or what a block becomes
	// Title and Description are the page's.
	Title       string `json:"title"`
	Description string `json:"description"`
}

// What can be done.
const (
	DoAdd      = "add"       // a block, at To
	DoAddBelow = "add-below" // a block: below Block, or last in column To.Column of Row, or last of all
	DoChange   = "change"    // a block becomes New
	DoMove     = "move"      // a block comes to stand at To
	DoRemove   = "remove"    // a block
	DoStep     = "step"      // a block goes one place up, down, left or right (By)
	DoOwnRow   = "own-row"   // a block gets a whole row, below the one it stood in
	DoAddRow   = "add-row"   // an empty row before To.Row
	DoMoveRow  = "move-row"  // before To.Row
	DoSplit    = "split"     // a row gets other columns
	DoDropRow  = "drop-row"  // with all that stands in it
	DoRename   = "rename"    // title and description
)

// Refusal is an error that is a sentence for an editor.
type Refusal string

// Error gives the sentence.
func (r Refusal) Error() string { return string(r) }

// What keeps an act from being done.
const (
	ErrGone  = Refusal("What this is about is no longer on the page.")
	ErrNoAct = Refusal("That cannot be done to a page.")
)

// Done gives the page after an act. The page itself stays as it is.
func (p Page) Done(a Act) (Page, error) {
	next := p.clone()
	switch a.Do {
	case DoRename:
		next.Title, next.Description = a.Title, a.Description
		return next, nil
	case DoAdd, DoAddBelow:
		return next.added(a)
	case DoChange, DoMove, DoStep, DoRemove, DoOwnRow:
		return next.doneToBlock(a)
	case DoAddRow:
		row := Row{ID: newID(), Split: a.Split, Columns: make([]Column, a.Split.Count())}
		next.Rows = slices.Insert(next.Rows, clamp(a.To.Row, len(next.Rows)), row)
		return next, nil
	}
	at := next.row(a.Row)
	if at < 0 {
		return p, ErrGone
	}
	row := next.Rows[at]
	switch a.Do {
	case DoDropRow:
		next.Rows = slices.Delete(next.Rows, at, at+1)
	case DoMoveRow:
		next.Rows = slices.Delete(next.Rows, at, at+1)
		next.Rows = slices.Insert(next.Rows, clamp(a.To.Row, len(next.Rows)), row)
	case DoSplit:
		next.Rows[at] = row.divided(a.Split)
	default:
		return p, ErrNoAct
	}
	return next, nil
}

func (p Page) added(a Act) (Page, error) {
	if a.New == nil {
		return p, ErrNoAct
	}
	b, to := *a.New, a.To
	b.ID = newID()
	if a.Do == DoAddBelow {
		if len(p.Rows) == 0 {
			p.Rows = []Row{{ID: newID(), Split: One, Columns: make([]Column, 1)}}
		}
		to = p.below(a)
	}
	return p.put(b, to)
}

// below is where a block comes to stand that is added without a place: below
// what is chosen, be that a block or a column, else at the end of the page.
func (p Page) below(a Act) Spot {
	if _, at, there := p.Find(a.Block); there {
		return Spot{at.Row, at.Column, at.At + 1}
	}
	if row := p.row(a.Row); row >= 0 {
		return Spot{row, clamp(a.To.Column, len(p.Rows[row].Columns)-1), mostInColumn}
	}
	return Spot{len(p.Rows) - 1, 0, mostInColumn}
}

func (p Page) doneToBlock(a Act) (Page, error) {
	b, at, there := p.Find(a.Block)
	if !there {
		return p, ErrGone
	}
	from := &p.Rows[at.Row].Columns[at.Column].Blocks
	switch a.Do {
	case DoChange:
		if a.New == nil || a.New.Kind != b.Kind {
			return p, ErrNoAct
		}
		next := *a.New
		next.ID = b.ID
		(*from)[at.At] = next
		return p, nil
	case DoRemove:
		*from = slices.Delete(*from, at.At, at.At+1)
		return p, nil
	case DoMove:
		*from = slices.Delete(*from, at.At, at.At+1)
		return p.put(b, a.To)
	case DoStep:
		to, ok := p.beside(at, a.By)
		if !ok {
			return p, nil
		}
		*from = slices.Delete(*from, at.At, at.At+1)
		return p.put(b, to)
	}
	// A row of its own: where it stood alone in a row, the row becomes whole.
	if alone := p.Rows[at.Row]; alone.count() == 1 {
		p.Rows[at.Row] = alone.divided(One)
		return p, nil
	}
	*from = slices.Delete(*from, at.At, at.At+1)
	p.Rows = slices.Insert(p.Rows, at.Row+1, Row{ID: newID(), Split: One, Columns: []Column{{Blocks: []Block{b}}}})
	return p, nil
}

// put inserts a block; a place beyond the last is the last.
func (p Page) put(b Block, to Spot) (Page, error) {
	if to.Row < 0 || to.Row >= len(p.Rows) || to.Column < 0 || to.Column >= len(p.Rows[to.Row].Columns) {
		return p, ErrGone
	}
	c := &p.Rows[to.Row].Columns[to.Column]
	c.Blocks = slices.Insert(c.Blocks, clamp(to.At, len(c.Blocks)), b)
	return p, nil
}

// beside is the place that a step leads to: past the block above or below, into
// the next row past the ends of a column, or into the column beside.
func (p Page) beside(at Spot, by string) (Spot, bool) {
	last := len(p.Rows[at.Row].Columns[at.Column].Blocks) - 1
	switch by {
	case "up":
		if at.At > 0 {
			return Spot{at.Row, at.Column, at.At - 1}, true
		}
		if at.Row > 0 {
			column := min(at.Column, len(p.Rows[at.Row-1].Columns)-1)
			return Spot{at.Row - 1, column, len(p.Rows[at.Row-1].Columns[column].Blocks)}, true
		}
	case "down":
		if at.At < last {
			return Spot{at.Row, at.Column, at.At + 1}, true
		}
		if at.Row < len(p.Rows)-1 {
			return Spot{at.Row + 1, min(at.Column, len(p.Rows[at.Row+1].Columns)-1), 0}, true
		}
	case "left", "right":
		to := at.Column + map[string]int{"left": -1, "right": 1}[by]
		if to >= 0 && to < len(p.Rows[at.Row].Columns) {
			return Spot{at.Row, to, at.At}, true
		}
	}
	return at, false
}

func (r Row) count() int {
	n := 0
	for _, c := range r.Columns {
		n += len(c.Blocks)
	}
	return n
}

// divided gives a row other columns: what stood in columns that are no more
// comes to stand at the end of the last one. Nothing is lost.
func (r Row) divided(s Split) Row {
	columns := make([]Column, s.Count())
	for i, c := range r.Columns {
		to := min(i, len(columns)-1)
		columns[to].Blocks = append(columns[to].Blocks, c.Blocks...)
	}
	return Row{ID: r.ID, Split: s, Columns: columns}
}

func clamp(n, most int) int { return max(min(n, most), 0) }
