package find

import (
	"strings"

	"incipit/internal/core/overlay"
	"incipit/internal/core/sheet"
)

// Text is the text of a page, joined across line ends, in which every
// character knows the run it stands in.
type Text struct {
	runs  []overlay.Run
	runes []rune
	run   []int // index of the run; -1 for a space between two
	at    []int // rune within it
}

// Of joins the runs of a page: words that are divided at a line end are one,
// scripts without spaces have none, all else is parted by a space.
func Of(runs []overlay.Run) Text {
	t := Text{runs: runs}
	for i, r := range runs {
		letters := []rune(r.Text)
		for j, c := range letters {
			if c == overlay.SoftHyphen && j == len(letters)-1 {
				continue
			}
			t.runes, t.run, t.at = append(t.runes, c), append(t.run, i), append(t.at, j)
		}
		if i+1 < len(runs) {
			if gap := overlay.Joint(r, runs[i+1]); gap != "" {
				t.runes, t.run, t.at = append(t.runes, ' '), append(t.run, -1), append(t.at, 0)
			}
		}
	}
	return t
}

// Plain gives the text as one string.
func (t Text) Plain() string { return string(t.runes) }

// Boxes gives the rectangles that cover a hit, in sheet space: one for each run
// that it touches.
func (t Text) Boxes(h Hit) []sheet.Rect {
	var out []sheet.Rect
	for i := h.From; i < h.To; {
		if t.run[i] < 0 {
			i++
			continue
		}
		j := i
		for j < h.To && t.run[j] == t.run[i] {
			j++
		}
		out = append(out, t.runs[t.run[i]].Box(t.at[i], t.at[j-1]+1))
		i = j
	}
	return out
}

// Context is a hit with what stands before and behind it.
type Context struct {
	Before string `json:"before"`
	Match  string `json:"match"`
	After  string `json:"after"`
}

// contextLength is how much is quoted on each side, in characters.
const contextLength = 48

// Quote gives a hit in a plain text with what stands around it, cut at words.
func Quote(plain string, h Hit) Context {
	r := []rune(plain)
	from, to := max(h.From-contextLength, 0), min(h.To+contextLength, len(r))
	c := Context{Before: string(r[from:h.From]), Match: string(r[h.From:h.To]), After: string(r[h.To:to])}
	if from > 0 {
		if _, rest, ok := strings.Cut(c.Before, " "); ok {
			c.Before = rest
		}
		c.Before = "…" + c.Before
	}
	if to < len(r) {
		if i := strings.LastIndex(c.After, " "); i > 0 {
			c.After = c.After[:i]
		}
		c.After += "…"
	}
	return c
}
