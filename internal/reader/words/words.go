// Package words is what the reader says, in eleven languages.
//
// A message is a short text with places in braces, {n}, which the server and
// the reader's script fill in the same way. The language is the one that the
// reader's browser asks for (BCP 47, RFC 4647 lookup through x/text/language),
// English where none fits. The document's own language is another matter.
package words

import (
	"embed"
	"encoding/json"
	"fmt"
	"path"
	"strings"

	"github.com/nicksnyder/go-i18n/v2/i18n"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/number"
)

//go:embed *.json
var files embed.FS

// Words are all languages.
type Words struct {
	bundle   *i18n.Bundle
	matcher  language.Matcher
	tags     []language.Tag
	messages []string // their names
}

// Load reads the languages that ship with the program.
func Load() (*Words, error) {
	w := &Words{bundle: i18n.NewBundle(language.English), tags: []language.Tag{language.English}}
	w.bundle.RegisterUnmarshalFunc("json", json.Unmarshal)
	entries, err := files.ReadDir(".")
	if err != nil {
		return nil, fmt.Errorf("list the languages: %w", err)
	}
	for _, e := range entries {
		b, err := files.ReadFile(e.Name())
		if err != nil {
			return nil, fmt.Errorf("read %s: %w", e.Name(), err)
		}
		f, err := w.bundle.ParseMessageFileBytes(b, "active."+e.Name())
		if err != nil {
			return nil, fmt.Errorf("read %s: %w", e.Name(), err)
		}
		if path.Base(e.Name()) == "en.json" {
			for _, m := range f.Messages {
				w.messages = append(w.messages, m.ID)
			}
			continue
		}
		w.tags = append(w.tags, f.Tag)
	}
	w.matcher = language.NewMatcher(w.tags)
	return w, nil
}

// Tags lists the languages, English first.
func (w *Words) Tags() []language.Tag { return w.tags }

// Language is one of them.
type Language struct {
	Tag       string // BCP 47, for the lang attribute
	Direction string // ltr or rtl
	Numbers   string // BCP 47 with the digits, for figures
	localizer *i18n.Localizer
	figures   *message.Printer
	names     []string
}

// For gives the language that suits an Accept-Language header best.
func (w *Words) For(accept string) Language {
	wanted, _, err := language.ParseAcceptLanguage(accept)
	at := 0
	if err == nil && len(wanted) > 0 {
		_, at, _ = w.matcher.Match(wanted...)
	}
	tag := w.tags[at]
	numbers := tag.String() + "-u-nu-" + digits[tag.String()]
	if digits[tag.String()] == "" {
		numbers = tag.String() + "-u-nu-latn"
	}
	return Language{Tag: tag.String(), Numbers: numbers, figures: message.NewPrinter(language.Make(numbers)), Direction: Direction(tag),
		localizer: i18n.NewLocalizer(w.bundle, tag.String()), names: w.messages}
}

// Direction is the one in which a language is written, ltr or rtl.
func Direction(tag language.Tag) string {
	switch script, _ := tag.Script(); script.String() {
	case "Arab", "Hebr", "Syrc", "Thaa", "Nkoo", "Adlm":
		return "rtl"
	}
	return "ltr"
}

// digits are the numbering systems of languages that do not write 0 to 9 (CLDR).
// Browsers are told the same, so that server and script agree.
var digits = map[string]string{"ar": "arab"}

// Figure writes a number as the language does, without grouping: page numbers.
func (l Language) Figure(n int) string {
	return l.figures.Sprint(number.Decimal(n, number.NoSeparator()))
}

// Say gives a message with its places filled: names and values by turns.
func (l Language) Say(name string, places ...any) (string, error) {
	text, err := l.localizer.Localize(&i18n.LocalizeConfig{MessageID: name})
	if err != nil {
		return "", fmt.Errorf("say %s in %s: %w", name, l.Tag, err)
	}
	for i := 0; i+1 < len(places); i += 2 {
		value := fmt.Sprint(places[i+1])
		if n, ok := places[i+1].(int); ok {
			value = l.Figure(n)
		}
		text = strings.ReplaceAll(text, fmt.Sprintf("{%v}", places[i]), value)
	}
	return text, nil
}

// ofLists begins the names of what web pages and collections say, and ofServer those of
// what only the server says: the script has no use for either.
const ofLists, ofServer = "list_", "said_"

// All gives every message of the viewer with its places as they are, for the
// script.
func (l Language) All() (map[string]string, error) {
	out := map[string]string{}
	for _, name := range l.names {
		if strings.HasPrefix(name, ofLists) || strings.HasPrefix(name, ofServer) {
			continue
		}
		text, err := l.Say(name)
		if err != nil {
			return nil, err
		}
		out[name] = text
	}
	return out, nil
}

// Bytes writes a size as the language writes figures.
func (l Language) Bytes(n int64) string {
	switch {
	case n < 1_000_000:
		return l.figures.Sprint(number.Decimal(float64(n)/1e3, number.MaxFractionDigits(0))) + " KB"
	default:
		return l.figures.Sprint(number.Decimal(float64(n)/1e6, number.MaxFractionDigits(1))) + " MB"
	}
}
