package desk

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/address"
	"incipit/internal/core/dress"
	"incipit/internal/core/embed"
	"incipit/internal/core/frame"
	"incipit/internal/core/legible"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/sheet"
	"incipit/internal/core/starter"
	"incipit/internal/library"
	"incipit/internal/placing"
	"incipit/internal/press"
)

// benchView is the data of the bench.
type benchView struct {
	placing.Whole
	Panel    panel
	State    state
	StandIn  string
	Bounds   bounds
	Starters []starter.Starter
}

// bounds of what can be typed and drawn on the stage, in CSS px.
type bounds struct {
	MinColumn, MaxColumn int
	MinPage, MaxPage     int
	CurveFrom, CurveTo   int
}

// state is a placement's draft as the bench shows it, after each change.
type state struct {
	ID        int64                  `json:"id"`
	Revision  int64                  `json:"revision"` // of the draft, and of house style below it
	OfHouse   int64                  `json:"of_house"`
	Version   int                    `json:"version"` // that readers see, or 0
	Notice    string                 `json:"notice"`  // what others did meanwhile
	Undo      bool                   `json:"undo"`
	Redo      bool                   `json:"redo"`
	Settings  setting.Settings       `json:"settings"`
	Own       []setting.Key          `json:"own"`    // settings that differ from house style
	House     map[setting.Key]string `json:"house"`  // house style in words
	Unseen    []setting.Change       `json:"unseen"` // what readers do not see yet
	Facts     []string               `json:"facts"`  // of the document, in words
	Examining bool                   `json:"examining"`
	Published bool                   `json:"published"`
	Since     string                 `json:"since"`
	Style     frame.Style            `json:"style"`
	Code      string                 `json:"code"`
	Address   string                 `json:"address"`
	Problems  map[setting.Key]string `json:"problems"`
	Pages     int                    `json:"pages"`
	Words     map[setting.Key]string `json:"words"`
	Refused   []placing.RefusedSite  `json:"refused"` // websites that were refused and still are
	Stands    []placing.SeenPage     `json:"stands"`  // web pages on which readers met it
	Verdict   proof.Verdict          `json:"verdict"` // over all screens
	Musts     []proof.Elsewhere      `json:"musts"`   // that are asked about before publishing
	Behind    []string               `json:"behind"`  // those whose code keeps the room of earlier settings
	Met       []proof.Met            `json:"met"`     // in columns of which widths
	panelState

	Screen  proof.Screen  `json:"screen"` // what the stage shows
	Site    int           `json:"site"`
	Sites   []proof.Site  `json:"sites"`
	View    proof.View    `json:"view"`
	Left    float64       `json:"left"`    // of the frame in its column
	Screens []drawn       `json:"screens"` // the usual ones
	Curve   []proof.Point `json:"curve"`
	Answers proof.Answers `json:"answers"`
	Line    string        `json:"line"` // the weight on each connection, in words
	Starter begun         `json:"starter"`
	Pulled  string        `json:"pulled"` // where a pull came to rest
	Images  string        `json:"images"` // start of the addresses of page images
	Ladder  []int         `json:"ladder"` // the widths they come in, px
}

// begun says what a placement began with.
type begun struct {
	starter.Choice
	Title string `json:"title"`
}

// imagesOf is where the images of a draft's pages lie: the page's number and a
// width of the ladder follow. "" where they are of nobody without the password.
func imagesOf(v benchView) string {
	if v.Edition.Locked {
		return ""
	}
	return address.Stage(v.Placement.ID) + "/page/" + v.Edition.SHA256[:16]
}

func begunAs(d placing.Draft) begun {
	named, _ := starter.Named(d.Starter)
	return begun{starter.Choice{Name: d.Starter, Reason: d.Reason}, named.Title}
}

// drawn is one usual screen, with what is needed to draw it.
type drawn struct {
	proof.View
	Worst proof.Gloss `json:"worst"`
	Left  float64     `json:"left"` // of the frame in its column
	Bar   sheet.Rect  `json:"bar"`  // from the frame's corner
	Inner sheet.Rect  `json:"inner"`
	Drawn []drawnPage `json:"drawn"`
}

type drawnPage struct {
	Page int        `json:"page"`
	Box  sheet.Rect `json:"box"` // from the frame's corner
}

// mostDrawn is how many pages a drawing shows.
const mostDrawn = 8

