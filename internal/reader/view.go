package reader

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"incipit/internal/core/access"
	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/toolbar"
	"incipit/internal/press"
	"incipit/internal/reader/words"
)

// view is what the templates of the reader are given.
type view struct {
	Stood     string // the seal with which it tells where it stands, or ""
	Title     string
	Language  string         // of the document
	Words     words.Language // of the reader
	Messages  map[string]string
	Base      string
	Mark      string
	Pages     int
	OpenAt    int
	Fit       string
	Flow      string
	FromRight bool
	Toolbar   bool
	BarPlace  string
	Approach  bool
	Tools     toolbar.Set
	Below     float64   // the width below which a frame is a narrow one, CSS px
	InNarrow  []string  // the same in narrow frames, "" for those that go without; nil where there is no difference
	From      []float64 // CSS px of the bar from which on each tool stands in it
	ForeEdge  bool
	Dims      string // the class that dims pages, or ""
	Keys      bool   // page keys turn
	Ladder    string
	Labels    bool // pages have labels that are no numbers
	Rows      []rowView
	Rest      []rowView // of a long document: made by the script in portions
	Ticks     []tick
	Style     template.CSS // the reader's style, then the sizes of the pages
	LookSizes string       // how wide a page is in the frame, for the sizes attribute
	Narrow    float64      // CSS px of the frame below which the fore-edge lies below the pages
	Name      bool         // the document's, in the toolbar
	Copying   bool
	TextView  bool   // may be read
	Offers    string // "" or the CSS px of the frame below which the text view is offered by itself
	Pointer   string
	Direction string // of the document's language
	Numbers   string // BCP 47 with the digits

	Text           template.HTML // a part of the text view
	Earlier, Later int           // pages that other parts begin at; 0 is none
	From1, Till    int           // the pages of this one
	Printed        []paper
	Over           map[int]template.HTML // links over pages, where there is no script
	to             func(page int) string // where a page is found
	barRules       template.CSS          // the end of Style
	Locked         bool
	Guarded        bool     // it was opened with a token
	Prints         bool     // it may be printed
	Outside        *Outside // nil for drafts
	Sites          []string // that may frame it; none is any
	Modules        []string // the scripts that every reader loads
	Scan           bool     // its pages are pictures without text
	Subject        string   // what the file says it is about, bounded, or ""
	Ends           int      // seconds until the token that opened it ends, or 0
	Corner         float64  // CSS px
	Shadow         string   // under the frame, as CSS, or ""
}

// rowView is what stands side by side as one.
type rowView struct {
	Class  string
	Sheets []sheetView
}

// rowIn is a row in its view.
type rowIn struct {
	view
	Row rowView
}

// Row puts a row into its view, for the template of rows.
func (v view) Row(r rowView) rowIn { return rowIn{v, r} }

// sheetView is one page in the template. Near pages have their image in the
// page itself, the others get it when they come near.
type sheetView struct {
	Number int
	Label  string
	Class  string
	Near   bool
	First  bool
}

// tick is one line of the fore-edge, in percent of its height.
type tick struct {
	Page     int
	At       float64
	Chapter  int    // its number, or 0
	Numbered bool   // its number does not stand upon another
	Name     string // of the chapter
}

const (
	nearPages   = 3   // pages whose image is in the page itself
	mostTicks   = 120 // more pages are bundled
	mostSubject = 300 // characters of what a card says
	plainWidth  = 1200
	short       = 40 // rows of a document that are all in the page itself
	outright    = 12 // of a longer one; a script makes the others. Each costs whenever a font comes
	around      = 10 // rows after the one that opens that are in the page itself
)

