package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"incipit/internal/core/frame"
	"incipit/internal/core/proof"
	"incipit/internal/core/setting"
	"incipit/internal/core/webpage"
	"incipit/internal/site"
	"incipit/internal/store"
)

// pageState is a web page's draft as its screen shows it, after each change.
type pageState struct {
	ID      int64        `json:"id"`
	Step    int          `json:"step"`
	Mark    int64        `json:"mark"` // of the step that holds
	Undo    bool         `json:"undo"`
	Redo    bool         `json:"redo"`
	By      string       `json:"by"` // who made the step that holds
	At      time.Time    `json:"at"`
	Page    webpage.Page `json:"page"`
	Path    string       `json:"path"`
	Address string       `json:"address"`

	HTML        template.HTML        `json:"html"`
	Frames      map[string]pageFrame `json:"frames"` // by block
	Window      float64              `json:"window"`
	Screens     []screenMark         `json:"screens"`
	Glosses     []webpage.Gloss      `json:"glosses"`
	Differences []webpage.Difference `json:"differences"`
	Holds       int                  `json:"holds"` // the version that readers see, or 0
	Since       *time.Time           `json:"since"`
	SinceBy     string               `json:"since_by"`
	Plans       []planned            `json:"plans"`
	Accent      string               `json:"accent"`
	Pulled      string               `json:"pulled"`
	Notice      string               `json:"notice"` // what others did meanwhile
}

type pageFrame struct {
	Style     frame.Style   `json:"style"`
	Box       frame.Box     `json:"box"`
	Screen    proof.Screen  `json:"screen"`
	Placement int64         `json:"placement"`
	Title     string        `json:"title"`
	Own       []setting.Key `json:"own"` // in which it differs from its placement
	Centred   bool          `json:"centred"`
	Mark      string        `json:"mark"` // another one where the viewer must load anew
}

type planned struct {
	Due     time.Time `json:"due"`
	Version int       `json:"version"`
	By      string    `json:"by"`
}

// screenMark is a usual screen on the ruler, with the worst that is found there.
type screenMark struct {
	Screen proof.Screen `json:"screen"`
	Worst  proof.Gloss  `json:"worst"`
}

// usualWindow is the window that a page is shown in at first, CSS px.
const usualWindow = 1280

func windowOf(c *echo.Context) float64 {
	w, err := strconv.ParseFloat(c.QueryParam("page"), 64)
	if err != nil || !(w >= proof.MinPage && w <= proof.MaxPage) {
		return usualWindow
	}
	return w
}

// pageStateOf reads a page's draft; unsaved shows other content in its place.
func (d *Desk) pageStateOf(c *echo.Context, id int64, unsaved *webpage.Page) (pageState, error) {
	ctx := c.Request().Context()
	p, err := d.Store.WebPage(ctx, id)
	if err != nil {
		return pageState{}, err
	}
	step, err := d.Store.WebPageDraft(ctx, id)
	if err != nil {
		return pageState{}, err
	}
	s := pageState{ID: id, Step: p.Step, Mark: step.Mark, Undo: p.Step > 0, By: step.MadeBy, At: step.MadeAt, Page: step.Content, Window: windowOf(c),
		Frames: map[string]pageFrame{}, Glosses: []webpage.Gloss{}, Differences: []webpage.Difference{}, Plans: []planned{}}
	if unsaved != nil {
		s.Page = *unsaved
	}
	if s.Redo, err = d.Store.WebPageSteps(ctx, p); err != nil {
		return s, err
	}
	if s.Path, err = d.Store.PathOf(ctx, id); err != nil {
		return s, err
	}
	s.Address = d.PublicURL + site.Address(s.Path)
	f, err := d.Store.SiteFrame(ctx)
	if err != nil {
		return s, err
	}
	s.Accent = f.Content.Accent
	if err := d.proofPage(ctx, &s); err != nil {
		return s, err
	}
	return s, d.standingOf(ctx, &s)
}

