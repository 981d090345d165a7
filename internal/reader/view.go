package reader

import (
	"fmt"
	"html/template"
	"math"
	"strconv"
	"strings"

	"incipit/internal/core/frame"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/toolbar"
	"incipit/internal/press"
)

// view is what the templates of the reader are given.
type view struct {
	Title     string
	Language  string
	Base      string
	Mark      string
	Pages     int
	OpenAt    int
	Fit       string
	Toolbar   bool
	Tools     toolbar.Set
	ForeEdge  bool
	Keys      bool // page keys turn
	Ladder    string
	Sheets    []sheetView
	Ticks     []tick
	Style     template.CSS // the reader's style, then the sizes of the pages
	LookSizes string       // how wide a page is in the frame, for the sizes attribute
}

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
	Page    int
	At      float64
	Chapter int    // its number, or 0
	Name    string // of the chapter
}

const (
	nearPages  = 3   // pages whose image is in the page itself
	mostTicks  = 120 // more pages are bundled
	plainWidth = 1200
)

func (r *Reader) viewOf(s shown) view {
	sheets := s.edition.AllSheets()
	settings := s.settings
	v := view{
		Title: s.title, Language: s.edition.Facts.Language, Base: s.base, Mark: s.mark(),
		Pages: len(sheets), OpenAt: min(settings.OpenAt, len(sheets)), Fit: settings.Zoom.Kind,
		Toolbar: settings.Toolbar, ForeEdge: frame.HasForeEdge(settings, len(sheets)),
		Keys: settings.Navigation,
	}
	if v.Language == "" {
		v.Language = "en"
	}
	v.Tools = settings.Tools.Given(settings.Allowed(len(sheets)))
	var ladder []string
	for _, w := range press.Ladder() {
		ladder = append(ladder, fmt.Sprint(w))
	}
	v.Ladder = strings.Join(ladder, " ")
	css, views := sizes(settings, sheets, v.OpenAt)
	v.Style, v.Sheets = r.pages.style+css, views
	v.LookSizes = lookSizes(settings, frame.PagesOf(sheets))
	if v.ForeEdge {
		v.Ticks = s.ticks(len(sheets))
	}
	return v
}

// sizes writes the geometry as CSS, a class for each size there is, and the
// pages with their class. Lengths are points without unit.
func sizes(settings setting.Settings, sheets []sheet.Sheet, openAt int) (template.CSS, []sheetView) {
	var css strings.Builder
	widest, tallest := sheet.Extent(sheets)
	fmt.Fprintf(&css, ".pages{--maxw:%s;--maxh:%s;--scale:%s}", figure(widest), figure(tallest),
		setting.Number(round5(frame.Scale(setting.Opening{Kind: setting.ByNumber, Percent: settings.Zoom.Percent}, frame.Pages{Widest: widest, Tallest: tallest}, 0, 0))))
	// The count of pages keeps its room whatever font it is drawn in.
	fmt.Fprintf(&css, "#of{width:%sem}", figure(1.35+0.65*float64(len(strconv.Itoa(len(sheets))))))
	classes := map[[2]float64]string{}
	out := make([]sheetView, len(sheets))
	for i, s := range sheets {
		size := [2]float64{s.Width, s.Height}
		class, ok := classes[size]
		if !ok {
			class = fmt.Sprintf("s%d", len(classes))
			classes[size] = class
			fmt.Fprintf(&css, ".%s{--w:%s;--h:%s}", class, figure(s.Width), figure(s.Height))
		}
		near := i+1 >= openAt && i+1 < openAt+nearPages
		out[i] = sheetView{Number: i + 1, Label: s.Label, Class: class, Near: near, First: i+1 == openAt}
	}
	return template.CSS(css.String()), out //nolint:gosec // figures alone
}

func round5(v float64) float64 { return math.Round(v*1e5) / 1e5 }

// lookSizes tells the browser how wide the widest page will be, so that it
// picks an image before it has laid the page out (HTML, sizes attribute).
func lookSizes(s setting.Settings, p frame.Pages) string {
	if s.Zoom.Kind == setting.TrueSize || s.Zoom.Kind == setting.ByNumber {
		return fmt.Sprintf("%dpx", int(math.Ceil(p.Widest*frame.Scale(s.Zoom, p, 0, 0))))
	}
	taken := 2*frame.Border + 2*frame.Gutter
	if frame.HasForeEdge(s, p.Count) {
		taken += frame.ForeEdge
	}
	return fmt.Sprintf("calc(100vw - %dpx)", int(taken))
}

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
	for page := 1; page <= pages; page++ {
		if c, ok := chapters[page]; ok && !crowded {
			out = append(out, c)
		} else if (page-1)%every == 0 {
			out = append(out, tick{Page: page, At: at(page)})
		}
	}
	return out
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
