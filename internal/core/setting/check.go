package setting

import (
	"slices"
)

// Problem is a value that cannot stand, with a sentence for the editor.
type Problem struct {
	Key     Key    `json:"key"`
	Message string `json:"message"`
}

// Problems are what is wrong with settings that cannot stand, as an error.
type Problems []Problem

func (p Problems) Error() string { return "settings that cannot stand" }

// The bounds of settings. Lengths are CSS px unless said.
const (
	MinWidth, MaxPixels = 120, 4000
	MinPercent          = 10 // of the column
	MinHeight           = 80
	MinVH, MaxVH        = 10, 200
	MinZoom, MaxZoom    = 10, 640 // percent of true size
	MaxRows             = 20
	MaxPadding          = 64
	MaxBorder           = 8
	MaxCorner           = 32
	wholePercent        = 100
	firstPage, noLimit  = 1, 0
)

// Check says what cannot stand. pages is the number of pages of the document,
// or 0 where there is none (house style).
func Check(s Settings, pages int) []Problem {
	var out []Problem
	for _, r := range rows {
		if said := r.Form.Wrong(s, pages); said != "" {
			out = append(out, Problem{r.Key, said})
		}
	}
	for _, p := range together(s) {
		if !slices.ContainsFunc(out, func(q Problem) bool { return q.Key == p.Key }) {
			out = append(out, p)
		}
	}
	return out
}
