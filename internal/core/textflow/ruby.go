package textflow

import (
	"math"
	"strings"
	"unicode"
	"unicode/utf8"

	"incipit/internal/core/overlay"
)

// Ruby is small letters that stand beside a line and say how its characters are
// read (JIS X 4051; CSS Ruby Annotation Layout). A page has them as lines of their
// own; read as such they tear the text apart that they are about.

const (
	rubySize = 0.62 // of its line's, at most
	// How far its line lies from the line it is about, in em of that.
	rubyNear, rubyFar = 0.45, 1.5
)

// mostRuby bounds what is looked at as ruby on one page.
const mostRuby = 1000

// isRuby says whether a text may be ruby: letters that stand for sounds.
func isRuby(text string) bool {
	return text != "" && !strings.ContainsFunc(text, func(r rune) bool {
		return !unicode.In(r, unicode.Hiragana, unicode.Katakana, unicode.Bopomofo) && r != 'ー' && r != '・' && r != ' '
	})
}

// along gives where a run lies along its line, and across it: lines follow each
// other as across grows.
func along(r overlay.Run) (from, across float64) {
	if r.Upright {
		return r.Y, -r.X
	}
	a := r.Angle * math.Pi / 180
	return r.X*math.Cos(a) + r.Y*math.Sin(a), -r.X*math.Sin(a) + r.Y*math.Cos(a)
}

// rubied parts ruby from what it is about. The runs that are left carry it.
func rubied(runs []overlay.Run) (base, ruby []overlay.Run) {
	is := map[int]bool{}
	looked := 0
	for i, r := range runs {
		if !isRuby(r.Text) {
			continue
		}
		if looked++; looked > mostRuby {
			break
		}
		from, across := along(r)
		for k := range runs {
			b := &runs[k]
			if b.Size*rubySize < r.Size || b.Upright != r.Upright || b.Angle != r.Angle || isRuby(b.Text) {
				continue
			}
			at, line := along(*b)
			off := (line - across) / b.Size
			if off < rubyNear || off > rubyFar || from+r.Length < at || from > at+b.Length {
				continue
			}
			first, end := -1, 0
			for n := range utf8.RuneCountInString(b.Text) {
				if 2*n+1 >= len(b.Places) {
					break
				}
				if middle := at + b.Places[2*n] + b.Places[2*n+1]/2; middle > from-0.5*r.Size && middle < from+r.Length+0.5*r.Size {
					if first < 0 {
						first = n
					}
					end = n + 1
				}
			}
			if first < 0 {
				continue
			}
			if len(is) == 0 { // runs belong to whoever gave them
				runs = append([]overlay.Run{}, runs...)
				b = &runs[k]
			}
			b.Ruby = append(b.Ruby, overlay.Ruby{From: first, To: end, Text: strings.TrimSpace(r.Text)})
			is[i] = true
			break
		}
	}
	if len(is) == 0 {
		return runs, nil
	}
	for i, r := range runs {
		if is[i] {
			ruby = append(ruby, r)
		} else {
			base = append(base, r)
		}
	}
	return base, ruby
}