// proofPage draws a page and says what readers get of its documents.
func (d *Desk) proofPage(ctx context.Context, s *pageState) error {
	drawn, err := d.Site.Draw(ctx, s.Page, true)
	if err != nil {
		return err
	}
	s.HTML = drawn.HTML
	house, err := d.Store.House(ctx)
	if err != nil {
		return err
	}
	for _, screen := range proof.Usual(proof.Site{Column: webpage.Widest, Margin: webpage.Margin}) {
		s.Screens = append(s.Screens, screenMark{screen, proof.View{}.Worst()})
	}
	for _, b := range s.Page.Blocks() {
		f, there := drawn.Frames[b.ID]
		if !there {
			continue
		}
		facts := factsOfFile(f.Edition)
		if facts.Shell, err = d.Shell(f.Title, f.Settings, f.Edition); err != nil {
			return err
		}
		seen, err := webpage.Proof(s.Page, b.ID, facts, f.Base, house.Terms, s.Window)
		if err != nil {
			return err
		}
		inner, err := json.Marshal([]any{f.Edition.ID, f.Base})
		if err != nil {
			return fmt.Errorf("name a viewer: %w", err)
		}
		s.Frames[b.ID] = pageFrame{Style: f.Style, Box: seen.View.Box, Screen: seen.View.Screen, Placement: f.Placement, Title: f.Title, Own: keysOf(b.Set), Centred: f.Settings.Align == setting.Centre, Mark: string(inner)}
		s.Glosses = append(s.Glosses, seen.Glosses...)
		for i := range s.Screens {
			if g := seen.Worst[i]; proof.Rank(g.Level) > proof.Rank(s.Screens[i].Worst.Level) {
				s.Screens[i].Worst = g
			}
		}
	}
	slices.SortStableFunc(s.Glosses, func(a, b webpage.Gloss) int { return cmp.Compare(proof.Rank(b.Level), proof.Rank(a.Level)) })
	return nil
}

func keysOf(p setting.Patch) []setting.Key { return append([]setting.Key{}, p.Keys()...) }

// standingOf says what readers see of a page, what is planned, and in what the
// draft differs.
func (d *Desk) standingOf(ctx context.Context, s *pageState) error {
	turns, err := d.Store.Turns(ctx, s.ID)
	if err != nil {
		return err
	}
	now := time.Now()
	for _, t := range webpage.Planned(turns, now) {
		s.Plans = append(s.Plans, planned{t.Due, t.Version, t.By})
	}
	if s.Holds = webpage.Holding(turns, now); s.Holds == 0 {
		return nil
	}
	v, err := d.Store.WebPageVersionAt(ctx, s.ID, s.Holds)
	if err != nil {
		return err
	}
	s.Since, s.SinceBy, s.Differences = &v.MadeAt, v.MadeBy, webpage.Differences(v.Content, s.Page)
	return nil
}

func (d *Desk) answerPage(c *echo.Context, id int64, notice string) error {
	s, err := d.pageStateOf(c, id, nil)
	if err != nil {
		return err
	}
	s.Notice = notice
	return c.JSON(http.StatusOK, s)
}

// pageData is the data of the screen.
type pageData struct {
	State       pageState
	Picks       []pick
	Pictures    []pictureChoice
	Collections []store.Collection
}

