package embed

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	addr "incipit/internal/core/address"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/toolbar"
)

// Placed is what the house knows of a placement.
type Placed struct {
	Title     string
	Published bool // readers see it
	Withdrawn bool // they once did
	Settings  setting.Settings
	Pages     frame.Pages
	Tools     toolbar.Set // that readers are given
	// ReadableFrom is the narrowest column, in CSS px, at which body text reads;
	// 0 is not known.
	ReadableFrom float64
}

// Where is what is known about the page that is checked.
type Where struct {
	Ours    string   // address that readers reach us at
	Address string   // of the page, "" where it was pasted
	CSP     []string // policies that came with it
	Column  float64  // CSS px that the document is given; 0 is not known
	// Lookup gives the placement of a key, Gathers says whether a collection has
	// one, Record which placement a record of the integrator's has. Each is nil
	// where that is not known.
	Lookup  func(key string) (Placed, bool)
	Gathers func(key string) bool
	Record  func(record string) (key string, ok bool)
}

// Levels of findings.
const (
	Must = "must" // it does not show, or not to everybody
	Care = "care" // it shows, and could be better
)

// Finding is something wrong on a page.
type Finding struct {
	Name  string `json:"name"`
	Level string `json:"level"`
	Line  int    `json:"line"`
	Title string `json:"title"`
	Text  string `json:"text"`
	Code  string `json:"code,omitempty"` // the mended code
}

// Above and below which a viewer is taken to stand at the top of a page, or far
// down, in characters of text before it.
const (
	nearTop = 200
	farDown = 5000
)

// Check reads a page's source and says what keeps its documents from showing
// as they ought to, the most serious first.
func Check(source string, w Where) []Finding {
	c := checking{Where: w, page: Read(source, w.Ours), out: []Finding{}}
	all := len(c.page.Found)
	c.page.Found = c.page.Found[:min(all, mostLookedAt)]
	c.shown()
	c.styled()
	for _, f := range c.page.Found {
		c.viewer(f)
	}
	c.scripts()
	c.files()
	if all > mostLookedAt || c.more > 0 {
		last := Found{}
		if all > 0 {
			last = c.page.Found[len(c.page.Found)-1]
		}
		c.out = append(c.out, Finding{"more", Care, last.Line, "There is more than is looked at here",
			fmt.Sprintf("Of the %d documents, links and scripts on this page the first %d are looked at, and %d findings are listed. Mend these and check it again, or paste a part of the page.", all, len(c.page.Found), len(c.out)), ""})
	}
	slices.SortStableFunc(c.out, func(a, b Finding) int {
		if a.Level != b.Level {
			return strings.Compare(b.Level, a.Level) // must, then care
		}
		return a.Line - b.Line
	})
	return c.out
}

// Bounds of a check: how much of a page is looked at, what is listed, and how long
// a text of the page may be that is quoted, in characters.
const (
	mostLookedAt = 300
	mostFindings = 300
	mostQuoted   = 300
	mostCode     = 4000
)

type checking struct {
	Where
	page Page
	out  []Finding
	more int // findings that are not listed
}

func (c *checking) found(name, level string, f Found, code, title, text string, args ...any) {
	if len(c.out) >= mostFindings {
		c.more++
		return
	}
	for i, a := range args {
		if s, ok := a.(string); ok {
			args[i] = short(s, mostQuoted)
		}
	}
	if len(code) > 8*mostCode {
		code = "" // nobody pastes that
	}
	c.out = append(c.out, Finding{name, level, f.Line, title, fmt.Sprintf(text, args...), short(code, mostCode)})
}

// short cuts a text of a page that is quoted.
func short(text string, most int) string {
	if len(text) <= most {
		return text
	}
	r := []rune(text)
	if len(r) <= most {
		return text
	}
	return string(r[:most-1]) + "…"
}

