package find

import "golang.org/x/text/language"

// stems are the languages whose stems PostgreSQL knows (its manual, "Snowball
// Dictionary"), by their ISO 639-1 code.
var stems = map[string]string{
	"ar": "arabic", "hy": "armenian", "eu": "basque", "ca": "catalan", "da": "danish", "nl": "dutch", "en": "english", "fi": "finnish",
	"fr": "french", "de": "german", "el": "greek", "hi": "hindi", "hu": "hungarian", "id": "indonesian", "ga": "irish", "it": "italian",
	"lt": "lithuanian", "ne": "nepali", "no": "norwegian", "nb": "norwegian", "nn": "norwegian", "pt": "portuguese", "ro": "romanian",
	"ru": "russian", "sr": "serbian", "es": "spanish", "sv": "swedish", "ta": "tamil", "tr": "turkish", "yi": "yiddish",
}

// Unstemmed is the configuration for languages whose stems are not known.
const Unstemmed = "simple"

// Stemming names PostgreSQL's configuration for a language (BCP 47).
func Stemming(tag string) string {
	t, err := language.Parse(tag)
	if err != nil {
		return Unstemmed
	}
	base, _ := t.Base()
	if s, ok := stems[base.String()]; ok {
		return s
	}
	return Unstemmed
}
