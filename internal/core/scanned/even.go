package scanned

import (
	"cmp"
	"math"
	"slices"
)

const (
	oneSize  = 0.2 // share of a size by which lines of one size differ, as they are measured
	oneAngle = 1.5 // degrees by which lines of one direction do
)

// weighed is a figure of a line, and how many letters say so.
type weighed struct {
	value, letters float64
}

// middle is the figure that as many letters lie below as above.
func middle(of []weighed) float64 {
	slices.SortFunc(of, func(a, b weighed) int { return cmp.Compare(a.value, b.value) })
	all, sum := 0.0, 0.0
	for _, w := range of {
		all += w.letters
	}
	for _, w := range of {
		if sum += w.letters; 2*sum >= all {
			return w.value
		}
	}
	return 0
}

func letters(l Line) (n float64) {
	for _, w := range l.Words {
		n += float64(len([]rune(w.Text)))
	}
	return n
}

// even gives lines the few sizes, and the few directions, that the type of a page has: each
// is measured by itself, from the letters it happens to have, so those of one paragraph
// differ by a little. The middle of a line stays where it is.
func even(lines []Line) []Line {
	out := slices.Clone(lines)
	together(out, func(l Line) float64 { return l.Size }, func(a, b float64) bool { return math.Abs(a-b) <= oneSize*math.Max(a, b) },
		func(l *Line, size float64) { l.Size = size })
	together(out, func(l Line) float64 { return l.Angle }, func(a, b float64) bool { return math.Abs(a-b) <= oneAngle }, func(l *Line, angle float64) {
		last := l.Words[len(l.Words)-1]
		half := math.Max(last.At+last.Length, l.Words[0].At+l.Words[0].Length) / 2
		sin, cos := math.Sincos(l.Angle * math.Pi / 180)
		mx, my := l.X+half*cos, l.Y+half*sin
		sin, cos = math.Sincos(angle * math.Pi / 180)
		l.X, l.Y, l.Angle = mx-half*cos, my-half*sin, angle
	})
	return out
}

// together sets what is measured of lines to what most letters have, then what the others
// have that are alike, and so on.
func together(lines []Line, of func(Line) float64, alike func(a, b float64) bool, set func(*Line, float64)) {
	left := make([]int, len(lines))
	for i := range lines {
		left[i] = i
	}
	for len(left) > 0 {
		var best float64
		most := -1.0
		for _, i := range left {
			n := 0.0
			for _, k := range left {
				if alike(of(lines[i]), of(lines[k])) {
					n += letters(lines[k])
				}
			}
			if n > most {
				best, most = of(lines[i]), n
			}
		}
		var group []weighed
		for _, i := range left {
			if alike(best, of(lines[i])) {
				group = append(group, weighed{of(lines[i]), letters(lines[i])})
			}
		}
		value := middle(group)
		left = slices.DeleteFunc(left, func(i int) bool {
			is := alike(best, of(lines[i]))
			if is {
				set(&lines[i], value)
			}
			return is
		})
	}
}
