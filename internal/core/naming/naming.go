// Package naming tells the titles that somebody gave from those that programs write
// into files unasked: the name of the file, of the program, or of nothing.
package naming

import (
	"path"
	"regexp"
	"strings"
	"unicode"
)

// programs is what programs write where they are told no title.
var programs = regexp.MustCompile(`(?i)^(untitled|unbenannt|sans titre|sin título|bez nazwy|без названия|無題|无标题|no title|title|document|dokument|presentation|präsentation|slide|folie|layout|sheet|tabelle|book|mappe|microsoft (word|powerpoint|excel)|powerpoint|word|print|scan|scanned|image|page)[\s_-]*(document|presentation|presentación|présentation)?[\s_(-]*\d*\)?$`)

// prefixes are what they write before the name of a file.
var prefixes = regexp.MustCompile(`(?i)^(microsoft (office )?(word|powerpoint|excel|publisher)|openoffice|libreoffice)\s*[-–:]`)

// file is a text that ends like the name of a file.
var file = regexp.MustCompile(`(?i)\.(pdf|docx?|odt|rtf|txt|pptx?|odp|xlsx?|ods|indd|qxd|qxp|dvi|tex|ltx|eps|ps|ai|pub|pages|key|html?|xml|fo|md|sla|cdr|dwg|tiff?|jpe?g|png)$`)

// mostTitle bounds a title, in characters.
const mostTitle = 200

// Title gives a title that a file carries, where it is a real one: words that
// somebody chose. name is the file's own.
func Title(text, name string) string {
	text = strings.TrimSpace(text)
	letters, words := 0, len(strings.Fields(text))
	for _, r := range text {
		switch {
		case unicode.IsLetter(r):
			letters++
		case r == unicode.ReplacementChar:
			return ""
		}
	}
	bare := strings.TrimSuffix(path.Base(name), path.Ext(name))
	switch {
	case letters < 3 || len([]rune(text)) > mostTitle:
	case programs.MatchString(text), prefixes.MatchString(text), file.MatchString(text):
	case strings.EqualFold(text, name), strings.EqualFold(text, bare):
	case strings.Contains(text, "://"), strings.ContainsAny(text, `\<>{}`):
	case words == 1 && strings.ContainsAny(text, "_0123456789"): // scan0043, final_NEW
	default:
		return text
	}
	return ""
}
