package embed

import (
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	addr "incipit/internal/core/address"
)

// Kind is what stands on a web page.
type Kind string

// What can be found.
const (
	KindFrame   Kind = "frame"   // <iframe> of a reader
	KindElement Kind = "element" // <incipit-placement>
	KindOver    Kind = "over"    // a link that opens over the page
	KindHere    Kind = "here"    // a link that becomes a viewer
	KindOpen    Kind = "link"    // a plain link to a reader
	KindFile    Kind = "file"    // a link to a PDF
	KindOld     Kind = "old"     // <embed> or <object> of a PDF
	KindPDF     Kind = "pdf"     // <iframe> of a PDF
	KindScript  Kind = "script"  // our script
	KindShown   Kind = "shown"   // code that readers see as text
	KindPlain   Kind = "plain"   // an address of a reader that readers see as text
)

// Found is one of them.
type Found struct {
	Kind     Kind
	Line     int // in the source, from 1
	Address  string
	Attr     map[string]string
	Text     string // what a link says, or the code that is shown
	Order    int    // how many characters of text and pictures' worth stand before it
	Column   float64
	Heighted bool   // an element around it has a height of its own
	Kept     bool   // what stands inside it keeps its room
	Hidden   bool   // it, or an element around it, is not shown
	Shrinks  string // an element around it is as wide as what it holds: how
}

// Viewer says whether it is a document of ours, or leads to one.
func (f Found) Viewer() bool {
	switch f.Kind {
	case KindFrame, KindElement, KindOver, KindHere, KindOpen:
		return true
	}
	return false
}

// Has says whether an attribute is there.
func (f Found) Has(name string) bool { _, ok := f.Attr[name]; return ok }

// Page is a web page as it was read.
type Page struct {
	Found []Found
	IDs   map[string][]int // ids and the lines on which they stand, those of viewers' elements
	CSP   []string         // policies in the page itself
	Base  string           // of <base>
	Text  int              // characters of text
	// Styles are rules of the page's own style sheets that size or hide frames.
	Styles []FrameStyle
	HTTPS  bool // the page says that its own address begins with https
}

// FrameStyle is a rule of a page about frames.
type FrameStyle struct {
	Line int
	Rule string
}

var (
	px        = regexp.MustCompile(`(?i)(?:^|;)\s*(?:max-)?width\s*:\s*(\d+(?:\.\d+)?)px`)
	heighted  = regexp.MustCompile(`(?i)(?:^|;)\s*(?:min-)?height\s*:\s*\d`)
	readerKey = regexp.MustCompile(`/r/([^/?#"'\s]*)`)
	hidden    = regexp.MustCompile(`(?i)(?:^|;)\s*(?:display\s*:\s*none|visibility\s*:\s*hidden)`)
	shrinking = regexp.MustCompile(`(?i)(?:^|;)\s*(float\s*:\s*(?:left|right)|display\s*:\s*(?:inline-block|inline-flex|inline-grid|table|table-cell)|width\s*:\s*(?:fit|min|max)-content|position\s*:\s*absolute)`)
	frameRule = regexp.MustCompile(`(?i)(?:^|[{},;\s])([^{}@]*\b(?:iframe|incipit-placement)\b[^{}]*)\{([^}]*)\}`)
	sizing    = regexp.MustCompile(`(?i)(?:^|;)\s*(?:(?:min-|max-)?height\s*:|aspect-ratio\s*:|display\s*:\s*none|width\s*:\s*\d)`)
	quoting   = strings.NewReplacer("“", `"`, "”", `"`, "„", `"`, "″", `"`, "«", `"`, "»", `"`, "‘", "'", "’", "'")
)

// Tidy takes what does not belong from around an address: spaces, quotation
// marks of any kind, and entities that were escaped twice.
func Tidy(address string) string {
	for range 3 {
		address = html.UnescapeString(address)
	}
	return strings.Trim(quoting.Replace(address), "\"' \t\r\n\u00a0\u200b\\")
}

