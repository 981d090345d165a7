package scanned

import (
	"slices"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

// MostLanguages is how many languages a document is read in at once: each makes it slower,
// and the guesses worse.
const MostLanguages = 3

// Language is one that the program can read: its name for it, which is that of ISO 639-2 or
// 639-3 with or without a script, as deu or chi_sim, and the English one.
type Language struct{ Code, Name string }

// special are names that are no codes of a language: the program's own.
var special = map[string]string{"chi_sim": "zh-Hans", "chi_tra": "zh-Hant", "kmr": "ku", "srp_latn": "sr-Latn", "aze_cyrl": "az-Cyrl", "uzb_cyrl": "uz-Cyrl",
	"fas": "fa", "nor": "nb", "frk": "", "deu_frak": "", "dan_frak": "", "slk_frak": ""}

// TagOf gives the tag (BCP 47) of a language by the program's name, "" for what is none: the
// program also knows pages of formulas, and how a page is turned.
func TagOf(code string) string {
	if tag, ok := special[code]; ok {
		return tag
	}
	if len(code) != 3 || strings.ToLower(code) != code {
		return ""
	}
	base, err := language.ParseBase(code)
	if err != nil || code == "osd" || code == "equ" {
		return ""
	}
	return base.String()
}

// Languages gives those that the program can read, by their English names.
func Languages(codes []string) (out []Language) {
	names := display.English.Tags()
	for _, code := range codes {
		if tag := TagOf(code); tag != "" {
			name := names.Name(language.Make(tag))
			if tag == "sr-Latn" { // which has a name of its own there, that few would look for
				name = "Serbian (Latin)"
			}
			if name != "" {
				out = append(out, Language{code, name})
			}
		}
	}
	slices.SortFunc(out, func(a, b Language) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// Of gives the program's name for a language, "" where it does not know it.
func Of(tag string, codes []string) string {
	want, err := language.Parse(tag)
	if tag == "" || err != nil {
		return ""
	}
	best, at := language.No, ""
	for _, code := range codes {
		known := TagOf(code)
		if known == "" {
			continue
		}
		if _, _, how := language.NewMatcher([]language.Tag{language.Make(known)}).Match(want); how > best && how >= language.High {
			best, at = how, code
		}
	}
	return at
}

// Chosen gives those of the languages somebody chose that the program can read, in their
// order and as many as may be.
func Chosen(wanted, codes []string) (out []string) {
	for _, code := range wanted {
		if TagOf(code) != "" && slices.Contains(codes, code) && !slices.Contains(out, code) && len(out) < MostLanguages {
			out = append(out, code)
		}
	}
	return out
}