// stands is where the stage stands: a screen on one of the sites.
type stands struct {
	house  placing.House
	site   int
	screen proof.Screen
}

// standsAt reads what the stage shows from a request: a web page's width or a
// column's, the height of the window, the site. What is missing or out of
// bounds is a laptop's.
func (d *Desk) standsAt(c *echo.Context, house placing.House) (stands, error) {
	at := stands{house: house}
	if i, err := strconv.Atoi(c.QueryParam("site")); err == nil && i >= 0 && i < len(house.Sites) {
		at.site = i
	}
	site := house.Sites[at.site]
	asked := func(name string, low, high float64) float64 {
		v, err := strconv.ParseFloat(c.QueryParam(name), 64)
		if err != nil || !(v >= low && v <= high) {
			return 0
		}
		return v
	}
	window := asked("window", proof.MinWindow, proof.MaxWindow)
	at.screen = proof.Nearest(site, 1280)
	if page := asked("page", proof.MinPage, proof.MaxPage); page > 0 {
		at.screen = proof.Nearest(site, page)
	}
	if column := asked("column", proof.MinColumn, proof.MaxColumn); column > 0 {
		var err error
		if at.screen, err = proof.ScreenAt(site, column, proof.Nearest(site, site.PageOf(column)).Height); err != nil {
			return at, err
		}
	}
	if window > 0 {
		at.screen.Height = window
	}
	return at, nil
}

// asked reads the rows of the placement that a request is about.
func (d *Desk) asked(c *echo.Context) (benchView, error) {
	id, err := number(c)
	if err != nil {
		return benchView{}, err
	}
	return d.subject(c.Request().Context(), id)
}

// subject reads the rows that the bench of one placement needs.
func (d *Desk) subject(ctx context.Context, id int64) (benchView, error) {
	v := benchView{StandIn: d.StandIn, Starters: starter.All(),
		Bounds: bounds{proof.MinColumn, proof.MaxColumn, proof.MinPage, proof.MaxPage, proof.CurveFrom, proof.CurveTo}}
	var err error
	v.Whole, err = d.Placing.Whole(ctx, id)
	return v, err
}

// factsFor are the facts that a proof goes by.
func (d *Desk) factsFor(v placing.Whole, s setting.Settings) (proof.Facts, error) {
	f := v.Edition.ProofFacts()
	var err error
	f.Shell, err = d.Shell(v.Document.Title, s, v.Edition)
	return f, err
}

// stateOf computes what the bench shows of a draft; instead shows other
// settings in its place, unsaved.
func (d *Desk) stateOf(c *echo.Context, v benchView, instead *setting.Settings) (state, error) {
	ctx, p := c.Request().Context(), v.Placement
	at, err := d.standsAt(c, v.House)
	if err != nil {
		return state{}, err
	}
	draft := v.Draft
	settings, err := v.Whole.Settings()
	if err != nil {
		return state{}, err
	}
	if instead != nil {
		settings = *instead
	}
	f, err := d.factsFor(v.Whole, settings)
	if err != nil {
		return state{}, err
	}
	site := at.house.Sites[at.site]
	views := proof.Run(f, settings, at.house.Terms, append([]proof.Screen{at.screen}, proof.Usual(site)...))
	s := state{
		ID: p.ID, Revision: draft.Revision, OfHouse: at.house.Revision, Undo: draft.Undo, Redo: draft.Redo, Settings: settings,
		Own: setting.Diff(at.house.Settings, settings).Keys(), House: words(at.house.Settings), Words: words(settings),
		Unseen: []setting.Change{}, Behind: []string{}, Problems: map[setting.Key]string{}, Facts: factsOf(v.Edition),
		Examining: v.Edition.State == library.Examining || (v.Edition.State == library.Ready && !v.Edition.Measured),
		Style:     frame.CSS(settings, f.Pages), Address: d.PublicURL + address.Reader(p.Key), Pages: f.Pages.Count(),
		Screen: at.screen, Site: at.site, Sites: at.house.Sites, View: views[0], Left: frame.Left(settings, views[0].Box.Width,
			at.screen.Column), Line: lineWords(views[0].Weight),
		Curve: proof.Curve(f, settings, at.screen.Height), Answers: proof.Answer(f, settings, at.screen, proof.Usual(site)[0]),
		Verdict: proof.Judge(views), Musts: proof.Musts(views[1:]), Starter: begunAs(draft), Images: imagesOf(v), Ladder: press.Ladder(),
	}
	if s.Own == nil {
		s.Own = []setting.Key{}
	}
	for _, view := range views[1:] {
		s.Screens = append(s.Screens, draw(view, settings))
	}
	s.panelState = panelStateOf(settings, f.Holds(), s.View.Box, at.screen)
	if s.Code, err = embed.Code(settings, embed.Subject{Address: s.Address, Title: v.Document.Title, Pages: f.Pages}); err != nil {
		return state{}, err
	}
	refused, err := d.Placing.RefusedSites(ctx, p.ID)
	if err != nil {
		return state{}, err
	}
	s.Refused = slices.DeleteFunc(refused, func(r placing.RefusedSite) bool { return settings.Sites.Allows(r.Origin) })
	pages, widths, err := d.Placing.Seen(ctx, p.ID)
	if err != nil {
		return state{}, err
	}
	s.Stands, s.Met = pages, proof.Meet(f, settings, at.house.Terms, site, widths)
	if version := v.Version; version.Number > 0 {
		s.Version, s.Published, s.Since = version.Number, true, version.PublishedAt.Format("2 January 2006, 15:04")
		s.Unseen = setting.Changes(version.Settings, settings)
		s.Behind = d.behind(pages, version.Settings, f.Pages)
	}
	return s, nil
}