func (r *Reader) viewOf(s shown, said words.Language) (view, error) {
	sheets := s.edition.AllSheets()
	settings := s.settings
	pages := frame.PagesOf(sheets)
	v := view{
		Title: s.title, Language: s.edition.Language(), Base: s.base, Mark: s.mark(),
		Pages: len(sheets), OpenAt: min(settings.OpenAt, len(sheets)), Fit: settings.Zoom.Kind,
		Flow: settings.Flow, FromRight: settings.Order == setting.FromRight,
		Toolbar: settings.Toolbar, BarPlace: settings.BarPlace, Approach: settings.BarShown == setting.Approach,
		ForeEdge: frame.HasForeEdge(settings, len(sheets)), Dims: dims(settings),
		Keys:   settings.Navigation,
		Narrow: frame.Narrow, Name: settings.Name, Copying: settings.Copying && s.edition.HasText, Pointer: settings.Pointer,
		Locked: s.edition.Locked, Guarded: s.settings.Guarded, Prints: s.allows(access.PrintOut), TextView: s.allows(access.ReadText) &&
			s.edition.Holds().Anew(), Numbers: said.Numbers,
	}
	if settings.TextView == setting.Offered && v.TextView {
		v.Offers = s.offersBelow(pages)
	}
	if v.Subject = s.edition.Facts.Subject; len([]rune(v.Subject)) > mostSubject {
		v.Subject = string([]rune(v.Subject)[:mostSubject-1]) + "…"
	}
	v.Scan = !s.edition.HasText && s.edition.Measured
	v.Corner, v.Shadow = settings.Corner, frame.Shadow(settings)
	if !s.until.IsZero() {
		v.Ends = max(int(time.Until(s.until).Seconds()), 1)
	}
	if v.Language == "" {
		v.Language = "en"
	}
	v.Words = said
	for _, name := range atStart[1:] {
		v.Modules = append(v.Modules, r.pages.first[name])
	}
	v.Outside, v.Sites = r.outside(s), settings.Sites
	var err error
	if v.Messages, err = said.All(); err != nil {
		return v, err
	}
	v.Tools = s.tools()
	v.From, _ = v.Tools.From(len(sheets))
	v.Below = setting.Narrow
	v.InNarrow = narrowFrom(v.Tools, settings, len(sheets))
	var ladder []string
	for _, w := range press.Ladder() {
		ladder = append(ladder, fmt.Sprint(w))
	}
	v.Ladder = strings.Join(ladder, " ")
	css, rows := sizes(settings, pages, v.OpenAt)
	v.barRules = barRules(v.Tools, settings.NarrowOut, len(sheets))
	v.to = func(page int) string { return fmt.Sprintf("#p%d", page) }
	v.Style, v.Rows = r.pages.style+template.CSS(dressCSS(settings))+css+v.barRules, rows //nolint:gosec // figures and checked colours alone
	if v.Locked {
		for _, row := range v.Rows {
			for i := range row.Sheets {
				row.Sheets[i].Near = false
			}
		}
	}
	opens := slices.IndexFunc(rows, func(r rowView) bool { return r.Sheets[len(r.Sheets)-1].Number >= v.OpenAt })
	if first := max(outright, opens+around); len(rows) > short && first < len(rows) {
		v.Rows, v.Rest = rows[:first], rows[first:]
	}
	v.LookSizes = lookSizes(settings, pages)
	v.Labels = slices.ContainsFunc(sheets, func(s sheet.Sheet) bool {
		_, err := strconv.Atoi(s.Label)
		return err != nil
	})
	if v.ForeEdge {
		v.Ticks = s.ticks(len(sheets))
	}
	return v, nil
}

// toolButton is one button of the toolbar.
type toolButton struct{ Do, Name, Icon string }

// Tool makes a button: what it does, the message that names it, its icon.
func (v view) Tool(do, name, icon string) (toolButton, error) {
	said, err := v.Say(name)
	return toolButton{do, said, icon}, err
}

// Tiles lists the widths that tiles are made for, and their side.
func (v view) Tiles() string {
	parts := []string{fmt.Sprint(press.TileSide)}
	for _, w := range press.TileLadder() {
		parts = append(parts, fmt.Sprint(w))
	}
	return strings.Join(parts, " ")
}

// Describes says what a card of the document says below its title: what the file says
// that it is about, or else how long it is.
func (v view) Describes() (string, error) {
	if v.Subject != "" {
		return v.Subject, nil
	}
	n, err := v.Say("about_pages")
	return fmt.Sprintf("%s: %s", n, v.Words.Figure(v.Pages)), err
}

// Called names a page for who does not see it.
func (v view) Called(s sheetView) (string, error) {
	name, err := v.numbered(s)
	if err != nil || !v.Scan {
		return name, err
	}
	more, err := v.Say("scan")
	return name + ". " + more, err
}

func (v view) numbered(s sheetView) (string, error) {
	if s.Label != "" && s.Label != fmt.Sprint(s.Number) {
		return v.Say("page_marked", "n", s.Number, "all", v.Pages, "label", s.Label)
	}
	return v.Say("page_of", "n", s.Number, "all", v.Pages)
}

// Turns says whether each row has a view of its own.
func (v view) Turns() bool { return v.Flow == setting.Turn }

// Say gives a message in the reader's language.
func (v view) Say(name string, places ...any) (string, error) { return v.Words.Say(name, places...) }