// Read finds in a page's source everything that belongs to documents: viewers of
// a host, its script, PDFs set or linked in other ways, and code that is shown.
func Read(source, ours string) Page {
	page := Page{IDs: map[string][]int{}}
	z := html.NewTokenizer(strings.NewReader(source))
	line := 1
	type open struct {
		name    string
		column  float64
		height  bool
		hidden  bool
		shrinks string
		found   int // of an element of ours, in page.Found; else -1
	}
	var stack []open
	var text strings.Builder
	skip := ""
	link, link0 := -1, -1 // the link that text stands in; the same for text that is flushed
	flush := func(at int) {
		shown := text.String()
		text.Reset()
		page.Text += len([]rune(strings.TrimSpace(shown)))
		plain := quoting.Replace(shown)
		if i := strings.Index(plain, "<iframe"); i >= 0 && (strings.Contains(plain, addr.Reader("")) || strings.Contains(plain, ".pdf")) {
			page.Found = append(page.Found, Found{Kind: KindShown, Line: at, Text: strings.TrimSpace(shown), Order: page.Text})
		} else if strings.Contains(plain, "<incipit-placement") || strings.Contains(plain, addr.Script) && strings.Contains(plain, "<script") {
			page.Found = append(page.Found, Found{Kind: KindShown, Line: at, Text: strings.TrimSpace(shown), Order: page.Text})
		} else if address := bareAddress(plain, ours); address != "" && link0 < 0 {
			page.Found = append(page.Found, Found{Kind: KindPlain, Line: at, Address: address, Attr: map[string]string{},
				Text: strings.TrimSpace(shown), Order: page.Text})
		}
	}
	began := 1
	for {
		kind := z.Next()
		raw := string(z.Raw())
		at := line
		line += strings.Count(raw, "\n")
		if kind == html.ErrorToken {
			flush(began)
			return page
		}
		if kind == html.TextToken {
			if skip == "style" {
				page.styles(raw, at)
			}
			if skip == "" {
				if text.Len() == 0 {
					began = at
				}
				text.WriteString(html.UnescapeString(raw))
				link0 = link
				if link >= 0 {
					page.Found[link].Text += strings.TrimSpace(html.UnescapeString(raw))
				}
			}
			continue
		}
		token := z.Token()
		name := strings.ToLower(token.Data)
		if kind == html.EndTagToken {
			if name == skip {
				skip = ""
			}
			if name == "a" {
				link = -1
			}
			for i := len(stack) - 1; i >= 0; i-- {
				if stack[i].name == name {
					stack = stack[:i]
					break
				}
			}
			continue
		}
		if kind != html.StartTagToken && kind != html.SelfClosingTagToken {
			continue
		}
		if !inText[token.DataAtom] {
			flush(began)
		}
		f := Found{Line: at, Attr: map[string]string{}, Order: page.Text}
		for _, a := range token.Attr {
			if _, twice := f.Attr[a.Key]; !twice {
				f.Attr[a.Key] = a.Val
			}
		}
		inside := -1
		for i := len(stack) - 1; i >= 0; i-- {
			if stack[i].column > 0 && (f.Column == 0 || stack[i].column < f.Column) {
				f.Column = stack[i].column
			}
			f.Heighted = f.Heighted || stack[i].height
			f.Hidden = f.Hidden || stack[i].hidden
			if f.Shrinks == "" {
				f.Shrinks = stack[i].shrinks
			}
			if n := stack[i].found; n >= 0 {
				inside = n
			}
		}
		style := f.Attr["style"]
		if _, there := f.Attr["hidden"]; there || hidden.MatchString(style) {
			f.Hidden = true
		}
		if inside >= 0 && strings.Contains(style, "padding-bottom") {
			page.Found[inside].Kept = true
		}
		switch name {
		case "script", "style", "textarea", "noscript", "template", "title":
			if kind == html.StartTagToken && name != "noscript" {
				skip = name
			}
		case "base":
			page.Base = f.Attr["href"]
		case "link":
			page.HTTPS = page.HTTPS || strings.EqualFold(f.Attr["rel"], "canonical") && strings.HasPrefix(f.Attr["href"], "https:")
		case "meta":
			if strings.EqualFold(f.Attr["http-equiv"], "content-security-policy") {
				page.CSP = append(page.CSP, f.Attr["content"])
			}
		}
		if f.Kind, f.Address = kindOf(name, f.Attr, ours); f.Kind != "" && !page.same(f, inside) {
			page.Found = append(page.Found, f)
			if name == "a" && kind == html.StartTagToken {
				link = len(page.Found) - 1
			}
		}
		if id := f.Attr["id"]; id != "" {
			page.IDs[id] = append(page.IDs[id], at)
		}
		if kind == html.StartTagToken && !void[token.DataAtom] {
			o := open{name: name, hidden: f.Hidden, found: -1}
			if f.Kind == KindElement {
				o.found = len(page.Found) - 1
			}
			if m := shrinking.FindStringSubmatch(style); m != nil {
				o.shrinks = strings.Join(strings.Fields(m[1]), " ")
			} else if name == "td" || name == "th" {
				o.shrinks = "a table cell"
			}
			if m := px.FindStringSubmatch(f.Attr["style"]); m != nil {
				o.column, _ = strconv.ParseFloat(m[1], 64)
			} else if w, err := strconv.ParseFloat(f.Attr["width"], 64); err == nil && (name == "td" || name == "table") {
				o.column = w
			}
			o.height = heighted.MatchString(f.Attr["style"])
			stack = append(stack, o)
		}
	}
}

