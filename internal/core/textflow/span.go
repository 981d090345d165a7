package textflow

import (
	"math"
	"strings"
	"unicode/utf8"

	"incipit/internal/core/overlay"
)

// Span is a part of a block's text, from one rune up to another, that stands out or
// leads somewhere.
type Span struct {
	From, To        int
	Bold, Italic    bool
	Raised, Lowered bool   // smaller, and above or below the line
	Page            int    // that it leads to; 0 is none
	Printed         string // the number of a page that it names, as the page has it, or ""
	Address         string // on the web, or ""
	Note            int    // the note that it refers to, counted from 1 on its page; 0 is none
	NotePage        int    // the page of that note
	Ruby            string // how it is read, or ""
}

// alike says whether two spans look and lead the same.
func (s Span) alike(o Span) bool {
	s.From, s.To, o.From, o.To = 0, 0, 0, 0
	return s == o
}

// plain says whether a span says nothing.
func (s Span) plain() bool { return s.alike(Span{}) }

// said is a text with the spans in it.
type said struct {
	text  string
	spans []Span
}

// add puts a text behind this one.
func (s *said) add(gap string, o said) {
	at := utf8.RuneCountInString(s.text + gap)
	s.text += gap + o.text
	for _, span := range o.spans {
		span.From, span.To = span.From+at, span.To+at
		if n := len(s.spans); n > 0 && s.spans[n-1].alike(span) && span.From-s.spans[n-1].To <= utf8.RuneCountInString(gap) {
			s.spans[n-1].To = span.To
			continue
		}
		s.spans = append(s.spans, span)
	}
}

// without gives the text without what stands before a rest of it.
func (s said) without(rest string) said {
	cut := utf8.RuneCountInString(s.text) - utf8.RuneCountInString(rest)
	out := said{text: rest}
	for _, span := range s.spans {
		if span.From, span.To = max(span.From-cut, 0), span.To-cut; span.To > span.From {
			out.spans = append(out.spans, span)
		}
	}
	return out
}

// trimmed leaves out white around the text.
func (s said) trimmed() said {
	left := strings.TrimLeft(s.text, " ")
	out := s.without(left)
	out.text = strings.TrimRight(left, " ")
	most := utf8.RuneCountInString(out.text)
	for i := range out.spans {
		out.spans[i].To = min(out.spans[i].To, most)
	}
	return out
}

// wordsOf puts runs together to one text, in which what stands out and what leads
// somewhere is marked.
func wordsOf(runs []overlay.Run, links []overlay.Link) said {
	var out said
	gap := ""
	for i, r := range runs {
		text, before := r.Text, gap
		gap = ""
		raised, lowered := offLine(runs, i)
		if i+1 < len(runs) {
			gap = overlay.Joint(r, runs[i+1])
			if runs[i+1].Angle == r.Angle && beside(r, runs[i+1]) {
				gap = ""
			}
			text = strings.TrimRight(text, soft)
		}
		out.add(before, said{text, spansOf(r, text, links, Span{Bold: r.Bold, Italic: r.Italic, Raised: raised, Lowered: lowered})})
	}
	return out.trimmed()
}

// How much smaller than their line letters are that stand above or below it, and how
// far off they stand, in em of the line.
const (
	smaller  = 0.85
	rises    = 0.15
	sinks    = 0.08
	farthest = 0.9
)

// offLine says whether a run is raised above the line it stands in, or lowered
// below it: the line is where its neighbours of the largest size stand.
func offLine(runs []overlay.Run, i int) (raised, lowered bool) {
	r := runs[i]
	if r.Line == 0 || r.Upright {
		return false, false
	}
	var line overlay.Run
	for _, step := range []int{-1, 1} {
		for j := i + step; j >= 0 && j < len(runs) && runs[j].Line == r.Line; j += step {
			if runs[j].Size > line.Size {
				line = runs[j]
			}
		}
	}
	if line.Size == 0 || r.Size > smaller*line.Size {
		return false, false
	}
	a := r.Angle * math.Pi / 180
	below := (r.Y-line.Y)*math.Cos(a) - (r.X-line.X)*math.Sin(a)
	return below < -rises*line.Size && below > -farthest*line.Size, below > sinks*line.Size && below < farthest*line.Size
}

// spansOf marks a run's text, all of which has one look.
func spansOf(r overlay.Run, text string, links []overlay.Link, look Span) []Span {
	n := utf8.RuneCountInString(text)
	whole := r.Box(0, 0)
	var near []overlay.Link
	for _, l := range links {
		if l.Box.X < whole.X+whole.W && whole.X < l.Box.X+l.Box.W && l.Box.Y < whole.Y+whole.H && whole.Y < l.Box.Y+l.Box.H {
			near = append(near, l)
		}
	}
	if len(near) == 0 && len(r.Ruby) == 0 {
		if look.plain() || n == 0 {
			return nil
		}
		look.To = n
		return []Span{look}
	}
	var out []Span
	for i := range n {
		s := look
		b := r.Box(i, i+1)
		x, y := b.X+b.W/2, b.Y+b.H/2
		for _, l := range near {
			if x >= l.Box.X && x <= l.Box.X+l.Box.W && y >= l.Box.Y && y <= l.Box.Y+l.Box.H {
				s.Page, s.Address = l.Page, l.Address
				break
			}
		}
		for _, ruby := range r.Ruby {
			if i >= ruby.From && i < ruby.To {
				s.Ruby = ruby.Text
			}
		}
		if s.plain() {
			continue
		}
		if k := len(out); k > 0 && out[k-1].To == i && out[k-1].alike(s) {
			out[k-1].To = i + 1
			continue
		}
		s.From, s.To = i, i+1
		out = append(out, s)
	}
	return out
}

// leads keeps of spans what leads somewhere: in a heading all stands out.
func leads(spans []Span) []Span { return without(spans, true, true) }

func without(spans []Span, bold, italic bool) []Span {
	var out said
	for _, s := range spans {
		s.Bold, s.Italic = s.Bold && !bold, s.Italic && !italic
		if s.plain() {
			continue
		}
		if n := len(out.spans); n > 0 && out.spans[n-1].alike(s) && s.From <= out.spans[n-1].To+1 {
			out.spans[n-1].To = s.To
			continue
		}
		out.spans = append(out.spans, s)
	}
	return out.spans
}

// stands leaves out what does not stand out: where most of a text is bold, or
// slanted, that is how it is set.
func stands(text string, spans []Span) []Span {
	bold, italic := 0, 0
	for _, s := range spans {
		if s.Bold {
			bold += s.To - s.From
		}
		if s.Italic {
			italic += s.To - s.From
		}
	}
	most := utf8.RuneCountInString(text) * 7 / 10
	if bold > most || italic > most {
		return without(spans, bold > most, italic > most)
	}
	return spans
}
