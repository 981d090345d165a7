package setting

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"incipit/internal/core/toolbar"
)

// Form is what a setting may be: what house style starts from, what cannot stand, and how
// a value is said.
type Form interface {
	// Start gives it the value that house style starts from.
	Start(*Settings)
	// Wrong says in a sentence why its value cannot stand in a document of some pages (0 is
	// house style), or "".
	Wrong(s Settings, pages int) string
	// Words says its value.
	Words(s Settings) string
	// Bounds says what it may be.
	Bounds() string
}

// Option is one value of a OneOf: how it is said in a sentence, and on the panel, with a
// title that says more, or "".
type Option struct{ Value, Words, Label, Title string }

// OneOf is one of a few values.
type OneOf struct {
	At      func(*Settings) *string
	First   string // what house style starts from
	Refusal string // says what it may be
	Options []Option
}

// Start implements Form.
func (f OneOf) Start(s *Settings) { *f.At(s) = f.First }

// Wrong implements Form.
func (f OneOf) Wrong(s Settings, _ int) string {
	if slices.ContainsFunc(f.Options, func(o Option) bool { return o.Value == *f.At(&s) }) {
		return ""
	}
	return f.Refusal
}

// Words implements Form.
func (f OneOf) Words(s Settings) string {
	for _, o := range f.Options {
		if o.Value == *f.At(&s) {
			return o.Words
		}
	}
	return ""
}

// Bounds implements Form.
func (f OneOf) Bounds() string {
	var out []string
	for _, o := range f.Options {
		out = append(out, o.Words)
	}
	return strings.Join(out, "; ")
}

// Switch is on or off.
type Switch struct {
	At     func(*Settings) *bool
	First  bool
	Said   [2]string // on and off in a sentence
	Labels [2]string // and on the panel
}

// Start implements Form.
func (f Switch) Start(s *Settings) { *f.At(s) = f.First }

// Wrong implements Form: a switch stands either way.
func (f Switch) Wrong(Settings, int) string { return "" }

// Words implements Form.
func (f Switch) Words(s Settings) string {
	if *f.At(&s) {
		return f.Said[0]
	}
	return f.Said[1]
}

// Bounds implements Form.
func (f Switch) Bounds() string { return f.Said[0] + "; " + f.Said[1] }

// Limit is a bound that need not be there: 0 is none.
type Limit struct {
	At        func(*Settings) *float64
	Noun      string // begins a sentence about it
	Low, High float64
	Unit      string // px, or % of true size
	None      string // says that there is none
}

// Start implements Form.
func (f Limit) Start(s *Settings) { *f.At(s) = noLimit }

// Wrong implements Form.
func (f Limit) Wrong(s Settings, _ int) string {
	if v := *f.At(&s); v != noLimit && !within(v, f.Low, f.High) {
		return fmt.Sprintf("%s goes from %g to %g %s; leave it empty for none.", f.Noun, f.Low, f.High, f.Unit)
	}
	return ""
}

// Words implements Form.
func (f Limit) Words(s Settings) string {
	if *f.At(&s) == noLimit {
		return f.None
	}
	return Number(*f.At(&s)) + " " + f.Unit
}

// Bounds implements Form.
func (f Limit) Bounds() string { return fmt.Sprintf("%g to %g %s; %s", f.Low, f.High, f.Unit, f.None) }

// Measure is a length in CSS px from 0 on.
type Measure struct {
	At    func(*Settings) *float64
	First float64
	Noun  string // begins a sentence about it
	Most  float64
	Whole bool // it has no fraction
}

// Start implements Form.
func (f Measure) Start(s *Settings) { *f.At(s) = f.First }

// Wrong implements Form.
func (f Measure) Wrong(s Settings, _ int) string {
	v := *f.At(&s)
	switch {
	case !within(v, 0, f.Most):
		return fmt.Sprintf("%s goes from 0 to %g px.", f.Noun, f.Most)
	case f.Whole && !whole(v):
		return f.Noun + " is whole px."
	}
	return ""
}

// Words implements Form.
func (f Measure) Words(s Settings) string { return Number(*f.At(&s)) + " px" }

// Bounds implements Form.
func (f Measure) Bounds() string { return fmt.Sprintf("0 to %g px", f.Most) }

// ToolSet are tools in their order.
type ToolSet struct {
	At    func(*Settings) *toolbar.Set
	First toolbar.Set
}

// Start implements Form.
func (f ToolSet) Start(s *Settings) { *f.At(s) = slices.Clone(f.First) }

// Wrong implements Form: what is no tool is not read as one.
func (f ToolSet) Wrong(Settings, int) string { return "" }

// Words implements Form.
func (f ToolSet) Words(s Settings) string {
	tools := *f.At(&s)
	if len(tools) == 0 {
		return "none"
	}
	var names []string
	for _, t := range tools {
		names = append(names, strings.ToLower(t.Name()))
	}
	return strings.Join(names, ", ")
}

// Bounds implements Form.
func (f ToolSet) Bounds() string { return "any tools in any order" }

// Special is a setting with rules of its own.
type Special[T any] struct {
	At    func(*Settings) *T
	First T
	Check func(s Settings, pages int) string
	Say   func(s Settings) string
	Range string
}

// Start implements Form.
func (f Special[T]) Start(s *Settings) { *f.At(s) = f.First }

// Wrong implements Form.
func (f Special[T]) Wrong(s Settings, pages int) string { return f.Check(s, pages) }

// Words implements Form.
func (f Special[T]) Words(s Settings) string { return f.Say(s) }

// Bounds implements Form.
func (f Special[T]) Bounds() string { return f.Range }

func whole(v float64) bool { return v == math.Trunc(v) }

func within(v, low, high float64) bool { return !math.IsNaN(v) && v >= low && v <= high }