// sizes writes the geometry as CSS, a class for each size there is of sheets
// and of rows, and the pages with their classes. Lengths are points without
// unit.
func sizes(settings setting.Settings, p frame.Pages, openAt int) (template.CSS, []rowView) {
	var css strings.Builder
	widest, tallest := p.Extent(settings)
	byNumber := settings
	if byNumber.Zoom.Kind != setting.TrueSize {
		byNumber.Zoom.Kind = setting.ByNumber
	}
	low, high := frame.Bounds(settings)
	fmt.Fprintf(&css, ".pages{--maxw:%s;--maxh:%s;--scale:%s;--low:%spx;--high:%spx}", setting.Number(round8(widest)),
		setting.Number(round8(tallest)),
		setting.Number(round8(frame.Scale(byNumber, p, 0, 0))),
		setting.Number(round8(low)), setting.Number(round8(high)))
	if narrow, _ := frame.Bounds(settings.In(0)); narrow > low {
		fmt.Fprintf(&css, "@media (width < %spx){.pages{--low:%spx;--scale:%s}}", figure(frame.Narrow), setting.Number(round8(narrow)),
			setting.Number(round8(frame.Scale(byNumber.In(0), p, 0, 0))))
	}
	classOf := func(prefix, names string, known map[[2]float64]string, w, h float64) string {
		class, ok := known[[2]float64{w, h}]
		if !ok {
			class = fmt.Sprintf("%s%d", prefix, len(known))
			known[[2]float64{w, h}] = class
			fmt.Fprintf(&css, names, class, setting.Number(round8(w)), setting.Number(round8(h)))
		}
		return class
	}
	ofSheets, ofRows := map[[2]float64]string{}, map[[2]float64]string{}
	out := make([]rowView, 0, p.Count())
	factors := map[float64]string{}
	for i, r := range p.Rows(settings) {
		row := rowView{Class: classOf("r", ".%s{--rw:%s;--rh:%s}", ofRows, r.Width, r.Height)}
		factor := p.Factor(settings, i)
		if factor != 1 {
			class, known := factors[factor]
			if !known {
				class = fmt.Sprintf("f%d", len(factors))
				factors[factor] = class
				fmt.Fprintf(&css, ".%s{--f:%s}", class, setting.Number(round8(factor)))
			}
			row.Class += " " + class
		}
		for n := r.First + 1; n <= r.First+r.Count; n++ {
			s := p.Sheets[n-1]
			class := classOf("s", ".%s{--w:%s;--h:%s}", ofSheets, s.Width*factor, s.Height*factor)
			near := n >= openAt && n < openAt+nearPages
			row.Sheets = append(row.Sheets, sheetView{Number: n, Label: s.Label, Class: class, Near: near, First: n == openAt})
		}
		out = append(out, row)
	}
	return template.CSS(css.String()), out //nolint:gosec // figures alone
}

// narrowFrom gives the widths of the bar from which on tools stand in it in narrow
// frames, where those have tools of their own.
func narrowFrom(tools toolbar.Set, s setting.Settings, pages int) []string {
	kept := tools.Without(s.NarrowOut...)
	if len(kept) == len(tools) {
		return nil
	}
	from, _ := kept.From(pages)
	out := make([]string, len(tools))
	for i, t := range tools {
		if at := slices.Index(kept, t); at >= 0 {
			out[i] = figure(from[at])
		}
	}
	return out
}

// barRules hides, without script, the tools that do not fit, at the widths that
// core/toolbar computed.
func barRules(tools, out toolbar.Set, pages int) template.CSS {
	var css strings.Builder
	fmt.Fprintf(&css, "#of{width:%spx}", figure(toolbar.OfWidth(pages)))
	rules := func(tools toolbar.Set) {
		from, name := tools.From(pages)
		all := 0.0
		for i, t := range tools {
			fmt.Fprintf(&css, "@container bar (width < %spx){.bar>.t-%s{display:none}}", figure(from[i]), t)
			all = from[i]
		}
		fmt.Fprintf(&css, "@container bar (width >= %spx){.bar>.more{display:none}}", figure(all))
		fmt.Fprintf(&css, "@container bar (width < %spx){.name{position:absolute;width:1px;height:1px;margin:-1px;clip-path:inset(50%%)}.bar{justify-content:center}}", figure(name))
	}
	kept := tools.Without(out...)
	if len(kept) == len(tools) {
		rules(tools)
	} else {
		fmt.Fprintf(&css, "@media (width >= %spx){", figure(setting.Narrow))
		rules(tools)
		fmt.Fprintf(&css, "}@media (width < %spx){", figure(setting.Narrow))
		rules(kept)
		for _, t := range tools {
			if !kept.Has(t) {
				fmt.Fprintf(&css, ".t-%s{display:none}", t)
			}
		}
		css.WriteString("}")
	}
	return template.CSS(css.String()) //nolint:gosec // figures and names of tools alone
}

func round8(v float64) float64 { return math.Round(v*1e8) / 1e8 }

