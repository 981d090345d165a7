// Package dress is the reader's colours under a placement's settings.
//
// The light and dark schemes are the product's own. A placement's own colours
// are three, paper, ink and accent; everything else the reader draws is mixed
// of them, so that an editor chooses three colours and judges three ratios.
package dress

import (
	"incipit/internal/core/contrast"
	"incipit/internal/core/setting"
)

// Tokens are the reader's colours by the names its style sheet has for them.
type Tokens struct {
	Vellum, VellumDeep, Leaf, Ink, InkSoft, Rule, Edge, Rubric, Lapis string
}

// The product's schemes.
var (
	LightTokens = Tokens{"#f8f4ea", "#efe8d8", "#fffdf8", "#23222b", "#5a5664", "#d9cfba", "#b9ae97", "#9c2a24", "#24467a"}
	DarkTokens  = Tokens{"#23222b", "#1b1a21", "#2b2a33", "#f8f4ea", "#c4bdae", "#45424d", "#6e6976", "#e38c84", "#9dbbea"}
)

// Own mixes the tokens of own colours.
func Own(p setting.Palette) Tokens {
	return Tokens{
		Leaf: p.Paper, Ink: p.Ink, Lapis: p.Accent, Rubric: p.Ink,
		Vellum:     contrast.Mix(p.Paper, p.Ink, 0.04),
		VellumDeep: contrast.Mix(p.Paper, p.Ink, 0.10),
		InkSoft:    contrast.Mix(p.Ink, p.Paper, 0.20),
		Rule:       contrast.Mix(p.Paper, p.Ink, 0.18),
		Edge:       contrast.Mix(p.Paper, p.Ink, 0.45),
	}
}

// Pair is one colour that stands on another, with what it needs.
type Pair struct {
	Name  string  `json:"name"`
	Ratio float64 `json:"ratio"`
	Needs float64 `json:"needs"`
}

// Enough says whether the ratio is what WCAG 2.2 asks for.
func (p Pair) Enough() bool { return p.Ratio >= p.Needs }

// Pairs measures the tokens that stand on each other in the reader.
func Pairs(t Tokens) []Pair {
	return []Pair{
		{"Text on paper", contrast.Ratio(t.Ink, t.Leaf), contrast.Text},
		{"Quiet text on paper", contrast.Ratio(t.InkSoft, t.Leaf), contrast.Text},
		{"Numbers on the fore-edge", contrast.Ratio(t.InkSoft, t.Vellum), contrast.Text},
		{"Focus on paper", contrast.Ratio(t.Lapis, t.Leaf), contrast.Control},
	}
}

// Mended gives the nearest own colours whose pairs are all enough. ok is false
// where the paper lets none be.
func Mended(p setting.Palette) (setting.Palette, bool) {
	all := func(p setting.Palette, pairs ...int) bool {
		measured := Pairs(Own(p))
		for _, i := range pairs {
			if !measured[i].Enough() {
				return false
			}
		}
		return true
	}
	ink, ok := contrast.Reach(p.Ink, func(c string) bool {
		p.Ink = c
		return all(p, 0, 1, 2)
	})
	if !ok {
		return p, false
	}
	p.Ink = ink
	p.Accent, ok = contrast.Reach(p.Accent, func(c string) bool {
		p.Accent = c
		return all(p, 3)
	})
	return p, ok
}