// behind lists the pages whose code was pasted before the size was changed, as viewers
// told of the room they had. Our own pages follow by themselves.
func (d *Desk) behind(seen []placing.SeenPage, published setting.Settings, pages frame.Pages) []string {
	out := []string{}
	for _, p := range seen {
		if !strings.HasPrefix(p.Page, d.PublicURL+"/") && !frame.Held(published, pages, float64(p.RoomWidth), float64(p.RoomHeight)) {
			out = append(out, p.Page)
		}
	}
	return out
}

// draw gives what a drawing of a view is made of.
func draw(v proof.View, s setting.Settings) drawn {
	d := drawn{View: v, Worst: v.Worst(), Drawn: []drawnPage{}, Left: frame.Left(s, v.Box.Width, v.Screen.Column)}
	edge := s.Border + s.Padding
	d.Inner = sheet.Rect{X: edge, Y: edge, W: v.Box.InnerWidth, H: v.Box.InnerHeight}
	if bar := frame.Bar(s); bar > 0 {
		d.Bar = sheet.Rect{X: edge, Y: edge, W: v.Box.Width - 2*edge, H: bar}
		if s.BarPlace == setting.Bottom {
			d.Bar.Y = v.Box.Height - edge - bar
		} else {
			d.Inner.Y += bar
		}
	}
	for i, p := range v.Pages {
		if v.Box.Shown(p) == 0 {
			continue
		}
		p.X, p.Y = p.X+d.Inner.X, p.Y+d.Inner.Y
		if d.Drawn = append(d.Drawn, drawnPage{i + 1, p}); len(d.Drawn) == mostDrawn {
			break
		}
	}
	return d
}

// lineWords says how long page 1 takes on each connection.
func lineWords(w proof.Weight) string {
	if !w.Known {
		return ""
	}
	out := ""
	for i, c := range proof.Connections() {
		if i > 0 {
			out += ", "
		}
		out += fmt.Sprintf("%s %.1f s", c.Name, w.Seconds[i])
	}
	return out
}

func words(s setting.Settings) map[setting.Key]string {
	out := map[setting.Key]string{}
	for _, k := range setting.Keys() {
		out[k] = s.Words(k)
	}
	return out
}

// bandsOf lists the bands of legibility for the curve, with where they begin.
func (benchView) Bands() []struct {
	Name legible.Band
	From float64
} {
	return []struct {
		Name legible.Band
		From float64
	}{{legible.TooSmall, 0}, {legible.Strained, legible.FromStrained}, {legible.Readable, legible.FromReadable}, {legible.Comfortable,
		legible.FromComfortable}}
}

// pairs measures the colours a placement chose for itself.
func pairs(s setting.Settings) []dress.Pair {
	if s.Scheme != setting.Own {
		return []dress.Pair{}
	}
	return dress.Pairs(dress.Own(s.Colours))
}