// styled finds what the page's own style sheets do to the frames on it.
func (c *checking) styled() {
	if !slices.ContainsFunc(c.page.Found, func(f Found) bool { return f.Kind == KindFrame || f.Kind == KindElement || f.Kind == KindHere }) {
		return
	}
	for _, s := range c.page.Styles {
		title, level := "A style sheet of the page sizes its frames", Care
		if hidden.MatchString(s.Rule[strings.Index(s.Rule, "{")+1:]) {
			title, level = "A style sheet of the page hides its frames", Must
		}
		c.found("styled", level, Found{Line: s.Line}, "", title,
			"“%s” counts for this document, too. Limit it to the frames that it is meant for.", s.Rule)
	}
}

// shown finds code that stands on the page as text.
func (c *checking) shown() {
	for _, f := range c.page.Found {
		if f.Kind == KindShown {
			c.found("shown", Must, f, html.UnescapeString(quoting.Replace(f.Text)), "Readers see the code, not the document",
				"The code was pasted as text. Paste it again where your editor takes HTML: a block or a view that is called “HTML”, “Source” or “Custom code”.")
		}
		// Alone in a source that is still being written it is a way of its own.
		if f.Kind == KindPlain && (c.Address != "" || f.Text != f.Address) {
			c.found("plain", Must, f, c.mended(f), "Readers see an address, not the document",
				"“%s” stands there as text. An address alone becomes a viewer only on websites that know oEmbed; elsewhere it takes code.", f.Address)
		}
	}
}

var (
	goodKey = regexp.MustCompile(`^` + addr.KeyPattern + `$`)
	gathers = regexp.MustCompile(addr.Collection(`(`+addr.KeyPattern+`)`) + `(?:[/?#]|$)`)
	record  = regexp.MustCompile(addr.Record("") + `([^/?#]+)`)
)

// viewer checks one viewer, or link to one.
func (c *checking) viewer(f Found) {
	if !f.Viewer() {
		return
	}
	address, ok := c.address(f)
	if !ok {
		return
	}
	placed, known := c.placement(f, address)
	if known && !placed.Published {
		known = false
	}
	secure := strings.HasPrefix(c.Address, "https:") || c.Address == "" && (c.page.HTTPS || strings.HasPrefix(c.Ours, "https:"))
	if secure && strings.HasPrefix(address, "http:") {
		c.found("insecure", Must, f, c.mended(f), "An http address in an https page", "Browsers refuse it. The address has to begin with https.")
	}
	if value, odd := f.Attr["data-incipit"]; odd && value != "over" && value != "here" {
		c.found("attribute", Care, f, "", "An attribute that means nothing",
			"data-incipit is “%s”; it can be “over” or “here”. Until then it is a plain link.", value)
	}
	if u, err := url.Parse(c.Address); known && f.Kind != KindOpen && err == nil && u.Host != "" && u.Scheme+"://"+u.Host != c.Ours &&
		!placed.Settings.Sites.Allows(u.Scheme+"://"+u.Host) {
		c.found("site", Must, f, "", "This website is not allowed", "“%s” may be shown on %s. Add %s on its bench, under websites.",
			placed.Title, strings.Join(placed.Settings.Sites, ", "), u.Scheme+"://"+u.Host)
	}
	if known && placed.Settings.Guarded && f.Kind != KindElement {
		c.found("guarded", Must, f, c.mendedAs(f, Element), "It opens to nobody here",
			"“%s” is guarded, and a frame or a link shows no token. Use the element with script, and hand it a token that your own server signs.",
			placed.Title)
	}
	if f.Hidden {
		c.found("hidden", Must, f, "", "It is not shown", "It, or an element around it, has display:none, visibility:hidden or hidden: nobody sees it until a script of the page changes that.")
	}
	if f.Shrinks != "" && strings.Contains(f.Attr["style"], "cqw") {
		c.found("collapses", Must, f, c.mended(f), "It has no width here",
			"An element around it is as wide as what it holds (%s), and code of an earlier kind holds nothing: it is 0 px wide. The code of today stands there, too.", f.Shrinks)
	}
	c.policy(f)
	if id := f.Attr["id"]; id != "" && len(c.page.IDs[id]) > 1 {
		c.found("ids", Care, f, "", "Two elements with one id", "The id “%s” stands on lines %s. Scripts and links reach only the first.",
			id, lines(c.page.IDs[id]))
	}
	if known {
		c.older(f, placed, address)
	}
	if f.Kind == KindFrame || f.Kind == KindElement || f.Kind == KindHere {
		c.column(f, placed, known)
		c.height(f)
	}
	if f.Kind == KindFrame {
		c.frame(f, placed, known)
	}
}

