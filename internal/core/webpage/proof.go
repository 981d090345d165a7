package webpage

import (
	"fmt"
	"math"
	"slices"

	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
)

// Gloss is a finding about a document on a page.
type Gloss struct {
	proof.Gloss
	Block  string `json:"block"`
	Screen string `json:"screen"` // where it is found
	Mends  []Mend `json:"mends"`
}

// Mend is an act that mends a gloss, a verb with its figure.
type Mend struct {
	Words string `json:"words"`
	Cost  string `json:"cost"`
	Act   Act    `json:"act"`
}

// Seen is a document on a page at one window's width.
type Seen struct {
	View    proof.View `json:"view"`
	Glosses []Gloss    `json:"glosses"`
	// Worst is the heaviest on each of the usual screens.
	Worst []proof.Gloss `json:"-"`
}

// Screens gives the screens of a page's column: a window first, then those that
// most readers have, each with the width that the column has in it.
func Screens(s Split, column int, window proof.Screen) []proof.Screen {
	out := append([]proof.Screen{window}, proof.Usual(proof.Site{Column: Widest, Margin: Margin})...)
	for i := range out {
		out[i].Column = math.Max(s.Widths(out[i].Page)[column], 1)
	}
	return out
}

// Window is the screen of a window of a width.
func Window(width float64) proof.Screen {
	return proof.Nearest(proof.Site{Column: Widest, Margin: Margin}, width)
}

// Proof says what readers get of a document in a column, in a window and on the
// usual screens. Only what differs in size can be mended here; and where the
// column is too narrow, the whole row is offered, with what it brings.
func Proof(p Page, block string, f proof.Facts, base setting.Settings, terms proof.Terms, window float64) (Seen, error) {
	b, at, there := p.Find(block)
	if !there {
		return Seen{}, ErrGone
	}
	row := p.Rows[at.Row]
	s, err := b.Set.Over(base)
	if err != nil {
		return Seen{}, fmt.Errorf("set the size of a document: %w", err)
	}
	screens := Screens(row.Split, at.Column, Window(window))
	views := proof.Run(f, s, terms, screens)
	whole := proof.Look(f, s, terms, Screens(One, 0, screens[0]))
	out := Seen{View: views[0], Glosses: []Gloss{}}
	told := map[proof.Kind]bool{}
	for i, v := range views {
		if i > 0 {
			out.Worst = append(out.Worst, v.Worst())
		}
		for _, g := range v.Glosses {
			if g.Level == proof.InOrder || told[g.Kind] {
				continue
			}
			told[g.Kind] = true
			out.Glosses = append(out.Glosses, Gloss{Gloss: g, Block: block, Screen: v.Screen.Name, Mends: mends(g, b, row, s, base, v, whole[i])})
		}
	}
	return out, nil
}

const (
	mostMends = 2 // are offered
	// clearlyLarger is by how much text must grow for a whole row to be offered
	// although it does not make it readable. The offer says so.
	clearlyLarger = 1.25
)

func mends(g proof.Gloss, b Block, row Row, s, base setting.Settings, now, whole proof.View) []Mend {
	out := []Mend{}
	if row.Split != One && whole.Screen.Column > now.Screen.Column {
		after, still := whole.Find(g.Kind)
		reads := whole.Typed && (g.Kind == proof.Body || g.Kind == proof.Smallest)
		if !still || proof.Rank(after.Level) < proof.Rank(g.Level) || reads && whole.Body.Angle > clearlyLarger*now.Body.Angle {
			words := fmt.Sprintf("Give it the whole row: %.0f px", whole.Screen.Column)
			if reads {
				words += fmt.Sprintf(", body text at %.1f px: %s", whole.Body.Size, whole.Body.Band)
			}
			out = append(out, Mend{Words: words, Act: Act{Do: DoOwnRow, Block: b.ID}})
		}
	}
	for _, fix := range g.Fixes {
		if slices.ContainsFunc(fix.Set.Keys(), func(k setting.Key) bool { return !slices.Contains(Sizes(), k) }) {
			continue
		}
		next := b
		after, err := fix.Set.Over(s)
		if err != nil {
			continue
		}
		next.Set = setting.Diff(base, after)
		out = append(out, Mend{Words: fix.Words, Cost: fix.Cost, Act: Act{Do: DoChange, Block: b.ID, New: &next}})
	}
	return out[:min(len(out), mostMends)]
}

// Pulled is a block after its frame was pulled to a size, and in words where it
// came to rest.
func Pulled(p Page, block string, f proof.Facts, base setting.Settings, pull proof.Pull, window float64) (Act, string, error) {
	b, at, there := p.Find(block)
	if !there {
		return Act{}, "", ErrGone
	}
	s, err := b.Set.Over(base)
	if err != nil {
		return Act{}, "", fmt.Errorf("set the size of a document: %w", err)
	}
	pulled := pull.Apply(f, s, Screens(p.Rows[at.Row].Split, at.Column, Window(window))[0])
	after, err := pulled.Set.Over(s)
	if err != nil {
		return Act{}, "", fmt.Errorf("set the size of a document: %w", err)
	}
	b.Set = setting.Diff(base, after)
	return Act{Do: DoChange, Block: b.ID, New: &b}, pulled.Words, nil
}
