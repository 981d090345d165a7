// Package webpage is a simple web page that we publish ourselves: rows of one
// to three columns that hold text, pictures, documents, links, buttons and
// collections.
//
// A page is a plain value. Whatever an editor does to it is an Act, which gives
// the next page or says in a sentence why not. Because the columns are ours,
// their widths are known, and a document on the page is proofed exactly.
// Lengths are CSS px.
package webpage

import (
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"incipit/internal/core/setting"
)

// Kind is what a block is.
type Kind string

// The kinds.
const (
	Text       Kind = "text" // Markdown
	Picture    Kind = "picture"
	Placement  Kind = "placement"
	Link       Kind = "link"
	Button     Kind = "button"
	Collection Kind = "collection"
)

// Kinds are all of them, in the order in which they are offered.
func Kinds() []Kind { return []Kind{Text, Placement, Picture, Collection, Button, Link} }

// Page is the content of a web page.
type Page struct {
	Title       string `json:"title"`
	Description string `json:"description"` // for search engines and shared links
	Rows        []Row  `json:"rows"`
}

// Row is columns side by side.
type Row struct {
	ID      string   `json:"id"`
	Split   Split    `json:"split"`
	Columns []Column `json:"columns"`
}

// Column is blocks below each other.
type Column struct {
	Blocks []Block `json:"blocks"`
}

// Block is one thing on a page. Which fields count goes by its kind.
type Block struct {
	ID   string `json:"id"`
	Kind Kind   `json:"kind"`
	// Text is Markdown, the words on a link or button, or a picture's caption.
	Text string `json:"text,omitempty"`
	// Of is the number of the placement, picture or collection; 0 is none yet.
	Of      int64  `json:"of,omitempty"`
	Alt     string `json:"alt,omitempty"`     // of a picture; empty is decoration
	Address string `json:"address,omitempty"` // of a link or button
	// Set is what a document's frame differs in here from its placement.
	Set setting.Patch `json:"set,omitempty"`
}

// Sizes are the settings that a document may differ in on one page.
func Sizes() []setting.Key {
	return []setting.Key{setting.Width, setting.LeastWidth, setting.MaxWidth, setting.Height, setting.LeastHeight, setting.MostHeight,
		setting.Align}
}

// Bounds.
const (
	mostTitle    = 160
	mostText     = 20_000
	mostShort    = 400
	MostRows     = 60
	mostInColumn = 60
)

// New is an empty page: one row, one column, a line of text to begin with.
func New(title string) Page {
	return Page{Title: title, Rows: []Row{{ID: newID(), Split: One, Columns: []Column{{Blocks: []Block{{ID: newID(), Kind: Text}}}}}}}
}

// newID names a row or a block within its page.
func newID() string {
	b := make([]byte, 6)
	_, _ = rand.Read(b) // never fails (crypto/rand)
	return hex.EncodeToString(b)
}

var idForm = regexp.MustCompile(`^[0-9a-f]{12}$`)

// Check says in a sentence what keeps a page from being kept, or "".
func (p Page) Check() string {
	switch {
	case strings.TrimSpace(p.Title) == "":
		return "A page needs a title."
	case len([]rune(p.Title)) > mostTitle:
		return fmt.Sprintf("A title has at most %d letters.", mostTitle)
	case len([]rune(p.Description)) > mostShort:
		return fmt.Sprintf("A description has at most %d letters.", mostShort)
	case len(p.Rows) > MostRows:
		return fmt.Sprintf("A page has at most %d rows.", MostRows)
	}
	seen := map[string]bool{}
	fresh := func(id string) bool {
		ok := idForm.MatchString(id) && !seen[id]
		seen[id] = true
		return ok
	}
	for _, r := range p.Rows {
		if !fresh(r.ID) || !slices.Contains(Splits(), r.Split) || len(r.Columns) != r.Split.Count() {
			return "A row has one to three columns."
		}
		for _, c := range r.Columns {
			if len(c.Blocks) > mostInColumn {
				return fmt.Sprintf("A column holds at most %d things.", mostInColumn)
			}
			for _, b := range c.Blocks {
				if !fresh(b.ID) || !slices.Contains(Kinds(), b.Kind) {
					return "There is something on the page that cannot stand there."
				}
				if said := b.check(); said != "" {
					return said
				}
			}
		}
	}
	return ""
}

