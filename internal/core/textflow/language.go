package textflow

import (
	"cmp"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/abadojack/whatlanggo"
	"golang.org/x/text/language"
)

// Languages are named as BCP 47 has it. What a file says counts where it is a
// language; else the text itself is looked at, by its script and by how often which
// three letters follow each other (whatlanggo). Nothing is taken for English
// because nothing else is known.

const (
	// sample is how many letters of a page are looked at, and enough how many it takes
	// to tell.
	sample = 1200
	enough = 120
	// Of a long document some pages are looked at: the first ones, and every so many.
	firstPages, everyPage = 20, 16
	// partLetters is how many letters a paragraph has at least whose language is told
	// by itself.
	partLetters = 160
	// mostTold bounds the paragraphs that are looked at, at once.
	mostTold = 400
)

// listen notes the language of a page.
func (l *Learner) listen(p Page) {
	if len(l.spoken) > 100 || p.Number > firstPages && p.Number%everyPage != 0 {
		return
	}
	var b strings.Builder
	n := 0
	for _, r := range p.Runs {
		if n += utf8.RuneCountInString(r.Text); n > sample {
			break
		}
		b.WriteString(r.Text + " ")
	}
	l.spoken[Detected(b.String())] += n
}

// language is the one that most of what could be told is in.
func (l *Learner) language() string {
	best, all := "", 0
	for tag, n := range l.spoken {
		if tag == "" {
			continue
		}
		if all += n; n > l.spoken[best] || best == "" || n == l.spoken[best] && tag < best {
			best = tag
		}
	}
	if best == "" || 2*l.spoken[best] <= all {
		return ""
	}
	return best
}

// Language gives the language that a file names, if it is one: "" otherwise.
func Language(named string) string {
	named = strings.TrimSpace(strings.ReplaceAll(named, "_", "-"))
	tag, err := language.Parse(named)
	if err != nil || tag == language.Und {
		return ""
	}
	return tag.String()
}

// Detected gives the language that a text is in, or "" where that cannot be told.
func Detected(text string) string { return DetectedFrom(text, enough) }

// DetectedFrom does so for a text of at least so many letters of a script that several
// languages share.
func DetectedFrom(text string, least int) string {
	letters := 0
	for _, r := range text {
		if unicode.IsLetter(r) {
			letters++
		}
	}
	script := whatlanggo.DetectScript(text)
	if letters < least && (script == unicode.Latin || script == unicode.Cyrillic || script == unicode.Arabic ||
		script == unicode.Devanagari) || letters == 0 {
		return ""
	}
	info := whatlanggo.Detect(text)
	if !info.IsReliable() {
		return ""
	}
	tag, err := language.Parse(cmp.Or(info.Lang.Iso6391(), info.Lang.Iso6393()))
	if err != nil {
		return ""
	}
	return tag.String()
}

// SameLanguage says whether two languages are one, dialects aside.
func SameLanguage(a, b string) bool {
	one, err := language.Parse(a)
	other, err2 := language.Parse(b)
	if err != nil || err2 != nil {
		return strings.EqualFold(a, b)
	}
	x, _ := one.Base()
	y, _ := other.Base()
	return x == y
}

// speak gives paragraphs that are in another language than the document that
// language, where nothing has said it.
func speak(blocks []Block, document string) {
	told := 0
	for i := range blocks {
		b := &blocks[i]
		if b.Language != "" {
			b.Language = Language(b.Language)
		}
		if b.Language != "" || b.Kind == Code || b.Kind == Formula || utf8.RuneCountInString(b.Text) < partLetters {
			continue
		}
		if told++; told > mostTold {
			return
		}
		if own := Detected(string([]rune(b.Text)[:min(sample/2, utf8.RuneCountInString(b.Text))])); own != "" && !SameLanguage(own, document) {
			b.Language = own
		}
	}
}

// Direction says which way a text runs, by most of its letters: "rtl" or "ltr".
func Direction(text string) string {
	n := 0
	for _, r := range text {
		switch {
		case unicode.In(r, unicode.Arabic, unicode.Hebrew, unicode.Syriac, unicode.Thaana, unicode.Nko):
			n++
		case unicode.IsLetter(r):
			n--
		}
	}
	if n > 0 {
		return "rtl"
	}
	return "ltr"
}