// same says whether what was found belongs to the document before: the link that
// stands in an element until it is filled, or right behind a frame of it.
func (p *Page) same(f Found, inside int) bool {
	if f.Kind != KindOpen {
		return false
	}
	if inside >= 0 {
		return true
	}
	n := len(p.Found) - 1
	return n >= 0 && p.Found[n].Kind == KindFrame && p.Text-p.Found[n].Order < besideFrame && keyIn(p.Found[n].Address) != "" &&
		keyIn(p.Found[n].Address) == keyIn(f.Address)
}

// besideFrame is how much text may stand between a frame and a link that belongs to it.
const besideFrame = 40

func keyIn(address string) string {
	if m := readerKey.FindStringSubmatch(address); m != nil {
		return m[1]
	}
	return ""
}

// bareAddress finds an address of a reader in text, or "".
func bareAddress(text, ours string) string {
	i := strings.Index(text, ours+addr.Reader(""))
	if i < 0 {
		return ""
	}
	address, _, _ := strings.Cut(text[i:], " ")
	return strings.TrimRight(strings.Fields(address)[0], ".,;:!?)”\"'")
}

// mostStyles bounds the rules that are listed.
const mostStyles = 20

// styles notes what a style sheet of the page does to frames.
func (p *Page) styles(text string, line int) {
	for _, m := range frameRule.FindAllStringSubmatchIndex(text, mostStyles) {
		body := text[m[4]:m[5]]
		if sizing.MatchString(body) && len(p.Styles) < mostStyles {
			rule := strings.Join(strings.Fields(text[m[2]:m[3]]+" {"+body+"}"), " ")
			p.Styles = append(p.Styles, FrameStyle{line + strings.Count(text[:m[2]], "\n"), rule})
		}
	}
}

// inText are elements inside which text goes on.
var inText = map[atom.Atom]bool{atom.A: true, atom.B: true, atom.Br: true, atom.Code: true, atom.Em: true, atom.I: true,
	atom.Span: true, atom.Strong: true, atom.Pre: true, atom.Font: true}

// void are elements without an end.
var void = map[atom.Atom]bool{atom.Area: true, atom.Base: true, atom.Br: true, atom.Col: true, atom.Embed: true, atom.Hr: true,
	atom.Img: true, atom.Input: true, atom.Link: true, atom.Meta: true, atom.Source: true, atom.Track: true, atom.Wbr: true}

// kindOf says what an element is to us, and the address it names.
func kindOf(name string, attr map[string]string, ours string) (Kind, string) {
	src := attr["src"]
	switch name {
	case "iframe", "frame":
		if src == "" {
			if lazy := attr["data-src"]; mine(lazy, ours) {
				return KindFrame, lazy
			}
		}
		if src == "" {
			// Doubled quotation marks leave the address as a name.
			for name := range attr {
				if strings.Contains(name, host(ours)) {
					return KindFrame, name
				}
			}
		}
		if mine(src, ours) {
			return KindFrame, src
		}
		if isPDF(src) {
			return KindPDF, src
		}
	case "incipit-placement":
		return KindElement, attr["of"]
	case "script":
		if strings.Contains(src, addr.Script) && mine(src, ours) {
			return KindScript, src
		}
	case "embed":
		if isPDF(src) || attr["type"] == "application/pdf" {
			return KindOld, src
		}
	case "object":
		if isPDF(attr["data"]) || attr["type"] == "application/pdf" {
			return KindOld, attr["data"]
		}
	case "a":
		href := attr["href"]
		switch attr["data-incipit"] {
		case "over":
			return KindOver, href
		case "here":
			return KindHere, href
		}
		if mine(href, ours) && strings.Contains(href, addr.Reader("")) {
			return KindOpen, href
		}
		if isPDF(href) {
			return KindFile, href
		}
	}
	return "", ""
}

// mine says whether an address is meant for our host, mangled or not.
func mine(address, ours string) bool {
	h := host(ours)
	tidy := Tidy(address)
	return h != "" && (strings.Contains(tidy, "//"+h) || strings.HasPrefix(tidy, h))
}

func host(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	return u.Host
}

func isPDF(address string) bool {
	u, err := url.Parse(Tidy(address))
	return err == nil && strings.HasSuffix(strings.ToLower(u.Path), ".pdf")
}