// lookSizes tells the browser how wide page 1 will be, so that it picks an
// image before it has laid the page out (HTML, sizes attribute).
func lookSizes(s setting.Settings, p frame.Pages) string {
	first := p.Sheets[0].Width * p.Factor(s, 0)
	if s.Zoom.Kind == setting.TrueSize || s.Zoom.Kind == setting.ByNumber {
		size := func(s setting.Settings) int { return int(math.Ceil(first * frame.Scale(s, p, 0, 0))) }
		if narrow := size(s.In(0)); narrow > size(s) {
			return fmt.Sprintf("(width < %spx) %dpx, %dpx", figure(frame.Narrow), narrow, size(s))
		}
		return fmt.Sprintf("%dpx", size(s))
	}
	widest, _ := p.Extent(s)
	taken := 2*s.Border + 2*s.Padding + 2*frame.Gutter
	size := func(s setting.Settings, taken float64) string {
		size := fmt.Sprintf("calc((100vw - %spx)*%s)", figure(taken), figure(first/widest))
		if s.MostZoom > 0 {
			size = fmt.Sprintf("min(%dpx,%s)", int(math.Ceil(first*frame.TrueScale*s.MostZoom/100)), size)
		}
		if s.LeastZoom > 0 {
			size = fmt.Sprintf("max(%dpx,%s)", int(math.Ceil(first*frame.TrueScale*s.LeastZoom/100)), size)
		}
		return size
	}
	narrow, wide := size(s.In(0), taken), size(s, taken)
	if frame.HasForeEdge(s, p.Count()) {
		wide = size(s, taken+frame.ForeEdge)
	}
	if narrow == wide {
		return wide
	}
	return fmt.Sprintf("(width < %spx) %s, %s", figure(frame.Narrow), narrow, wide)
}

// dims gives the class that dims pages: in the dark scheme, whether that is the
// placement's or the system's.
func dims(s setting.Settings) string {
	switch {
	case s.Dim && s.Scheme == setting.Dark:
		return "dims"
	case s.Dim && s.Scheme == setting.System:
		return "dim-dark"
	}
	return ""
}

// apart is how far the numbers of two chapters stand from each other at least, in
// percent of the fore-edge: a line of its type where it is 260 px long; on shorter
// ones there are none.
const apart = 5.0

// ticks makes the fore-edge: a line a page, bundled in long documents, and a
// longer one with a number where a chapter begins.
func (s shown) ticks(pages int) []tick {
	at := func(page int) float64 { return math.Round((float64(page)-0.5)/float64(pages)*1e4) / 100 }
	every := (pages + mostTicks - 1) / mostTicks
	chapters := map[int]tick{}
	number := 0
	for _, h := range s.edition.Facts.Outline {
		if h.Level != 1 || h.Page == 0 {
			continue
		}
		if number++; chapters[h.Page].Chapter == 0 {
			chapters[h.Page] = tick{Page: h.Page, At: at(h.Page), Chapter: number, Name: h.Title}
		}
	}
	// More chapters than pages to tell apart: no numbers, just lines.
	crowded := number > 40 || number <= 1
	var out []tick
	last := -apart
	for page := 1; page <= pages; page++ {
		if c, ok := chapters[page]; ok && !crowded {
			if c.Numbered = c.At-last >= apart; c.Numbered {
				last = c.At
			}
			out = append(out, c)
		} else if (page-1)%every == 0 {
			out = append(out, tick{Page: page, At: at(page)})
		}
	}
	return out
}

// TickPath draws the ticks that begin no chapter as one path, in percent of the
// fore-edge's length: an element each would cost whenever a font comes.
func (v view) TickPath(lying bool) string {
	var d strings.Builder
	for _, t := range v.Ticks {
		switch {
		case t.Chapter > 0:
		case lying:
			fmt.Fprintf(&d, "M%g 15V26", t.At)
		default:
			fmt.Fprintf(&d, "M15 %gH26", t.At)
		}
	}
	return d.String()
}

// Source gives the srcset of a page: one address for each width.
func (v view) Source(page int) string {
	var parts []string
	for _, w := range press.Ladder() {
		parts = append(parts, fmt.Sprintf("%s/page/%s/%d/%d %dw", v.Base, v.Mark, page, w, w))
	}
	return strings.Join(parts, ", ")
}

// Plain gives the address of a page's image where only one can be named.
func (v view) Plain(page int) string {
	return fmt.Sprintf("%s/page/%s/%d/%d", v.Base, v.Mark, page, plainWidth)
}

// Has says whether the toolbar has a tool.
func (v view) Has(t string) bool { return v.Tools.Has(toolbar.Tool(t)) }