type pictureChoice struct {
	ID     int64  `json:"id"`
	Name   string `json:"name"`
	Src    string `json:"src"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
}

func pictureOf(p store.Picture) pictureChoice {
	return pictureChoice{p.ID, p.Name, site.PictureAt(p, p.Widths[0]), p.Width, p.Height}
}

func (d *Desk) webPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	v := pageData{Pictures: []pictureChoice{}}
	if v.State, err = d.pageStateOf(c, id, nil); err != nil {
		return err
	}
	if v.Picks, err = d.picks(c); err != nil {
		return err
	}
	pictures, err := d.Store.Pictures(ctx)
	if err != nil {
		return err
	}
	for _, p := range pictures {
		v.Pictures = append(v.Pictures, pictureOf(p))
	}
	if v.Collections, err = d.Store.Collections(ctx); err != nil {
		return err
	}
	return d.send(c, http.StatusOK, "webpage", v.State.Page.Title, v)
}

func (d *Desk) webPageState(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

// webPageStep says which step holds and who made it: how an open screen learns
// that somebody else is at the page.
func (d *Desk) webPageStep(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	step, err := d.Store.WebPageDraft(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"mark": step.Mark, "by": step.MadeBy, "at": step.MadeAt})
}

// changedBy says who changed a page and when, for who did not see it.
func changedBy(by string, at time.Time) string {
	return fmt.Sprintf("%s changed this page at %s.", by, at.UTC().Format("15:04 UTC"))
}

// conflict is an act that would have gone over what somebody else did. Mine is
// what was sent, so that it can be kept.
type conflict struct {
	Message string      `json:"message"`
	Mine    webpage.Act `json:"mine"`
}

// errSentence is an act refused in a sentence.
type errSentence struct {
	status int
	said   string
}

func (e errSentence) Error() string { return e.said }

// act does something to a page's draft. Where somebody else changed it since it
// was seen, it is done to what stands now, unless it would go over what they
// did.
func (d *Desk) act(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Mark int64 `json:"mark"` // of the step that was seen
		webpage.Act
		// Over says that what others did to the same thing is seen and may go.
		Over bool `json:"over"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "act").Wrap(err)
	}
	return d.rewrite(c, id, sent.Mark, sent.Act, sent.Over)
}

func (d *Desk) rewrite(c *echo.Context, id, mark int64, a webpage.Act, over bool) error {
	who, _ := c.Get(accountKey).(store.Account)
	notice := ""
	err := d.Store.Rewrite(c.Request().Context(), id, mark, who.Name, func(seen *store.WebPageStep, now store.WebPageStep) (webpage.Page, error) {
		if now.Mark != mark {
			notice = changedBy(now.MadeBy, now.MadeAt) + " Your change was made to the page as it stands now."
			if !over && (seen == nil || webpage.Touched(seen.Content, now.Content, a)) {
				return webpage.Page{}, errSentence{http.StatusConflict, changedBy(now.MadeBy, now.MadeAt) + " It is what you were changing, too, so your change was not made. It is kept below."}
			}
		}
		next, err := now.Content.Done(a)
		if err != nil {
			return next, errSentence{http.StatusUnprocessableEntity, err.Error() + " The page stays as it is."}
		}
		if said := next.Check(); said != "" {
			return next, errSentence{http.StatusUnprocessableEntity, said + " The page stays as it is."}
		}
		return next, nil
	})
	var refused errSentence
	if errors.As(err, &refused) {
		return c.JSON(refused.status, conflict{refused.said, a})
	}
	if err != nil {
		return err
	}
	return d.answerPage(c, id, notice)
}

// pullOnPage is a document on a page that is pulled by its edge.
func (d *Desk) pullOnPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Mark  int64  `json:"mark"`
		Keep  bool   `json:"keep"`
		Block string `json:"block"`
		proof.Pull
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "pull").Wrap(err)
	}
	if !(sent.Width >= 0 && sent.Width <= proof.MaxColumn && sent.Height >= 0 && sent.Height <= setting.MaxPixels) {
		return echo.NewHTTPError(http.StatusBadRequest, "pull")
	}
	ctx := c.Request().Context()
	now, err := d.Store.WebPageDraft(ctx, id)
	if err != nil {
		return err
	}
	drawn, err := d.Site.Draw(ctx, now.Content, true)
	if err != nil {
		return err
	}
	f, there := drawn.Frames[sent.Block]
	if !there {
		return c.JSON(http.StatusUnprocessableEntity, problem{webpage.ErrGone.Error()})
	}
	a, words, err := webpage.Pulled(now.Content, sent.Block, factsOfFile(f.Edition), f.Base, sent.Pull, windowOf(c))
	if err != nil {
		return err
	}
	if sent.Keep {
		return d.rewrite(c, id, sent.Mark, a, false)
	}
	next, err := now.Content.Done(a)
	if err != nil {
		return err
	}
	s, err := d.pageStateOf(c, id, &next)
	if err != nil {
		return err
	}
	s.Pulled = words
	return c.JSON(http.StatusOK, s)
}

