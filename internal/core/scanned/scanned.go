// Package scanned is the text that a program recognised in the picture of a page: its words,
// where each stands, and how sure the program is of it.
//
// What is written into a file is found, copied and read aloud as if somebody had typed it.
// So a page whose words are mostly guessed gets none: no text is told as such, a wrong one is
// not.
package scanned

import (
	"math"
	"strings"
	"unicode"
)

// Bounds of what is taken from one page, and how many pages of a document are looked at.
const (
	MostWords = 5000
	MostLines = 1000
	MostRunes = 100 // of a word
	MostPages = 2000
)

const (
	surely = 60 // per cent of certainty, over all letters, from which on a page's words are taken
	guess  = 20 // per cent below which a word is none: specks and rules are read as letters too
)

// Word is one word of a line. At is where it starts along the line's baseline, Length its
// extent there, both points; Sure is how sure the program is, in per cent.
type Word struct {
	Text   string  `json:"t"`
	At     float64 `json:"a"`
	Length float64 `json:"l"`
	Sure   float64 `json:"s"`
}

// Line is a line of words in sheet space (see core/sheet): X and Y are where its baseline
// starts, Angle its direction in degrees clockwise, Size the height of the type, points. Words
// stand in the order in which they are seen along the baseline; FromRight says that they are
// read the other way.
type Line struct {
	X         float64 `json:"x"`
	Y         float64 `json:"y"`
	Angle     float64 `json:"angle,omitempty"`
	Size      float64 `json:"size"`
	FromRight bool    `json:"from_right,omitempty"`
	Words     []Word  `json:"words"`
}

// Sure is how sure the program is of a page's words, letter by letter, in per cent; 0 for
// none.
func Sure(lines []Line) float64 {
	var letters, sum float64
	for _, l := range lines {
		for _, w := range l.Words {
			n := float64(len([]rune(w.Text)))
			letters += n
			sum += n * w.Sure
		}
	}
	if letters == 0 {
		return 0
	}
	return sum / letters
}

// Legible gives what of a page's lines is written into a file, nothing where too much of it
// is guessed.
func Legible(lines []Line) []Line {
	if !(Sure(lines) >= surely) {
		return nil
	}
	var out []Line
	words := 0
	for _, l := range lines {
		if len(out) >= MostLines || !within(l.X, l.Y, l.Angle) || !(l.Size > 0.5 && l.Size < 5000) {
			continue
		}
		kept := l
		kept.Words = nil
		for _, w := range l.Words {
			w.Text = strings.Map(func(c rune) rune {
				if unicode.IsControl(c) || unicode.IsSpace(c) || c == unicode.ReplacementChar {
					return -1
				}
				return c
			}, w.Text)
			if w.Text == "" || w.Sure < guess || len([]rune(w.Text)) > MostRunes || !within(w.At) || !(w.Length > 0.1 && w.Length < 20_000) || words >= MostWords {
				continue
			}
			words++
			kept.Words = append(kept.Words, w)
		}
		if len(kept.Words) > 0 {
			out = append(out, kept)
		}
	}
	return even(out)
}

// Rows names those of some pages, in order, that lie between two, by their labels: those that
// follow each other by the first and the last one.
func Rows(pages []int, from, to int, labels []string) string {
	var out []string
	for i := 0; i < len(pages); i++ {
		if pages[i] < from || pages[i] > to || pages[i] > len(labels) {
			continue
		}
		first := pages[i]
		for i+1 < len(pages) && pages[i+1] == pages[i]+1 && pages[i+1] <= min(to, len(labels)) {
			i++
		}
		said := labels[first-1]
		if pages[i] > first {
			said += "–" + labels[pages[i]-1]
		}
		out = append(out, said)
	}
	return strings.Join(out, ", ")
}

// within says whether figures are places on a sheet.
func within(of ...float64) bool {
	for _, v := range of {
		if math.IsNaN(v) || math.Abs(v) > 20_000 {
			return false
		}
	}
	return true
}
