package textflow

import (
	"slices"
	"strings"
	"unicode"

	"incipit/internal/core/overlay"
)

// A hyphen at the end of a line may divide a word or belong to it; a file does
// not say which. The document's other words tell: "observers" elsewhere makes
// "ob-servers" one word; "spring" and "tide" elsewhere, and no "springtide",
// make "spring-tide" keep its hyphen.

const soft = string(overlay.SoftHyphen)

// compounds are first parts that keep their hyphen in English.
var compounds = strings.Fields("twenty thirty forty fifty sixty seventy eighty ninety self well half non ex")

// read notes the words of a text, but for those that a line end divides.
func (l *Learner) read(text string) {
	if len(l.words) >= mostWords {
		return
	}
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && r != overlay.SoftHyphen })
	for _, w := range words {
		if !strings.HasSuffix(w, soft) {
			l.words[w] = true
		}
	}
}

// hyphened lists the words that keep their hyphen, as both parts.
func (l *Learner) hyphened() []string {
	out := []string{}
	for cut := range l.cuts {
		a, b := cut[0], cut[1]
		known := len(a) > 2 && len(b) > 2 && l.words[a] && l.words[b]
		if a != "" && b != "" && !l.words[a+b] && (known || slices.Contains(compounds, a)) {
			out = append(out, a+"-"+b)
		}
	}
	slices.Sort(out)
	return out
}

func lastWord(text string) string {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) })
	if len(words) == 0 {
		return ""
	}
	return words[len(words)-1]
}

func firstWord(text string) string {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) })
	if len(words) == 0 {
		return ""
	}
	return words[0]
}

// Settle gives runs in which a hyphen at a line end that belongs to its word is
// one.
func (s Style) Settle(runs []overlay.Run) []overlay.Run {
	var out []overlay.Run
	for i := 0; i+1 < len(runs); i++ {
		if !strings.HasSuffix(runs[i].Text, soft) {
			continue
		}
		head := strings.TrimSuffix(runs[i].Text, soft)
		if _, keep := slices.BinarySearch(s.Hyphened, lastWord(head)+"-"+firstWord(runs[i+1].Text)); keep {
			if out == nil {
				out = slices.Clone(runs)
			}
			out[i].Text = head + "-"
		}
	}
	if out == nil {
		return runs
	}
	return out
}