// address checks what an element names, and gives it tidied.
func (c *checking) address(f Found) (string, bool) {
	raw := f.Address
	if f.Kind == KindElement && f.Attr["record"] != "" {
		return c.Ours + addr.Record(f.Attr["record"]), true
	}
	if f.Kind == KindFrame && f.Attr["src"] == "" && !f.Has("data-src") {
		c.found("quotes", Must, f, c.mended(f), "Doubled quotation marks",
			"The address stands outside its quotation marks, so the frame has none.")
		return "", false
	}
	if f.Kind == KindFrame && f.Attr["src"] == "" {
		c.found("lazyscript", Care, f, c.mended(f), "Another script has to start this frame",
			"The address stands in data-src. Without that script nothing shows; loading=\"lazy\" does the same without one.")
		return "", false
	}
	address := Tidy(raw)
	base, place, placed := strings.Cut(address, "#")
	if decoded, err := url.PathUnescape(base); err == nil {
		base = Tidy(decoded)
	}
	if address = base; placed {
		address += "#" + place
	}
	if address != raw && strings.TrimSpace(raw) == address && !strings.Contains(raw, "\u00a0") {
		c.found("spaces", Care, f, c.mended(f), "Spaces around the address", "Browsers forgive it; feeds, readers and other programs do not.")
	} else if address != raw && !(f.Kind == KindElement && goodKey.MatchString(raw)) &&
		strings.ContainsAny(raw, "\"'“”„″«»‘’&\u00a0\u200b\\ ") {
		c.found("stray", Must, f, c.mended(f), "Stray marks in the address",
			"The address is “%s”: quotation marks, spaces or entities from a text editor have got into it.", raw)
	}
	if f.Kind == KindElement && goodKey.MatchString(address) {
		return c.Ours + addr.Reader(address), true
	}
	if strings.Count(address, "://") > 1 {
		c.found("scheme", Must, f, c.mended(f), "The address begins twice", "The address is “%s”.", raw)
		return "", false
	}
	if !strings.Contains(address, "//") {
		c.found("scheme", Must, f, c.mended(f), "The address has no beginning",
			"“%s” is taken as a page of your own website. It has to begin with %s.", raw, c.Ours)
		return "", false
	}
	u, err := url.Parse(address)
	if err != nil || u.Host != host(c.Ours) {
		c.found("address", Must, f, "", "The address cannot be read", "The address is “%s”.", raw)
		return "", false
	}
	if addr.Editors(u.Path) {
		c.found("desk", Must, f, "", "An address of your desk", "“%s” asks readers to sign in. Take the embed code of the placement.", raw)
		return "", false
	}
	if gathers.MatchString(address) || record.MatchString(address) {
		return address, true
	}
	key := readerKey.FindStringSubmatch(address)
	switch {
	case key == nil || key[1] == "":
		c.found("nokey", Must, f, "", "The address names no document", "Behind /r/ has to stand the key of a placement.")
		return "", false
	case !goodKey.MatchString(key[1]):
		c.found("wrongkey", Must, f, "", "The key is not whole",
			"“%s” has %d characters, a key has 20 small letters and digits. Copy the code again.", key[1], len([]rune(key[1])))
		return "", false
	}
	return address, true
}