func (b Block) check() string {
	most := mostShort
	if b.Kind == Text {
		most = mostText
	}
	switch {
	case len([]rune(b.Text)) > most:
		return fmt.Sprintf("That is longer than %d letters.", most)
	case len([]rune(b.Alt)) > mostShort:
		return fmt.Sprintf("What a picture shows is said in at most %d letters.", mostShort)
	case (b.Kind == Link || b.Kind == Button) && b.Address != "" && !Leads(b.Address):
		return "An address begins with https://, http://, mailto:, tel:, / or #."
	}
	for k := range b.Set {
		if !slices.Contains(Sizes(), k) {
			return "On a page a document may differ in its size and where it stands."
		}
	}
	return ""
}

// Leads says whether an address is one that a link may lead to: never a script.
func Leads(address string) bool {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil || len(address) > 2000 {
		return false
	}
	switch strings.ToLower(u.Scheme) {
	case "http", "https":
		return u.Host != ""
	case "mailto", "tel":
		return u.Opaque != ""
	case "":
		return strings.HasPrefix(address, "#") || strings.HasPrefix(address, "/") && !strings.HasPrefix(address, "//")
	}
	return false
}

var pathForm = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// mostPath is how long the last part of an address may be.
const mostPath = 60

// PathOf makes the last part of an address of what somebody wrote, or of a title:
// small letters, figures and hyphens. Letters with marks lose them; other scripts have
// none, so that it may be "".
func PathOf(words string) string {
	var b strings.Builder
	for _, r := range norm.NFKD.String(strings.ToLower(words)) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			b.WriteRune(r)
		case unicode.Is(unicode.M, r):
		case r == '’' || r == '\'':
		default:
			b.WriteByte('-')
		}
	}
	path := strings.Join(strings.FieldsFunc(b.String(), func(r rune) bool { return r == '-' }), "-")
	return strings.Trim(path[:min(len(path), mostPath)], "-")
}

// CheckPath says what is wrong with the last part of a page's address, or "".
// The page that a site begins with has none.
func CheckPath(path string) string {
	if path != "" && (!pathForm.MatchString(path) || len(path) > mostPath) {
		return "The end of an address is small letters, figures and hyphens, at most 60."
	}
	return ""
}

// Blocks gives every block in the order in which it is read.
func (p Page) Blocks() []Block {
	var out []Block
	for _, r := range p.Rows {
		for _, c := range r.Columns {
			out = append(out, c.Blocks...)
		}
	}
	return out
}

// Spot is where a block stands.
type Spot struct {
	Row    int `json:"row"`
	Column int `json:"column"`
	At     int `json:"at"`
}

// Find gives a block and where it stands.
func (p Page) Find(id string) (Block, Spot, bool) {
	for r, row := range p.Rows {
		for c, column := range row.Columns {
			for i, b := range column.Blocks {
				if b.ID == id {
					return b, Spot{r, c, i}, true
				}
			}
		}
	}
	return Block{}, Spot{}, false
}

// row gives the place of a row by its name, or -1.
func (p Page) row(id string) int {
	return slices.IndexFunc(p.Rows, func(r Row) bool { return r.ID == id })
}

// clone copies what an act may change.
func (p Page) clone() Page {
	p.Rows = slices.Clone(p.Rows)
	for i := range p.Rows {
		p.Rows[i].Columns = slices.Clone(p.Rows[i].Columns)
		for k := range p.Rows[i].Columns {
			p.Rows[i].Columns[k].Blocks = slices.Clone(p.Rows[i].Columns[k].Blocks)
		}
	}
	return p
}