func (d *Desk) undoPage(c *echo.Context) error { return d.movePage(c, -1) }
func (d *Desk) redoPage(c *echo.Context) error { return d.movePage(c, 1) }

func (d *Desk) movePage(c *echo.Context, by int) error {
	id, mark, err := d.marked(c)
	if err != nil {
		return err
	}
	err = d.Store.MoveWebPage(c.Request().Context(), id, mark, by)
	if errors.Is(err, store.ErrStale) {
		return d.staleStep(c, id)
	}
	if err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

// staleStep says who changed a page meanwhile, so that nothing was done.
func (d *Desk) staleStep(c *echo.Context, id int64) error {
	now, err := d.Store.WebPageDraft(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusConflict, problem{changedBy(now.MadeBy, now.MadeAt) + " It is shown now as it stands; look at it, then repeat what you wanted."})
}

// marked reads which step a request is about.
func (d *Desk) marked(c *echo.Context) (id, mark int64, err error) {
	if id, err = number(c); err != nil {
		return 0, 0, err
	}
	var sent struct {
		Mark int64 `json:"mark"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return 0, 0, echo.NewHTTPError(http.StatusBadRequest, "step").Wrap(err)
	}
	return id, sent.Mark, nil
}

// publishPage has readers see the draft, now or as planned.
func (d *Desk) publishPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Mark  int64      `json:"mark"`
		From  *time.Time `json:"from"`
		Until *time.Time `json:"until"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return c.JSON(http.StatusUnprocessableEntity, problem{"That is no time. Nothing was published."})
	}
	plan := webpage.Plan{}
	if sent.From != nil {
		plan.From = *sent.From
	}
	if sent.Until != nil {
		plan.Until = *sent.Until
	}
	if said := plan.Check(time.Now()); said != "" {
		return c.JSON(http.StatusUnprocessableEntity, problem{said + " Nothing was published."})
	}
	who, _ := c.Get(accountKey).(store.Account)
	err = d.Store.PublishWebPage(c.Request().Context(), id, sent.Mark, who.Name, plan)
	if errors.Is(err, store.ErrStale) {
		return d.staleStep(c, id)
	}
	if err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

func (d *Desk) withdrawPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	who, _ := c.Get(accountKey).(store.Account)
	if err := d.Store.WithdrawWebPage(c.Request().Context(), id, who.Name); err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

func (d *Desk) dropPlans(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Store.DropPlans(c.Request().Context(), id); err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

// setPath gives a page another address; earlier ones lead there.
func (d *Desk) setPath(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	var sent struct {
		Path string `json:"path"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "path").Wrap(err)
	}
	sent.Path = strings.Trim(strings.TrimSpace(sent.Path), "/")
	if said := webpage.CheckPath(sent.Path); said != "" {
		return c.JSON(http.StatusUnprocessableEntity, problem{said + " The earlier address is kept."})
	}
	err = d.Store.SetPath(c.Request().Context(), id, sent.Path)
	if errors.Is(err, store.ErrTaken) {
		return c.JSON(http.StatusUnprocessableEntity, problem{"Another page has that address. The earlier one is kept."})
	}
	if err != nil {
		return err
	}
	return d.answerPage(c, id, "")
}

// preview shows a page as readers would get it if it were published now, or a
// version as it was.
func (d *Desk) preview(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if n, err := strconv.Atoi(c.QueryParam("version")); err == nil {
		v, err := d.Store.WebPageVersionAt(ctx, id, n)
		if err != nil {
			return err
		}
		return d.Site.Preview(c, id, v.Content)
	}
	step, err := d.Store.WebPageDraft(ctx, id)
	if err != nil {
		return err
	}
	return d.Site.Preview(c, id, step.Content)
}

// listedPage is a page in the list.
type listedPage struct {
	ID          int64
	Title       string
	Address     string
	Holds       int
	Differences int
	Plans       []webpage.Turn
	By          string
	At          time.Time
}

// siteData is the data of the list of pages.
type siteData struct {
	Pages    []listedPage
	Frame    store.SiteFrame
	Trouble  string
	Path     string
	NewTitle string
}

func (d *Desk) webPages(c *echo.Context) error { return d.sitePages(c, http.StatusOK, siteData{}) }

func (d *Desk) sitePages(c *echo.Context, status int, v siteData) error {
	ctx := c.Request().Context()
	pages, err := d.Store.WebPages(ctx)
	if err != nil {
		return err
	}
	if v.Frame, err = d.Store.SiteFrame(ctx); err != nil {
		return err
	}
	paths, err := d.Store.Paths(ctx)
	if err != nil {
		return err
	}
	for _, p := range pages {
		step, err := d.Store.WebPageDraft(ctx, p.ID)
		if err != nil {
			return err
		}
		s := pageState{ID: p.ID, Page: step.Content}
		if err := d.standingOf(ctx, &s); err != nil {
			return err
		}
		l := listedPage{ID: p.ID, Title: step.Content.Title, Address: site.Address(paths[p.ID]), Holds: s.Holds, Differences: len(s.Differences), By: step.MadeBy, At: step.MadeAt}
		for _, plan := range s.Plans {
			l.Plans = append(l.Plans, webpage.Turn{Version: plan.Version, Due: plan.Due})
		}
		v.Pages = append(v.Pages, l)
	}
	return d.send(c, status, "webpages", "Web pages", v)
}

func (d *Desk) addWebPage(c *echo.Context) error {
	who, _ := c.Get(accountKey).(store.Account)
	title, path := c.FormValue("title"), strings.Trim(strings.TrimSpace(c.FormValue("path")), "/")
	content := webpage.New(title)
	said := cmp.Or(content.Check(), webpage.CheckPath(path))
	if said == "" {
		p, err := d.Store.AddWebPage(c.Request().Context(), path, content, who.Name)
		if err == nil {
			return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/web-pages/%d", p.ID))
		}
		if !errors.Is(err, store.ErrTaken) {
			return err
		}
		said = "Another page has that address; choose another one."
	}
	return d.sitePages(c, http.StatusUnprocessableEntity, siteData{Trouble: said + " No page was made.", NewTitle: title, Path: path})
}

func (d *Desk) removeWebPage(c *echo.Context) error {
	id, err := number(c)
	if err != nil {
		return err
	}
	if err := d.Store.RemoveWebPage(c.Request().Context(), id); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/web-pages")
}

// setFrame keeps what all pages have in common; readers see it at once.
func (d *Desk) setFrame(c *echo.Context) error {
	var sent struct {
		Revision int           `json:"revision"`
		Frame    webpage.Frame `json:"frame"`
	}
	if err := json.NewDecoder(c.Request().Body).Decode(&sent); err != nil {
		return echo.NewHTTPError(http.StatusBadRequest, "frame").Wrap(err)
	}
	sent.Frame.Accent = strings.ToLower(strings.TrimSpace(sent.Frame.Accent))
	if said := sent.Frame.Check(); said != "" {
		return c.JSON(http.StatusUnprocessableEntity, problem{said + " What was there before is kept."})
	}
	err := d.Store.SetSiteFrame(c.Request().Context(), sent.Revision, sent.Frame)
	if errors.Is(err, store.ErrStale) {
		return c.JSON(http.StatusConflict, problem{"The frame was changed in another window. Load this page again to see it; what you typed stays here until then."})
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"revision": sent.Revision + 1, "frame": sent.Frame})
}