// placement looks up what an address leads to.
func (c *checking) placement(f Found, address string) (Placed, bool) {
	if key := gathers.FindStringSubmatch(address); key != nil {
		if c.Gathers != nil && !c.Gathers(key[1]) {
			c.found("nocollection", Must, f, "", "There is no such collection",
				"It was removed, or the key belongs to another house. Readers see a note in its place.")
		}
		return Placed{}, false
	}
	key := ""
	if name := record.FindStringSubmatch(address); name != nil {
		if c.Record == nil {
			return Placed{}, false
		}
		wanted, err := url.PathUnescape(name[1])
		if key, _ = c.Record(wanted); err != nil || key == "" {
			c.found("norecord", Care, f, "", "No document belongs to this record",
				"The page asks for the record “%s”. Readers see a note until a placement has that name, on its bench.", wanted)
			return Placed{}, false
		}
	} else {
		key = readerKey.FindStringSubmatch(address)[1]
	}
	if c.Lookup == nil {
		return Placed{}, false
	}
	p, ok := c.Lookup(key)
	switch {
	case !ok:
		c.found("unknown", Must, f, "", "There is no such placement",
			"It was deleted, or the key belongs to another house. Readers see a note in its place.")
	case p.Withdrawn:
		c.found("withdrawn", Must, f, "", "The placement is withdrawn",
			"Readers of “%s” see a note in its place. Publish it again, or take the code off the page.", p.Title)
	case !p.Published:
		c.found("unpublished", Must, f, "", "The placement is not published",
			"“%s” is a draft: readers see a note in its place. Publish it; the code stays as it is.", p.Title)
	}
	return p, ok
}

// older finds what the code asks for and the placement does not give any more.
func (c *checking) older(f Found, p Placed, address string) {
	u, err := url.Parse(address)
	if err != nil {
		return
	}
	place := u.Fragment
	if at := f.Attr["at"]; at != "" {
		place = at
	}
	// A page of another edition is where its content went: it may be beyond this one's end.
	carried := strings.Contains("&"+place, "&edition=")
	for _, part := range strings.Split(place, "&") {
		name, value, _ := strings.Cut(part, "=")
		n, number := strconv.Atoi(value)
		switch {
		case name == "page" && (number != nil || n < 1 || n > p.Pages.Count() && !carried):
			c.found("nopage", Care, f, c.mended(f), "It opens at a page that is not there",
				"The code asks for page %s; “%s” has %d. It opens where the placement opens.", value, p.Title, p.Pages.Count())
		case name == "search" && !p.Tools.Has(toolbar.Find):
			c.found("nofind", Care, f, c.mended(f), "It searches where there is no search",
				"The code looks for words at opening, and the placement has no find tool.")
		case name == "zoom" && (number != nil || n < setting.MinZoom || n > setting.MaxZoom):
			c.found("nozoom", Care, f, c.mended(f), "It opens at a zoom that is not there", "The code asks for %s %%; zoom is %d to %d %%.",
				value, setting.MinZoom, setting.MaxZoom)
		}
	}
	style := f.Attr["style"]
	if now := frame.CSS(p.Settings, p.Pages); f.Kind == KindFrame || f.Kind == KindElement {
		// The height that stays where styles are stripped tells of the settings that the
		// code was written for; code of an earlier kind measured in the container's width.
		ours := strings.Contains(style, "grid-area:1/1") && f.Attr["height"] != strconv.Itoa(now.Fallback)
		if ours || strings.Contains(style, "cqw") {
			c.found("older", Care, f, c.mended(f), "The code keeps room for earlier settings",
				"Width or height of the placement have changed since it was pasted. It shows, with too much room or too little.")
		}
	}
}

