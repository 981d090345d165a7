package report

import (
	"slices"

	"golang.org/x/text/language"

	"incipit/internal/core/textflow"
)

// spoken counts letters by the language that the text around them is in, "" where that
// cannot be told.
type spoken map[string]int

// Of a long document some pages are listened to: the first ones, and every so many.
const firstPages, everyPage = 60, 8

const (
	// heard is how many letters are heard at once: enough to tell a language by, and few
	// enough that parts in several are not heard as one.
	heard = 400
	// few is how many a document has at least whose language is guessed, and plain how
	// many it takes to contradict what the file says.
	few, plain = 60, 100
)

func spokenIn(pages []Page) spoken {
	out := spoken{}
	var rest []rune
	hear := func(n int) {
		tag := textflow.Detected(string(rest[:n]))
		if len(out) == 0 && tag == "" {
			tag = textflow.DetectedFrom(string(rest[:n]), few)
		}
		out[tag] += n
		rest = rest[n:]
	}
	for i, p := range pages {
		if i >= firstPages && i%everyPage != 0 {
			continue
		}
		// Pages of little text are heard together.
		rest = append(rest, []rune(p.Text+" ")...)
		for len(rest) >= 2*heard {
			hear(heard)
		}
	}
	hear(len(rest))
	return out
}

// most is the language of more than half of what could be told, or "".
func (s spoken) most() string {
	all, best := 0, ""
	for tag, n := range s {
		if tag == "" {
			continue
		}
		if all += n; best == "" || n > s[best] || n == s[best] && tag < best {
			best = tag
		}
	}
	if best == "" || 2*s[best] <= all {
		return ""
	}
	return best
}

// against says whether the text speaks against a language that a file names: one in five
// parts of what could be told is enough to let it stand, since a file may hold several.
func (s spoken) against(named string) bool {
	all, its := 0, 0
	for tag, n := range s {
		if tag == "" {
			continue
		}
		all += n
		if alike(tag, named) {
			its += n
		}
	}
	return s.most() != "" && !alike(s.most(), named) && 5*its < all && all >= plain
}

// kin are languages that a page of text does not tell apart.
var kin = [][]string{{"no", "nb", "nn", "da"}, {"sr", "hr", "bs", "sh"}, {"id", "ms"}, {"cs", "sk"}, {"gl", "pt"}, {"zh", "yue", "wuu", "cmn"},
	{"af", "nl"}, {"hi", "mr", "ne", "bho", "mai"}}

// alike says whether two languages are one, dialects and nearest kin aside.
func alike(a, b string) bool {
	if textflow.SameLanguage(a, b) {
		return true
	}
	one, err := language.Parse(a)
	other, err2 := language.Parse(b)
	if err != nil || err2 != nil {
		return false
	}
	x, _ := one.Base()
	y, _ := other.Base()
	return slices.ContainsFunc(kin, func(k []string) bool { return slices.Contains(k, x.String()) && slices.Contains(k, y.String()) })
}