// scripts checks that our script stands there once, and where it is needed.
func (c *checking) scripts() {
	var scripts, needing []Found
	for _, f := range c.page.Found {
		switch f.Kind {
		case KindScript:
			scripts = append(scripts, f)
		case KindElement, KindOver, KindHere:
			needing = append(needing, f)
		}
	}
	if len(scripts) > 1 {
		c.found("twice", Care, scripts[1], "", fmt.Sprintf("The script stands there %d times", len(scripts)),
			"Once is enough for any number of documents. It does no harm and costs a request.")
	}
	if len(scripts) > 0 && len(needing) == 0 {
		c.found("idle", Care, scripts[0], "", "The script has nothing to do", "No document on this page needs it. Load it only on pages that do.")
	}
	if len(scripts) == 0 && len(needing) > 0 {
		c.found("noscript", Must, needing[0], fmt.Sprintf("<script async src=%q></script>\n", c.Ours+addr.Script), "The script is missing",
			"Without it readers get a link. Many website editors take scripts out of what is pasted; the inline frame needs none.")
	}
	if len(scripts) > 0 && strings.HasPrefix(c.Address, "https:") && strings.HasPrefix(Tidy(scripts[0].Address), "http:") {
		c.found("insecurescript", Must, scripts[0], fmt.Sprintf("<script async src=%q></script>\n", c.Ours+addr.Script),
			"The script is asked for by http", "Browsers refuse it in an https page.")
	}
}

// files finds PDFs that are set or linked past us.
func (c *checking) files() {
	viewers := map[string]bool{}
	for _, f := range c.page.Found {
		switch f.Kind {
		case KindFrame, KindElement, KindOver, KindHere:
			key := f.Address
			if m := readerKey.FindStringSubmatch(f.Address); m != nil {
				key = m[1]
			}
			viewers[key] = true
		}
	}
	for _, f := range c.page.Found {
		switch f.Kind {
		case KindOld:
			c.found("old", Care, f, "", "A PDF set in an old way",
				"<embed> and <object> show nothing on most phones. Add the PDF to Incipit and paste its code here.")
		case KindPDF:
			c.found("bare", Care, f, "", "A PDF in a bare frame",
				"Each browser shows it in its own way, phones often only its first page or a button. Add it to Incipit and paste its code here.")
		case KindFile:
			if len(viewers) == 0 {
				c.found("download", Care, f, "", "A PDF that can only be taken away",
					"“%s” leads off the page. Add it to Incipit to let people read it in place.", linkText(f))
			}
		case KindOpen:
			if m := readerKey.FindStringSubmatch(Tidy(f.Address)); m != nil && strings.HasSuffix(strings.Split(Tidy(f.Address), "#")[0],
				"/file") && !viewers[m[1]] {
				c.found("download", Care, f, c.mended(f), "A PDF that can only be taken away",
					"The link gives the file. Its viewer lets people read it in place.")
			}
		}
	}
}

func linkText(f Found) string {
	if f.Text != "" {
		return f.Text
	}
	return f.Address
}

// mended is the code that ought to stand there, where the placement is known.
func (c *checking) mended(f Found) string {
	way := map[Kind]Way{KindElement: Element, KindOver: Link, KindHere: Upgrade}[f.Kind]
	if way == "" {
		way = Inline
	}
	return c.mendedAs(f, way)
}

func (c *checking) mendedAs(f Found, way Way) string {
	if c.Lookup == nil {
		return ""
	}
	m := readerKey.FindStringSubmatch(Tidy(f.Address))
	if m == nil {
		if m = []string{"", Tidy(f.Address)}; !goodKey.MatchString(m[1]) {
			return ""
		}
	}
	p, ok := c.Lookup(strings.Trim(m[1], `"'”“\`))
	if !ok {
		return ""
	}
	choice := Choice{Way: way, Opens: Over}
	code, err := choice.Written(p.Settings, Subject{Address: c.Ours + addr.Reader(strings.Trim(m[1], `"'”“\`)), Title: p.Title,
		Pages: p.Pages})
	if err != nil {
		return ""
	}
	return code
}

func lines(at []int) string {
	var out []string
	for _, n := range at {
		out = append(out, strconv.Itoa(n))
	}
	return strings.Join(out, ", ")
}
